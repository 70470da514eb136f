//! References to entries that are not at the destination.

use std::collections::BTreeSet;

use diaporos_core::value::LaneName;
use diaporos_store::{LaneStanding, Standing, Store};

use super::PushError;
use super::entry_plan::EntryPlan;
use crate::config::ConfiguredLane;

/// What is known of the entries that a plan refers to and that are not there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Missing {
    /// There are none.
    Nothing,
    /// One of them is still to come in this run.
    Coming,
    /// None of them comes; each with why.
    NotGoing(Vec<String>),
}

/// Looks up where the entries stand that a plan asked for in vain. `later` are the lanes that are
/// pushed after this one; `again` says that what failed before is tried in this pass.
pub(super) fn missing(
    store: &Store,
    lane: &ConfiguredLane,
    plan: &EntryPlan,
    later: &[LaneName],
    again: bool,
) -> Result<Missing, PushError> {
    let mut whys = Vec::new();
    let asked: BTreeSet<_> = plan.dependencies.not_there().filter(|address| **address != plan.address).collect();
    for address in asked {
        let is_word = plan.dependencies.words.contains_key(address);
        let mut why = "is not in the hub".to_owned();
        if store.entry(address)?.is_some() {
            "goes on no lane to this destination".clone_into(&mut why);
        }
        for LaneStanding { lane: name, standing, reason, .. } in store.standings(address)? {
            if !lane.siblings.contains(&name) {
                continue;
            }
            let comes = name == lane.lane.name || later.contains(&name);
            match standing {
                Standing::Owed if comes => return Ok(Missing::Coming),
                Standing::Failed if comes && again => return Ok(Missing::Coming),
                // A lane of words that is pushed later tries again what it could not make.
                Standing::Held | Standing::Failed if is_word && later.contains(&name) => return Ok(Missing::Coming),
                Standing::Held | Standing::Failed => {
                    let reason = reason.map_or(String::new(), |reason| format!(": {reason}"));
                    why = format!("is {} on the lane `{name}`{reason}", standing.word());
                }
                Standing::Owed => why = format!("is still owed on the lane `{name}`"),
                Standing::Withdrawn | Standing::Outside => why = format!("does not go on the lane `{name}`"),
                Standing::Delivered => why = format!("has no identifier yet on the lane `{name}`"),
            }
        }
        whys.push(format!("it refers to `{address}`, which {why}"));
    }
    Ok(if whys.is_empty() { Missing::Nothing } else { Missing::NotGoing(whys) })
}
