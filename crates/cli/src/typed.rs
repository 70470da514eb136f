//! Field expressions and moments that were typed at the command line.

use diaporos_core::diagnostic::Diagnostic;
use diaporos_core::expr::{KnownFields, Library, Program, Slots, compile, parse};

use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::error::Failure;

/// What typed expressions are read against; the fields that they read are gathered.
pub(crate) struct Typed<'a> {
    pub(crate) known: Option<KnownFields<'a>>,
    pub(crate) library: &'a Library,
    pub(crate) slots: Slots,
}

impl Typed<'_> {
    /// Reads an expression; the place of a fault is shown under it.
    pub(crate) fn expression(&mut self, option: &str, text: &str) -> Result<Program, Failure> {
        let tree = parse(text).map_err(|error| {
            let advice =
                error.help.unwrap_or_else(|| "docs/expressions.md says how expressions are written".to_owned());
            fault(option, text, error.span.start, &error.message).advise(advice)
        })?;
        let (program, findings) = compile(&tree, self.known, self.library, &mut self.slots);
        let Some(program) = program else {
            let finding = findings.into_iter().find(Diagnostic::is_error);
            let (start, message, help) =
                finding.map_or_else(Default::default, |finding| (finding.span.start, finding.message, finding.help));
            let advice = help.unwrap_or_else(|| {
                "`diaporos model show SYSTEM/TYPE` lists fields, `diaporos functions` functions".to_owned()
            });
            return Err(fault(option, text, start, &message).advise(advice));
        };
        Ok(program)
    }
}

fn fault(option: &str, text: &str, start: usize, message: &str) -> Failure {
    let before = text.get(..start).unwrap_or(text).chars().count();
    Failure::wrong(format!("`{option}`: {message}\n  {text}\n  {}^", " ".repeat(before)))
}

/// A past moment as it was typed: a duration (`2h`, `3 days`) before now, a date, which begins in the zone, or a
/// moment (RFC 3339).
pub(crate) fn past(text: &str, now: Timestamp, zone: &TimeZone) -> Result<Timestamp, Failure> {
    let wrong = |error: jiff::Error| Failure::wrong(error.to_string());
    if let Ok(span) = text.parse::<jiff::Span>() {
        let here = now.to_zoned_datetime(zone.clone());
        return Ok(here.checked_sub(span.abs()).map_err(wrong)?.timestamp());
    }
    if let (10, Ok(day)) = (text.len(), text.parse::<Date>()) {
        return zone.to_timestamp(day.at(0, 0, 0, 0)).map_err(wrong);
    }
    diaporos_core::text::moment::read(text).map(|moment| moment.timestamp()).map_err(|_| {
        Failure::wrong(format!("`{text}` is neither a duration nor a moment"))
            .advise("write `2h`, `3 days`, `2026-11-25` or `2026-11-25T09:00:00Z`")
    })
}
