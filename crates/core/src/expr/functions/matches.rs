use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const MATCHES: Function = Function {
    name: "matches",
    group: "Text",
    summary: "Whether a pattern (a regular expression) is found in a text.",
    takes: Kind::Text,
    gives: gives::boolean,
    parameters: &[Parameter { name: "pattern", kind: Kind::Pattern, optional: false }],
    examples: &[("\"OG-1417\" | matches \"^OG-\\\\d+$\"", "true")],
    lifts: Lifts::Deep,
    body: |input, arguments| Ok(Value::Boolean(arguments.pattern(0)?.is_match(text(input)))),
};
