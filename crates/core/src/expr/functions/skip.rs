use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const SKIP: Function = Function {
    name: "skip",
    group: "Lists",
    summary: "A list without its first items.",
    takes: Kind::List,
    gives: gives::same,
    parameters: &[Parameter { name: "count", kind: Kind::Count, optional: false }],
    examples: &[("[1, 2, 3] | skip 2", "[3]")],
    lifts: Lifts::Top,
    body: |input, arguments| Ok(Value::List(items(input).iter().skip(arguments.count(0)).cloned().collect())),
};
