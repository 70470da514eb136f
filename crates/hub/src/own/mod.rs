//! The hub's own entries: lists and outlines, made anew from what is there, and taken in like any entry.

mod lists;
mod outlines;

use std::collections::BTreeSet;
use std::ops::ControlFlow;

use diaporos_core::change::fingerprint_record;
use diaporos_core::expr::{Program, Slots, is_true};
use diaporos_core::intake::Incoming;
use diaporos_core::lane::{FieldExpression, TypeRef};
use diaporos_core::value::{Address, EntryId, Record, State, SystemName, TypeName, Value};
use diaporos_store::{EntryFilter, EntryRow, Moments, Store, StoreError, StoredEntry, TakenAlone};
use jiff::Timestamp;

use crate::config::{Config, OWN, is_of_words};
use crate::look::{Glance, LookError, value_for};

pub use lists::{ListPlace, list_places};
pub use outlines::outline_nodes;

/// What became of the hub's own entries.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct OwnTally {
    /// All that there are.
    pub entries: u64,
    /// Those that are new, changed, and gone.
    pub new: u64,
    /// As above.
    pub changed: u64,
    /// As above.
    pub gone: u64,
    /// What is wrong with a list or an outline, a sentence each. What is wrong with an outline leaves it as it was.
    pub problems: Vec<String>,
}

/// An entry that was made.
struct Made {
    kind: &'static str,
    id: String,
    fields: Record,
}

/// What was made, and the names of those that are left as they were.
#[derive(Default)]
struct AllMade {
    entries: Vec<Made>,
    left: BTreeSet<String>,
    problems: Vec<String>,
}

/// Makes the hub's own entries anew, and takes in what differs; what is no longer configured is gone.
///
/// # Errors
/// Where the store fails.
pub fn make_own(config: &Config, store: &mut Store, now: Timestamp) -> Result<OwnTally, StoreError> {
    let mut tally = OwnTally::default();
    let is_used = |lane: &crate::config::ConfiguredLane| lane.lane.from.system.as_str() == OWN;
    if config.lists.is_empty() && config.outlines.is_empty() && !config.lanes.values().any(is_used) {
        return Ok(tally);
    }
    let mut all = AllMade::default();
    for (name, list) in &config.lists {
        let found = list_places(config, store, (name, list), now)?;
        lists::add((name, list), found, &mut all);
    }
    for (name, outline) in &config.outlines {
        let nodes = outline_nodes(config, store, outline, now)?;
        outlines::add((name, outline), nodes, &mut all);
    }
    let system = SystemName::new(OWN).map_err(|error| StoreError::Content(error.to_string()))?;
    let moments = Moments { asked: now, taken: now };
    let mut made: BTreeSet<Address> = BTreeSet::new();
    for Made { kind, id, fields } in all.entries {
        let kind = TypeName::new(kind).map_err(|error| StoreError::Content(error.to_string()))?;
        let id = EntryId::new(id).map_err(|error| StoreError::Content(error.to_string()))?;
        let address = Address { system: system.clone(), kind: kind.clone(), id: id.clone() };
        let known = store.entry(&address)?;
        made.insert(address);
        tally.entries += 1;
        if known.is_some_and(|known| known.row.fields == fields && known.row.state == State::Live) {
            continue;
        }
        let fingerprint = fingerprint_record(&fields);
        let (part, revision, raw, notes) = (None, None, None, Vec::new());
        let entry = Incoming { id, part, state: State::Live, revision, fields, fingerprint, raw, notes };
        match store.take_in_alone((&system, &kind), &entry, moments)? {
            TakenAlone::New => tally.new += 1,
            TakenAlone::Changed => tally.changed += 1,
            TakenAlone::Unchanged | TakenAlone::Overtaken => {}
        }
    }
    for address in known(store)? {
        let of = address.id.as_str().split('/').next().unwrap_or_default();
        if made.contains(&address) || all.left.contains(of) {
            continue;
        }
        if store.take_for_gone_alone((&system, &address.kind), &address.id, moments)? == TakenAlone::Changed {
            tally.gone += 1;
        }
    }
    tally.problems = all.problems;
    Ok(tally)
}

/// The hub's own entries that are not gone, but for words, which stay.
fn known(store: &Store) -> Result<Vec<Address>, StoreError> {
    let states = State::WORDS.iter().map(|(_, state)| *state).filter(|state| *state != State::Gone).collect();
    let filter = EntryFilter { system: Some(OWN.to_owned()), kind: None, states, text: None };
    let mut known = Vec::new();
    store.entries(&filter, |entry| -> Result<_, StoreError> {
        let address = entry.row.address;
        let is_word = is_of_words(&TypeRef { system: address.system.clone(), kind: address.kind.clone() });
        if !is_word {
            known.push(address);
        }
        Ok(ControlFlow::Continue(()))
    })?;
    Ok(known)
}

/// Entries of a type for which a condition holds.
struct Wanted<'a> {
    of: &'a TypeRef,
    holds: Option<&'a FieldExpression>,
    slots: &'a Slots,
}

/// Those that are wanted, and live. An entry of which it cannot be told is left out, and told.
fn those_wanted(
    glance: Glance<'_>,
    Wanted { of, holds, slots }: &Wanted<'_>,
    problems: &mut Vec<String>,
    mut each: impl FnMut(StoredEntry, &mut Vec<String>) -> Result<(), StoreError>,
) -> Result<(), StoreError> {
    let (system, kind) = (Some(of.system.to_string()), Some(of.kind.to_string()));
    let filter = EntryFilter { system, kind, states: vec![State::Live], text: None };
    glance.store.entries(&filter, |entry| -> Result<_, StoreError> {
        let goes = match holds {
            None => true,
            Some(holds) => match value(&holds.program, slots, &entry.row, glance, problems)? {
                Some(value) => is_true(&value).unwrap_or(false),
                None => false,
            },
        };
        if goes {
            each(entry, problems)?;
        }
        Ok(ControlFlow::Continue(()))
    })
}

/// The value of an expression for an entry; none where it has none, which is told.
fn value(
    program: &Program,
    slots: &Slots,
    row: &EntryRow,
    glance: Glance<'_>,
    problems: &mut Vec<String>,
) -> Result<Option<Value>, StoreError> {
    match value_for(program, slots, row, glance) {
        Ok(value) => Ok(Some(value)),
        Err(LookError::Store(error)) => Err(error),
        Err(error @ LookError::Expression { .. }) => {
            problems.push(error.to_string());
            Ok(None)
        }
    }
}

fn record<const COUNT: usize>(fields: [(&str, Value); COUNT]) -> Record {
    fields.into_iter().map(|(name, value)| (name.to_owned(), value)).collect()
}
