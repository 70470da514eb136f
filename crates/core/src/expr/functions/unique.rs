use super::{Function, Kind, items};
use crate::value::Value;

/// A list without repeated items.
pub(super) const UNIQUE: Function = Function {
    name: "unique",
    summary: "A list without the items that stand in it before.",
    takes: Kind::List,
    gives: Kind::List,
    parameters: &[],
    examples: &[("[\"fern\", \"moss\", \"fern\"] | unique", "[\"fern\", \"moss\"]")],
    call: |input, _| {
        let mut seen = std::collections::BTreeSet::new();
        let first = |item: &&Value| seen.insert(crate::change::fingerprint(item));
        Ok(Value::List(items(input).iter().filter(first).cloned().collect()))
    },
};
