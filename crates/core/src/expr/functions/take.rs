use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const TAKE: Function = Function {
    name: "take",
    group: "Lists",
    summary: "The first items of a list, at most so many.",
    takes: Kind::List,
    gives: gives::same,
    parameters: &[Parameter { name: "most", kind: Kind::Count, optional: false }],
    examples: &[("[1, 2, 3] | take 2", "[1, 2]")],
    lifts: Lifts::Top,
    body: |input, arguments| Ok(Value::List(items(input).iter().take(arguments.count(0)).cloned().collect())),
};
