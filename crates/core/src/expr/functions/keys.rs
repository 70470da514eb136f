use super::{Function, Kind, Lifts, gives, members};
use crate::value::Value;

pub(super) const KEYS: Function = Function {
    name: "keys",
    group: "Records",
    summary: "The names in a record.",
    takes: Kind::Record,
    gives: gives::texts,
    parameters: &[],
    examples: &[("{ a: 1, b: 2 } | keys", "[\"a\", \"b\"]")],
    lifts: Lifts::Top,
    body: |input, _| Ok(Value::List(members(input).map(|(name, _)| name.as_str().into()).collect())),
};
