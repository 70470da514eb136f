use super::{Function, Kind, Lifts, gives, text};
use crate::text::moment;
use crate::value::Value;

pub(super) const INSTANT: Function = Function {
    name: "instant",
    group: "Dates and times",
    summary: "A date or time as an instant in UTC (RFC 3339).",
    takes: Kind::Text,
    gives: gives::instant,
    parameters: &[],
    examples: &[("\"Fri, 01 May 2026 09:30:00 +0100\" | instant", "\"2026-05-01T08:30:00Z\"")],
    lifts: Lifts::Deep,
    body: |input, _| Ok(Value::Text(moment::read(text(input))?.timestamp().to_string())),
};
