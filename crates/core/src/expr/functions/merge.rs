use super::{Function, Kind, Lifts, Parameter, gives, members};
use crate::value::Value;

pub(super) const MERGE: Function = Function {
    name: "merge",
    group: "Records",
    summary: "A record with the members of another, which win.",
    takes: Kind::Record,
    gives: gives::record,
    parameters: &[Parameter { name: "with", kind: Kind::Record, optional: false }],
    examples: &[("{ a: 1, b: 2 } | merge { b: 3 }", "{ a: 1, b: 3 }")],
    lifts: Lifts::Top,
    body: |input, arguments| {
        let mut merged: crate::value::Record =
            members(input).map(|(name, value)| (name.clone(), value.clone())).collect();
        merged.extend(
            arguments.value(0).into_iter().flat_map(members).map(|(name, value)| (name.clone(), value.clone())),
        );
        Ok(Value::Record(merged))
    },
};
