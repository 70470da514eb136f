//! Which source fields reach which destination fields, and which are lost.

use std::collections::{BTreeMap, BTreeSet};

use super::Lane;
use crate::model::EntryType;

/// What becomes of one source field on a lane.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Coverage {
    /// The source field.
    pub field: String,
    /// The destination fields that it reaches.
    pub reaches: Vec<String>,
    /// Whether a condition or a rule looks at it.
    pub asked: bool,
    /// Whether the type is known to have it.
    pub known: bool,
}

/// What becomes of every field of the lane's source.
#[must_use]
pub fn coverage(lane: &Lane, source: Option<&EntryType>) -> Vec<Coverage> {
    let mut reaches: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for (name, expression) in lane.fields.iter().chain(&lane.defaults) {
        for field in &expression.program.uses.fields {
            let known = reaches.entry(field).or_default();
            if !known.contains(name) {
                known.push(name.clone());
            }
        }
    }
    let rules = lane.require.iter().chain(&lane.protect).map(|rule| &rule.condition);
    let asked: BTreeSet<&String> =
        lane.when.iter().chain(rules).flat_map(|condition| &condition.program.uses.fields).collect();
    let known: Vec<&String> = source.iter().flat_map(|source| source.fields.keys()).collect();
    let unknown = reaches.keys().copied().chain(asked.iter().map(|field| field.as_str()));
    let mut fields: Vec<String> = known.iter().map(|field| (*field).clone()).collect();
    fields.extend(
        unknown.filter(|field| !known.iter().any(|known| known == field)).map(str::to_owned).collect::<BTreeSet<_>>(),
    );
    let of = |field: String| Coverage {
        reaches: reaches.get(field.as_str()).cloned().unwrap_or_default(),
        asked: asked.contains(&field),
        known: known.contains(&&field),
        field,
    };
    fields.into_iter().map(of).collect()
}
