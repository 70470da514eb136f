use super::{Function, Kind, Lifts, gives, items};
use crate::value::Value;

pub(super) const UNIQUE: Function = Function {
    name: "unique",
    group: "Lists",
    summary: "A list without the items that stand in it before.",
    takes: Kind::List,
    gives: gives::same,
    parameters: &[],
    examples: &[("[\"fern\", \"moss\", \"fern\"] | unique", "[\"fern\", \"moss\"]")],
    lifts: Lifts::Deep,
    body: |input, _| {
        let mut kept: Vec<Value> = Vec::new();
        for item in items(input) {
            if !kept.contains(item) {
                kept.push(item.clone());
            }
        }
        Ok(Value::List(kept))
    },
};
