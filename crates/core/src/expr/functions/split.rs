use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const SPLIT: Function = Function {
    name: "split",
    group: "Text",
    summary: "The parts of a text between occurrences of another, without white space at their ends; empty ones are left out.",
    takes: Kind::Text,
    gives: gives::texts,
    parameters: &[Parameter { name: "between", kind: Kind::Text, optional: false }],
    examples: &[("\"fern, moss,, bog\" | split \",\"", "[\"fern\", \"moss\", \"bog\"]")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let parts = match arguments.text(0) {
            "" => vec![text(input)],
            between => text(input).split(between).collect(),
        };
        let parts = parts.into_iter().map(str::trim).filter(|part| !part.is_empty());
        Ok(Value::List(parts.map(Value::from).collect()))
    },
};
