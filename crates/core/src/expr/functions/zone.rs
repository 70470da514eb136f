use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::text::moment;
use crate::value::Value;

pub(super) const ZONE: Function = Function {
    name: "zone",
    group: "Dates and times",
    summary: "A date or time as a clock in that zone shows it (IANA name), with its offset. One without an offset counts as UTC.",
    takes: Kind::Text,
    gives: gives::instant,
    parameters: &[Parameter { name: "zone", kind: Kind::Text, optional: false }],
    examples: &[("\"2026-07-01T09:30:00Z\" | zone \"Europe/London\"", "\"2026-07-01T10:30:00+01:00\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let zone = moment::zone(arguments.text(0))?;
        Ok(Value::Text(moment::written(&moment::read(text(input))?.with_time_zone(zone))))
    },
};
