//! One value in a row: as data, and as people see it.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::Value as Json;

use super::visible::is_unseen;

/// What a colour says; each is also said in words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tint {
    /// Nothing to look at.
    Plain,
    /// Of less weight.
    Faint,
    /// As it should be.
    Good,
    /// Wants a look.
    Warn,
    /// Wrong.
    Bad,
}

impl Tint {
    /// The tint of a state, standing, step or result, by its word.
    pub(crate) fn of(word: &str) -> Tint {
        match word {
            "live" | "delivered" | "done" | "create" | "present" => Tint::Good,
            "held" | "hold" | "owed" | "open" | "found not done" | "in doubt" => Tint::Warn,
            "failed" | "refused" | "unclear" | "error" => Tint::Bad,
            "withdrawn" | "gone" | "outside" | "unchanged" => Tint::Faint,
            _ => Tint::Plain,
        }
    }
}

/// One value in a row.
#[derive(Debug, Clone)]
pub(crate) struct Cell {
    /// As data.
    pub(crate) json: Json,
    /// As people see it.
    pub(crate) shown: String,
    /// With what weight.
    pub(crate) tint: Tint,
}

impl Cell {
    /// A text.
    pub(crate) fn text(text: impl Into<String>) -> Cell {
        let text = text.into();
        Cell { shown: one_line(&text), json: Json::String(text), tint: Tint::Plain }
    }

    /// A word whose tint tells what it means.
    pub(crate) fn word(word: &str) -> Cell {
        Cell { tint: Tint::of(word), ..Cell::text(word) }
    }

    /// A text, or nothing.
    pub(crate) fn maybe(text: Option<impl Into<String>>) -> Cell {
        text.map_or_else(Cell::nothing, Cell::text)
    }

    /// Nothing.
    pub(crate) fn nothing() -> Cell {
        Cell { json: Json::Null, shown: String::new(), tint: Tint::Plain }
    }

    /// A number of things; none of them is shown faint.
    pub(crate) fn count(count: u64) -> Cell {
        let tint = if count == 0 { Tint::Faint } else { Tint::Plain };
        Cell { json: count.into(), shown: count.to_string(), tint }
    }

    /// A point in time.
    pub(crate) fn moment(at: Timestamp, zone: &TimeZone) -> Cell {
        Cell { json: at.to_string().into(), shown: moment(at, zone), tint: Tint::Faint }
    }

    /// Several texts.
    pub(crate) fn list(texts: Vec<String>) -> Cell {
        Cell { shown: one_line(&texts.join(", ")), json: texts.into(), tint: Tint::Plain }
    }

    /// Whether a table shows nothing for it.
    pub(crate) fn is_empty(&self) -> bool {
        self.shown.is_empty()
    }

    /// Gives it a tint.
    pub(crate) fn tint(mut self, tint: Tint) -> Cell {
        self.tint = tint;
        self
    }
}

/// A point in time as tables show it, with the zone's abbreviation or offset.
pub(crate) fn moment(at: Timestamp, zone: &TimeZone) -> String {
    at.to_zoned_datetime(zone.clone()).strftime("%Y-%m-%d %H:%M:%S %Z").to_string()
}

/// A text on one line, without anything that a terminal would obey.
pub(crate) fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() || is_unseen(c) { ' ' } else { c }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_source_says_cannot_steer_the_terminal() {
        assert_eq!(one_line("a\u{1b}[31mb\r\nc\u{202e}d"), "a [31mb  c d");
    }
}
