use std::collections::HashSet;

use super::{Function, Kind, Lifts, gives, items};
use crate::value::{Value, to_json};

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
        let mut seen = HashSet::new();
        let kept = items(input).iter().filter(|item| seen.insert((item.kind_name(), to_json(item).to_string())));
        Ok(Value::List(kept.cloned().collect()))
    },
};
