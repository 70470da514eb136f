use super::{Function, Kind, Lifts, gives, whole};
use crate::value::Value;

pub(super) const CEILING: Function = Function {
    name: "ceiling",
    group: "Numbers",
    summary: "The whole number above.",
    takes: Kind::Number,
    gives: gives::rounded,
    parameters: &[],
    examples: &[("2.1 | ceiling", "3")],
    lifts: Lifts::Deep,
    body: |input, _| Ok(if let Value::Number(number) = input { whole(number.ceil()) } else { input.clone() }),
};
