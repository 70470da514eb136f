use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::text::moment;
use crate::value::Value;
use jiff::Span;

pub(super) const LATER: Function = Function {
    name: "later",
    group: "Dates and times",
    summary: "A date or time moved by a duration (ISO 8601 or `\"3 days\"`); `\"-P1M\"` moves it back. A date stays a date.",
    takes: Kind::Text,
    gives: gives::same,
    parameters: &[Parameter { name: "by", kind: Kind::Text, optional: false }],
    examples: &[
        ("\"2026-01-31\" | later \"P1M\"", "\"2026-02-28\""),
        ("\"2026-05-01T09:30:00Z\" | later \"-90 minutes\"", "\"2026-05-01T08:00:00Z\""),
    ],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let span: Span = arguments
            .text(0)
            .parse()
            .map_err(|_| format!("`{}` is not a duration; one is `P1DT2H`", arguments.text(0)))?;
        let moved = moment::read(text(input))?.checked_add(span).map_err(|_| "the date is out of range".to_owned())?;
        Ok(Value::Text(if moment::is_date(text(input)) { moved.date().to_string() } else { moment::written(&moved) }))
    },
};
