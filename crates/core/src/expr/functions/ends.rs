use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const ENDS: Function = Function {
    name: "ends",
    group: "Text",
    summary: "Whether a text ends with another.",
    takes: Kind::Text,
    gives: gives::boolean,
    parameters: &[Parameter { name: "with", kind: Kind::Text, optional: false }],
    examples: &[("\"fern.jpg\" | ends \".jpg\"", "true")],
    lifts: Lifts::Deep,
    body: |input, arguments| Ok(Value::Boolean(text(input).ends_with(arguments.text(0)))),
};
