//! Slates: whether a set of entries can be launched as a whole, and what stands against it.

mod launch;
mod whereabouts;

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::value::{Address, LaneName};
use diaporos_store::{Slate, SlateAction, SlateEntry, Store, StoreError};
use jiff::Timestamp;

use crate::config::{Config, ConfiguredLane, OWN};
use crate::preview::preview;
use crate::push::{Chosen, PushError};
use crate::refs::{RefEnd, Way, refs};
pub use launch::{Launch, LaunchBy, LaunchError, Launched};
pub use whereabouts::{Whereabouts, whereabouts};

/// What stands against a launch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlateFault {
    /// The lane, where it is of one.
    pub lane: Option<LaneName>,
    /// The entry.
    pub address: Address,
    /// What it is.
    pub message: String,
    /// What to do about it.
    pub way_out: String,
}

/// The lanes that a slate is for, of those that take an entry.
fn lanes_of<'a>(config: &'a Config, slate: &Slate, address: &Address) -> Vec<&'a ConfiguredLane> {
    let takes = |lane: &&ConfiguredLane| {
        let from = &lane.lane.from;
        (&from.system, &from.kind) == (&address.system, &address.kind)
            && (slate.lanes.is_empty() || slate.lanes.contains(&lane.lane.name))
    };
    config.lanes.values().filter(takes).collect()
}

/// What a push of a slate's entries alone is to do, by lane.
#[must_use]
pub fn chosen(config: &Config, slate: &Slate, entries: &[SlateEntry]) -> BTreeMap<LaneName, Chosen> {
    let mut chosen: BTreeMap<LaneName, Chosen> = BTreeMap::new();
    for SlateEntry { address, entry, .. } in entries {
        for lane in lanes_of(config, slate, address) {
            let of_lane = chosen.entry(lane.lane.name.clone()).or_default();
            of_lane.entries.insert(*entry);
            of_lane.slate = Some(slate.name.clone());
        }
    }
    chosen
}

/// The lanes that a launch goes through: those of its entries, and those of lists and outlines to the same systems.
#[must_use]
pub fn lanes(config: &Config, chosen: &BTreeMap<LaneName, Chosen>) -> Vec<LaneName> {
    let systems: BTreeSet<_> =
        chosen.keys().filter_map(|name| config.lanes.get(name)).map(|lane| &lane.lane.to.system).collect();
    let follows = |lane: &&ConfiguredLane| {
        lane.lane.from.system.as_str() == OWN
            && systems.contains(&lane.lane.to.system)
            && !chosen.contains_key(&lane.lane.name)
    };
    let own = config.lanes.values().filter(follows).map(|lane| lane.lane.name.clone());
    chosen.keys().cloned().chain(own).collect()
}

/// What is known to stand against a launch without asking a destination.
///
/// # Errors
/// Where the store fails.
fn faults(
    config: &Config,
    store: &Store,
    (slate, entries): (&Slate, &[SlateEntry]),
    now: Timestamp,
) -> Result<Vec<SlateFault>, PushError> {
    let mut found = Vec::new();
    for of in entries {
        let address = &of.address;
        let mut add = |lane: Option<&LaneName>, message: String, way_out: &str| {
            let (lane, way_out) = (lane.cloned(), way_out.to_owned());
            found.push(SlateFault { lane, address: address.clone(), message, way_out });
        };
        if of.version != of.now {
            let message = format!("it changed since it was added: version {} then, {} now", of.version, of.now);
            add(None, message, "look at it (`changes`), and `slate add` it once more");
        }
        let lanes = lanes_of(config, slate, address);
        if lanes.is_empty() {
            add(None, "no lane of the slate takes it".to_owned(), "name its lane with `slate new --lane`, or drop it");
        }
        for lane in lanes {
            let name = &lane.lane.name;
            if store.taken_off(name, of.entry)?.is_some() && slate.does == SlateAction::Launch {
                let way_out = "`withdraw ADDRESS --from SYSTEM --put-back`, or drop it";
                add(Some(name), "a person keeps it off".to_owned(), way_out);
            } else if let Some(undone) = store.undone(name, of.entry)? {
                let message = format!("it is kept as it was before run {}", undone.run);
                add(Some(name), message, "`undo RUN --release`, or drop it");
            } else if slate.does == SlateAction::Launch && !goes(store, lane, address, now)? {
                let message = "it does not go on the lane".to_owned();
                add(Some(name), message, "`explain ADDRESS` says which condition does not hold");
            }
        }
    }
    Ok(found)
}

fn goes(store: &Store, lane: &ConfiguredLane, address: &Address, now: Timestamp) -> Result<bool, PushError> {
    Ok(preview(store, lane, address, now)?.is_some_and(|plan| plan.goes))
}

/// Entries with those that they refer to, to a depth; each once.
///
/// # Errors
/// Where the store fails.
pub fn with_references(store: &Store, from: &[Address], depth: usize) -> Result<Vec<Address>, StoreError> {
    let mut all: Vec<Address> = from.to_vec();
    for address in from {
        for row in refs(store, address, Way::Forth, depth)? {
            if matches!(row.end, RefEnd::Entry(_) | RefEnd::Again(_)) && !all.contains(&row.address) {
                all.push(row.address);
            }
        }
    }
    Ok(all)
}
