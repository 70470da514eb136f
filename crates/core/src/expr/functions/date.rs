use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::text::moment;
use crate::value::Value;
use jiff::fmt::strtime;

pub(super) const DATE: Function = Function {
    name: "date",
    group: "Dates and times",
    summary: "A date or time (RFC 3339 or RFC 2822) in another form, `%Y-%m-%d` where none is given; the zone it was written in stays.",
    takes: Kind::Text,
    gives: gives::date,
    parameters: &[Parameter { name: "form", kind: Kind::Text, optional: true }],
    examples: &[
        ("\"2026-05-01T09:30:00+01:00\" | date", "\"2026-05-01\""),
        ("\"Fri, 01 May 2026 09:30:00 +0100\" | date \"%-d %B %Y, %H:%M\"", "\"1 May 2026, 09:30\""),
    ],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let moment = moment::read(text(input))?;
        let form = arguments.text_or(0, "%Y-%m-%d");
        strtime::format(form, &moment)
            .map(Value::Text)
            .map_err(|error| format!("the form `{form}` cannot be used: {error}"))
    },
};
