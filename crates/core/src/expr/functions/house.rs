use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const HOUSE: Function = Function {
    name: "house",
    group: "House style",
    summary: "Text with the terms of a table as the house writes them: whole words, capitals kept, never in tags, links or code.",
    takes: Kind::Text,
    gives: gives::text,
    parameters: &[Parameter { name: "terms", kind: Kind::Terms, optional: false }],
    examples: &[("\"A <b>glass house</b>\" | house terms", "\"A <b>glasshouse</b>\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| Ok(Value::Text(arguments.terms(0)?.put_right(text(input)).0)),
};
