use super::{Function, Kind, Lifts, gives};
use crate::value::Value;

pub(super) const ABSOLUTE: Function = Function {
    name: "absolute",
    group: "Numbers",
    summary: "A number without its sign.",
    takes: Kind::Number,
    gives: gives::same,
    parameters: &[],
    examples: &[("-3 | absolute", "3")],
    lifts: Lifts::Deep,
    body: |input, _| match input {
        Value::Integer(number) => {
            number.checked_abs().map(Value::Integer).ok_or_else(|| "the number is too large".to_owned())
        }
        Value::Number(number) => Ok(Value::Number(number.abs())),
        other => Ok(other.clone()),
    },
};
