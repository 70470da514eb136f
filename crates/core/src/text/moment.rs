//! Dates and times as they stand in content.

use std::cmp::Ordering;
use std::sync::OnceLock;

use jiff::fmt::{rfc2822, temporal::Pieces};
use jiff::tz::{Offset, TimeZone, TimeZoneDatabase};
use jiff::{Timestamp, ZonedDateTime, civil::Time};

/// The moment in the offset it was written in (RFC 3339, RFC 2822, or a date alone); in UTC where
/// none was.
///
/// # Errors
/// Says that the text is no date.
pub fn read(text: &str) -> Result<ZonedDateTime, String> {
    let moment = || {
        if let Ok(moment) = rfc2822::parse(text.trim()) {
            return Some(moment);
        }
        let pieces = Pieces::parse(text.trim()).ok()?;
        let offset = pieces.to_numeric_offset().unwrap_or(Offset::UTC);
        let local = pieces.date().to_datetime(pieces.time().unwrap_or(Time::midnight()));
        local.to_zoned_datetime(TimeZone::fixed(offset)).ok()
    };
    moment().ok_or_else(|| format!("`{text}` is not a date that can be read"))
}

/// The instant that a text is without doubt: a date and a time with its offset (RFC 3339).
#[must_use]
pub fn instant(text: &str) -> Option<Timestamp> {
    let bytes = text.as_bytes();
    let looks = bytes.len() >= 17 && bytes[4] == b'-' && matches!(bytes[10], b'T' | b't' | b' ') && bytes[13] == b':';
    if looks { text.parse().ok() } else { None }
}

/// The order of two texts: of two instants, whatever offset each is written in, that of time.
#[must_use]
pub fn order(one: &str, other: &str) -> Ordering {
    match (instant(one), instant(other)) {
        (Some(one), Some(other)) => one.cmp(&other),
        _ => one.cmp(other),
    }
}

/// Whether a text is a date without a time.
#[must_use]
pub fn is_date(text: &str) -> bool {
    text.len() == 10 && text.parse::<jiff::civil::Date>().is_ok()
}

/// A zone by its name in the IANA database, as bundled: equal input gives equal output everywhere.
///
/// # Errors
/// Says that there is no such zone.
pub fn zone(name: &str) -> Result<TimeZone, String> {
    static ZONES: OnceLock<TimeZoneDatabase> = OnceLock::new();
    let zones = ZONES.get_or_init(TimeZoneDatabase::bundled);
    zones.get(name).map_err(|_| format!("there is no time zone `{name}`; one is `Europe/London`"))
}

/// A moment as RFC 3339 with its offset; `Z` for UTC.
#[must_use]
pub fn written(moment: &ZonedDateTime) -> String {
    let timestamp: Timestamp = moment.timestamp();
    if moment.offset() == Offset::UTC {
        timestamp.to_string()
    } else {
        timestamp.display_with_offset(moment.offset()).to_string()
    }
}
