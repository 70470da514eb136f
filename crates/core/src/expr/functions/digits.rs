use super::{Function, Kind, Lifts, Parameter, gives};
use crate::value::Value;

pub(super) const DIGITS: Function = Function {
    name: "digits",
    group: "Numbers",
    summary: "A number as text with exactly so many places.",
    takes: Kind::Number,
    gives: gives::plain_text,
    parameters: &[Parameter { name: "places", kind: Kind::Count, optional: false }],
    examples: &[("2.5 | digits 2", "\"2.50\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let places = arguments.count(0).min(20);
        Ok(Value::Text(match input {
            Value::Integer(whole) if places == 0 => whole.to_string(),
            Value::Integer(whole) => format!("{whole}.{:0>places$}", ""),
            Value::Number(number) => format!("{number:.places$}"),
            _ => String::new(),
        }))
    },
};
