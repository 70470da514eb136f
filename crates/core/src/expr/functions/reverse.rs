use super::{Function, Kind, Lifts, gives, items};
use crate::value::Value;

pub(super) const REVERSE: Function = Function {
    name: "reverse",
    group: "Lists",
    summary: "A list from its end to its start.",
    takes: Kind::List,
    gives: gives::same,
    parameters: &[],
    examples: &[("[1, 2] | reverse", "[2, 1]")],
    lifts: Lifts::Top,
    body: |input, _| Ok(Value::List(items(input).iter().rev().cloned().collect())),
};
