use super::{Function, Kind, Lifts, gives, members};
use crate::value::Value;

pub(super) const VALUES: Function = Function {
    name: "values",
    group: "Records",
    summary: "The values in a record.",
    takes: Kind::Record,
    gives: gives::list,
    parameters: &[],
    examples: &[("{ a: 1, b: 2 } | values", "[1, 2]")],
    lifts: Lifts::Top,
    body: |input, _| Ok(Value::List(members(input).map(|(_, value)| value.clone()).collect())),
};
