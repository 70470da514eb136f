//! Dates as feeds have them: as the standards say, and as people write them.

use jiff::Timestamp;
use jiff::civil::{Date, DateTime, Time};
use jiff::tz::{Offset, TimeZone};

/// A date that was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Moment {
    /// When it is.
    pub(super) at: Timestamp,
    /// Whether it is written as RFC 3339, RFC 5322 or the W3C have it.
    pub(super) is_standard: bool,
}

/// Forms that people write, once weekday, zone and commas are gone.
const MOMENTS: &[&str] = &[
    "%Y-%m-%d %H:%M:%S",
    "%Y-%m-%d %H:%M",
    "%Y-%m-%d %I:%M:%S %p",
    "%Y-%m-%d %I:%M %p",
    "%Y%m%d %H%M%S",
    "%d %b %Y %H:%M:%S",
    "%d %b %Y %H:%M",
    "%d %b %Y %I:%M:%S %p",
    "%d %b %Y %I:%M %p",
    "%d %b %y %H:%M:%S",
    "%d %b %y %H:%M",
    "%b %d %Y %H:%M:%S",
    "%b %d %Y %H:%M",
    "%b %d %Y %I:%M:%S %p",
    "%b %d %Y %I:%M %p",
    "%b %d %H:%M:%S %Y",
    "%d.%m.%Y %H:%M:%S",
    "%d.%m.%Y %H:%M",
];
const DAYS: &[&str] = &["%Y-%m-%d", "%Y%m%d", "%d %b %Y", "%d-%b-%Y", "%b %d %Y", "%d %b %y", "%d.%m.%Y"];

/// Zones by their letters, in minutes east of UTC; those that mean two things are in it by what a feed
/// most likely means (RFC 5322 §4.3 for those of America). `IST` is not, for it means three.
const ZONES: &[(&str, i32)] = &[
    ("z", 0),
    ("ut", 0),
    ("utc", 0),
    ("gmt", 0),
    ("wet", 0),
    ("bst", 60),
    ("west", 60),
    ("cet", 60),
    ("met", 60),
    ("cest", 120),
    ("mest", 120),
    ("eet", 120),
    ("sast", 120),
    ("eest", 180),
    ("msk", 180),
    ("hkt", 480),
    ("awst", 480),
    ("jst", 540),
    ("kst", 540),
    ("acst", 570),
    ("aest", 600),
    ("aedt", 660),
    ("nzst", 720),
    ("nzdt", 780),
    ("ndt", -150),
    ("nst", -210),
    ("adt", -180),
    ("ast", -240),
    ("edt", -240),
    ("est", -300),
    ("cdt", -300),
    ("cst", -360),
    ("mdt", -360),
    ("mst", -420),
    ("pdt", -420),
    ("pst", -480),
    ("akdt", -480),
    ("akst", -540),
    ("hst", -600),
];

/// Zones by letters of RFC 822 §5.1, and `UTC`, which every feed means the same by.
const STANDARD_ZONES: [&str; 12] = ["UT", "UTC", "GMT", "Z", "EST", "EDT", "CST", "CDT", "MST", "MDT", "PST", "PDT"];

const MONTHS: [&str; 12] = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

/// Reads a date; without a zone, in UTC. A day and a month that could be taken for each other are none.
pub(super) fn read(text: &str) -> Option<Moment> {
    let text = text.trim();
    if text.len() > 100 {
        return None;
    }
    let standard = text.parse::<Timestamp>().ok().filter(|_| text.contains(['T', 't']));
    let standard = standard.or_else(|| {
        // A zone by letters that the RFC does not know is UTC to it (RFC 5322 §4.3), and to nobody who writes it.
        let zone = text.rsplit(' ').next().unwrap_or_default();
        let is_known = !zone.starts_with(|c: char| c.is_ascii_alphabetic()) || STANDARD_ZONES.contains(&zone);
        jiff::fmt::rfc2822::parse(text).ok().filter(|_| is_known).map(|zoned| zoned.timestamp())
    });
    if let Some(at) = standard {
        return Some(Moment { at, is_standard: true });
    }
    lenient(text).map(|at| Moment { at, is_standard: is_w3c(text) })
}

/// Whether a date is written as the W3C has them (Date and Time Formats, 1997): a day, a month, a year, or a
/// time without seconds, with its zone.
fn is_w3c(text: &str) -> bool {
    let form: String = text.chars().map(|c| if c.is_ascii_digit() { '0' } else { c }).collect();
    let zoned = form.strip_prefix("0000-00-00T00:00");
    matches!(form.as_str(), "0000" | "0000-00" | "0000-00-00") || matches!(zoned, Some("Z" | "+00:00" | "-00:00"))
}

fn lenient(text: &str) -> Option<Timestamp> {
    let (words, zone) = words_and_zone(text);
    if let [number] = words.as_slice()
        && zone.is_none()
        && (10..=13).contains(&number.len())
        && number.bytes().all(|byte| byte.is_ascii_digit())
    {
        // A count of seconds, or of milliseconds.
        let count: i64 = number.parse().ok()?;
        return if number.len() == 13 { Timestamp::from_millisecond(count) } else { Timestamp::from_second(count) }
            .ok();
    }
    let (text, next_day) = midnight(&words);
    let found = MOMENTS.iter().find_map(|form| DateTime::strptime(form, &text).ok());
    let found = found.or_else(|| Some(day(&text)?.to_datetime(Time::midnight())))?;
    let found = if next_day { found.tomorrow().ok()? } else { found };
    TimeZone::fixed(zone.unwrap_or(Offset::UTC)).to_timestamp(found).ok()
}

fn day(text: &str) -> Option<Date> {
    if let Some(day) = DAYS.iter().find_map(|form| Date::strptime(form, text).ok()) {
        return Some(day);
    }
    if let Ok(year_month) = Date::strptime("%Y-%m-%d", format!("{text}-01")) {
        return Some(year_month);
    }
    if text.len() == 4 {
        return text.parse().ok().and_then(|year| Date::new(year, 1, 1).ok());
    }
    // Only one order makes sense of `13-05-2026`.
    let orders = ["%d-%m-%Y", "%m-%d-%Y"].map(|form| Date::strptime(form, text).ok());
    match orders {
        [Some(day), None] | [None, Some(day)] => Some(day),
        [Some(day), Some(other)] if day == other => Some(day),
        _ => None,
    }
}

/// The words of a date without weekday, commas and zone; and the zone.
fn words_and_zone(text: &str) -> (Vec<String>, Option<Offset>) {
    let text = text.split('(').next().unwrap_or_default();
    let mut zone = None;
    let mut words = Vec::new();
    for word in text.split(|c: char| c.is_whitespace() || c == ',').filter(|word| !word.is_empty()) {
        let lower = word.to_lowercase();
        if let Some(offset) = offset(&lower) {
            zone = Some(offset);
            continue;
        }
        if lower.starts_with(|c: char| c.is_alphabetic()) {
            let month = MONTHS.iter().find(|month| lower.starts_with(**month));
            match (month, lower.trim_end_matches('.')) {
                (Some(month), _) => words.push((*month).to_owned()),
                (None, "am" | "pm" | "a.m" | "p.m") => words.push(lower.replace('.', "")),
                // A weekday, `at`, or whatever else.
                _ => {}
            }
            continue;
        }
        let (moment, own) = time_and_offset(&lower);
        zone = own.or(zone);
        words.extend(date_and_time(moment).into_iter().filter(|part| !part.is_empty()).map(plain_number));
    }
    (words, zone)
}

/// `2026-05-01t09:30` as two words.
fn date_and_time(word: &str) -> Vec<&str> {
    let parts = word.split_once('t').filter(|(date, time)| {
        date.ends_with(|c: char| c.is_ascii_digit()) && time.starts_with(|c: char| c.is_ascii_digit())
    });
    parts.map_or_else(|| vec![word], |(date, time)| vec![date, time])
}

/// `1st` as `1`, `2026/05/01` as `2026-05-01`, `09:30:00.123` as `09:30:00`.
fn plain_number(word: &str) -> String {
    let word = word.replace('/', "-");
    let word = if word.contains(':') { word.split(['.']).next().unwrap_or_default().to_owned() } else { word };
    let ordinal = ["st", "nd", "rd", "th"].iter().find_map(|end| word.strip_suffix(end));
    ordinal.map(str::to_owned).unwrap_or(word)
}

/// A time from the offset that is written on to it.
fn time_and_offset(word: &str) -> (&str, Option<Offset>) {
    if let Some(bare) = word.strip_suffix('z').filter(|bare| bare.ends_with(|c: char| c.is_ascii_digit())) {
        return (bare, Some(Offset::UTC));
    }
    let Some(colon) = word.find(':') else { return (word, None) };
    match word[colon..].find(['+', '-']) {
        Some(at) => match offset(&word[colon + at..]) {
            Some(offset) => (&word[..colon + at], Some(offset)),
            None => (word, None),
        },
        None => (word, None),
    }
}

/// `gmt`, `+0100`, `+01:00`, `utc+1`, `cest`.
fn offset(word: &str) -> Option<Offset> {
    let minutes = |minutes: i32| Offset::from_seconds(minutes * 60).ok();
    if let Some((_, known)) = ZONES.iter().find(|(name, _)| *name == word) {
        return minutes(*known);
    }
    let bare = ["gmt", "utc"].iter().find_map(|prefix| word.strip_prefix(prefix)).unwrap_or(word);
    let (sign, digits) = match bare.split_at_checked(1)? {
        ("+", digits) => (1, digits),
        ("-", digits) => (-1, digits),
        _ => return None,
    };
    let digits = digits.replace(':', "");
    if !(1..=4).contains(&digits.len()) || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let number: i32 = digits.parse().ok()?;
    let (hours, rest) = if digits.len() <= 2 { (number, 0) } else { (number / 100, number % 100) };
    minutes(sign * (hours * 60 + rest))
}

/// The words as one text; an hour of 24 is midnight, and of the next day (ISO 8601), and a leap second
/// is the one before it.
fn midnight(words: &[String]) -> (String, bool) {
    let mut next_day = false;
    let words = words.iter().map(|word| {
        let word = match word.strip_prefix("24:00") {
            Some(rest) => {
                next_day = true;
                format!("00:00{rest}")
            }
            None => word.clone(),
        };
        match word.strip_suffix(":60").filter(|rest| rest.len() == 5) {
            Some(rest) => format!("{rest}:59"),
            None => word,
        }
    });
    let text = words.collect::<Vec<_>>().join(" ");
    (text, next_day)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_as_people_write_them() {
        for (text, expected) in [
            ("Fri, 01 May 2026 09:30:00 +0100", Some("2026-05-01T08:30:00Z")),
            ("2026-05-01T09:30:00+01:00", Some("2026-05-01T08:30:00Z")),
            ("2026-05-01T09:30:00.5Z", Some("2026-05-01T09:30:00.5Z")),
            ("Fri, 01 May 2026 09:30:00 BST", Some("2026-05-01T08:30:00Z")),
            ("Fri, 01 May 2026 09:30 CEST", Some("2026-05-01T07:30:00Z")),
            ("Wrong, 01 May 2026 09:30:00 EDT", Some("2026-05-01T13:30:00Z")),
            ("Fri, 01 May 2026 24:00:00 GMT", Some("2026-05-02T00:00:00Z")),
            ("2026-05-01T24:00Z", Some("2026-05-02T00:00:00Z")),
            ("2026-05-01T23:59:60Z", Some("2026-05-01T23:59:59Z")),
            ("2026-05-01T09:30", Some("2026-05-01T09:30:00Z")),
            ("2026-05-01T09:30+02:00", Some("2026-05-01T07:30:00Z")),
            ("2026-05-01 09:30:00", Some("2026-05-01T09:30:00Z")),
            ("2026-05-01 09:30:00 +0200", Some("2026-05-01T07:30:00Z")),
            ("2026-05-01 09:30", Some("2026-05-01T09:30:00Z")),
            ("2026/05/01 09:30:00", Some("2026-05-01T09:30:00Z")),
            ("20260501T093000Z", Some("2026-05-01T09:30:00Z")),
            ("2026-05-01", Some("2026-05-01T00:00:00Z")),
            ("2026-05", Some("2026-05-01T00:00:00Z")),
            ("2026", Some("2026-01-01T00:00:00Z")),
            ("1 May 2026", Some("2026-05-01T00:00:00Z")),
            ("1st Sept. 2026", Some("2026-09-01T00:00:00Z")),
            ("01 May 26 09:30:00 GMT", Some("2026-05-01T09:30:00Z")),
            ("May 1, 2026 9:30 PM", Some("2026-05-01T21:30:00Z")),
            ("Friday, May 1, 2026 at 9:30 p.m.", Some("2026-05-01T21:30:00Z")),
            ("Fri May  1 09:30:00 2026", Some("2026-05-01T09:30:00Z")),
            ("Fri May 01 09:30:00 UTC 2026", Some("2026-05-01T09:30:00Z")),
            ("Fri May 01 2026 09:30:00 GMT+0100 (British Summer Time)", Some("2026-05-01T08:30:00Z")),
            ("1777627800", Some("2026-05-01T09:30:00Z")),
            ("01.05.2026 09:30", Some("2026-05-01T09:30:00Z")),
            ("13/05/2026", Some("2026-05-13T00:00:00Z")),
            ("01/05/2026", None),
            ("32 May 2026", None),
            ("Fri, 01 May 2026 25:00:00 GMT", None),
            ("soon", None),
            ("", None),
        ] {
            assert_eq!(read(text).map(|moment| moment.at.to_string()).as_deref(), expected, "{text}");
        }
        let standard = |text: &str| read(text).unwrap().is_standard;
        assert!(standard("Fri, 01 May 2026 09:30:00 +0100") && standard("2026-05-01T09:30:00+01:00"));
        assert!(
            standard("2026-05-01")
                && !standard("2026/05/01")
                && !standard("2026-05-01 09:30:00Z")
                && !standard("01 May 2026 09:30:00 BST")
        );
    }
}
