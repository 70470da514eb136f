use super::{Function, Kind, Lifts, gives, whole};
use crate::value::Value;

pub(super) const FLOOR: Function = Function {
    name: "floor",
    group: "Numbers",
    summary: "The whole number below.",
    takes: Kind::Number,
    gives: gives::rounded,
    parameters: &[],
    examples: &[("2.7 | floor", "2")],
    lifts: Lifts::Deep,
    body: |input, _| Ok(if let Value::Number(number) = input { whole(number.floor()) } else { input.clone() }),
};
