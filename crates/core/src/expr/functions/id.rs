use super::{Function, Kind, Lifts, gives};
use crate::value::Value;

pub(super) const ID: Function = Function {
    name: "id",
    group: "The hub",
    summary: "The id of the entry that a reference leads to.",
    takes: Kind::Reference,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("curator | id", "\"c-1\"")],
    lifts: Lifts::Deep,
    body: |input, _| Ok(if let Value::Reference(address) = input { address.id.as_str().into() } else { Value::Null }),
};
