use super::{Function, Kind, Lifts, gives, items};
use crate::value::Value;

pub(super) const FLATTEN: Function = Function {
    name: "flatten",
    group: "Lists",
    summary: "The items of the lists in a list; items that are no lists stay.",
    takes: Kind::List,
    gives: gives::flattened,
    parameters: &[],
    examples: &[("[[1, 2], 3] | flatten", "[1, 2, 3]")],
    lifts: Lifts::Top,
    body: |input, _| {
        let mut flat = Vec::new();
        for item in items(input) {
            match item {
                Value::List(inner) => flat.extend(inner.iter().cloned()),
                other => flat.push(other.clone()),
            }
        }
        Ok(Value::List(flat))
    },
};
