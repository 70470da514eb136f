use super::{Function, Kind, Lifts, Parameter, gives};
use crate::value::Value;

pub(super) const COUNTERPART: Function = Function {
    name: "counterpart",
    group: "The hub",
    summary: "What the entry that a reference leads to is called at the lane's destination; null until it is there. With a lane's name, what that lane made of it.",
    takes: Kind::Reference,
    gives: gives::identifier,
    parameters: &[Parameter { name: "lane", kind: Kind::Lane, optional: true }],
    examples: &[("curator | counterpart", "\"row-7\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let Value::Reference(address) = input else { return Ok(Value::Null) };
        arguments.counterpart(address, 0)
    },
};
