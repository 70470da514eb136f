use super::{Function, Kind, Lifts, gives, items};
use crate::value::Value;

pub(super) const PRESENT: Function = Function {
    name: "present",
    group: "Lists",
    summary: "A list without its nulls and empty texts.",
    takes: Kind::List,
    gives: gives::present,
    parameters: &[],
    examples: &[("[\"fern\", null, \"\"] | present", "[\"fern\"]")],
    lifts: Lifts::Top,
    body: |input, _| Ok(Value::List(items(input).iter().filter(|item| !item.is_blank()).cloned().collect())),
};
