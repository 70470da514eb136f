use super::{Function, Kind, Parameter, text};
use crate::value::Value;
use jiff::fmt::{rfc2822, strtime, temporal::Pieces};
use jiff::tz::{Offset, TimeZone};
use jiff::{ZonedDateTime, civil::Time};

/// A date or time in another form.
pub(super) const DATE: Function = Function {
    name: "date",
    summary: "A date or time (RFC 3339 or RFC 2822) in another form, `%Y-%m-%d` where none is given; \
              the zone it was written in stays.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[Parameter { name: "form", kind: Kind::Text, optional: true }],
    examples: &[
        ("\"2026-05-01T09:30:00+01:00\" | date", "\"2026-05-01\""),
        ("\"Fri, 01 May 2026 09:30:00 +0100\" | date \"%-d %B %Y, %H:%M\"", "\"1 May 2026, 09:30\""),
    ],
    call: |input, arguments| {
        let moment = read(text(input)).ok_or_else(|| format!("`{}` is not a date that can be read", text(input)))?;
        let form = arguments.first().map_or("%Y-%m-%d", text);
        strtime::format(form, &moment)
            .map(Value::Text)
            .map_err(|error| format!("the form `{form}` cannot be used: {error}"))
    },
};

/// The moment in the offset it was written in; UTC where none was.
fn read(text: &str) -> Option<ZonedDateTime> {
    if let Ok(moment) = rfc2822::parse(text.trim()) {
        return Some(moment);
    }
    let pieces = Pieces::parse(text.trim()).ok()?;
    let offset = pieces.to_numeric_offset().unwrap_or(Offset::UTC);
    let local = pieces.date().to_datetime(pieces.time().unwrap_or(Time::midnight()));
    local.to_zoned_datetime(TimeZone::fixed(offset)).ok()
}
