//! Moments as they are typed.

use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

use crate::context::Context;
use crate::error::Failure;

/// A moment to come: with its offset, or in a zone, the hub's own where none is named.
pub(super) fn moment_to_come(text: &str, zone: Option<&str>, context: &Context) -> Result<Timestamp, Failure> {
    let zone = match zone {
        None => context.zone.clone(),
        Some(name) => TimeZone::get(name).map_err(|_| {
            Failure::wrong(format!("`{name}` is not a time zone that is known")).advise("as in `Europe/London`")
        })?,
    };
    let at = moment_of(text, &zone)?;
    if at <= Context::now() { Err(Failure::wrong(format!("{text} is past"))) } else { Ok(at) }
}

/// A moment as it was typed: with its offset, or in a zone, where it must be one moment and no other.
fn moment_of(text: &str, zone: &TimeZone) -> Result<Timestamp, Failure> {
    if let Ok(moment) = text.parse::<Timestamp>() {
        return Ok(moment);
    }
    let local: DateTime = text.parse().map_err(|_| {
        Failure::wrong(format!("`{text}` is no moment")).advise("as in `2026-12-01T09:00` or `2026-12-01T09:00:00Z`")
    })?;
    zone.to_ambiguous_timestamp(local).unambiguous().map_err(|_| {
        Failure::wrong(format!("the clock there shows {text} twice, or never"))
            .advise("say it with its offset, as in `2026-10-25T01:30:00+01:00`")
    })
}
