use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const STARTS: Function = Function {
    name: "starts",
    group: "Text",
    summary: "Whether a text starts with another.",
    takes: Kind::Text,
    gives: gives::boolean,
    parameters: &[Parameter { name: "with", kind: Kind::Text, optional: false }],
    examples: &[("\"OG-14\" | starts \"OG\"", "true")],
    lifts: Lifts::Deep,
    body: |input, arguments| Ok(Value::Boolean(text(input).starts_with(arguments.text(0)))),
};
