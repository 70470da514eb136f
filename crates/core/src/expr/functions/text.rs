use super::{Function, Kind, Lifts, gives};
use crate::value::Value;

pub(super) const TEXT: Function = Function {
    name: "text",
    group: "Text",
    summary: "A number, true, false or a reference as text.",
    takes: Kind::Written,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("160 | text", "\"160\"")],
    lifts: Lifts::Deep,
    body: |input, _| {
        Ok(match input {
            Value::Reference(address) => Value::Text(address.to_string()),
            scalar => Value::Text(super::scalar(scalar).into_owned()),
        })
    },
};
