//! Looking: how lanes stand, and which entries there are.

use diaporos_core::plan::State;
use diaporos_core::value::Value;
use diaporos_store::{Counts, EntryFilter, EntryRow, LaneRecord, Store, StoreError};

use crate::config::{Config, ConfiguredLane};

/// A lane as the store keeps it.
#[must_use]
pub fn lane_record(configured: &ConfiguredLane) -> LaneRecord<'_> {
    let lane = &configured.lane;
    LaneRecord { name: &lane.name, from: &lane.from, to: &lane.to, definition: configured.definition }
}

/// How the entries of a lane stand; no counts where the lane is new or delivers otherwise than
/// when it was last pushed, so that all its entries are owed a look.
#[must_use = "the counts are the answer"]
pub fn status<'a>(config: &'a Config, store: &Store) -> Result<Vec<(&'a ConfiguredLane, Option<Counts>)>, StoreError> {
    config.lanes.values().map(|lane| Ok((lane, store.counts(lane_record(lane))?))).collect()
}

/// Makes the store know the configured lanes.
///
/// # Errors
/// Where the store fails.
pub fn register_lanes(config: &Config, store: &mut Store, now: jiff::Timestamp) -> Result<(), StoreError> {
    let records: Vec<LaneRecord<'_>> = config.lanes.values().map(lane_record).collect();
    store.register_lanes(&records, now)
}

/// Which entries are wanted.
#[derive(Debug, Clone, Default)]
pub struct EntryQuery {
    /// Of this system.
    pub system: Option<String>,
    /// Of this type.
    pub kind: Option<String>,
    /// In one of these states; all but those that are gone where empty.
    pub states: Vec<State>,
    /// With this text in a field, in any language, whatever its case.
    pub text: Option<String>,
    /// At most so many.
    pub most: Option<usize>,
}

/// Hands over the wanted entries.
///
/// # Errors
/// Where the store or the receiver fails.
pub fn entries<E: From<StoreError>>(
    store: &Store,
    query: &EntryQuery,
    mut each: impl FnMut(EntryRow) -> Result<(), E>,
) -> Result<(), E> {
    use std::ops::ControlFlow::{Break, Continue};
    let states = match query.states.as_slice() {
        [] => State::WORDS.iter().map(|(_, state)| *state).filter(|state| *state != State::Gone).collect(),
        chosen => chosen.to_vec(),
    };
    let filter = EntryFilter { system: query.system.clone(), kind: query.kind.clone(), states };
    let wanted = query.text.as_ref().map(|text| text.to_lowercase());
    let mut left = query.most.unwrap_or(usize::MAX);
    store.entries(&filter, |row| {
        if left == 0 {
            return Ok(Break(()));
        }
        let holds = |text: &String| {
            row.fields.values().any(|field| has_text(field, text))
                || row.address.to_string().to_lowercase().contains(text)
        };
        if wanted.as_ref().is_none_or(holds) {
            left -= 1;
            each(row)?;
        }
        Ok(Continue(()))
    })
}

fn has_text(value: &Value, wanted: &str) -> bool {
    match value {
        Value::Text(text) => text.to_lowercase().contains(wanted),
        Value::List(items) => items.iter().any(|item| has_text(item, wanted)),
        Value::Record(fields) => fields.values().any(|field| has_text(field, wanted)),
        Value::Localised(by_language) => by_language.values().any(|inner| has_text(inner, wanted)),
        _ => false,
    }
}

/// What an entry is called: its first field that sounds like a title, in the first language.
#[must_use]
pub fn title(fields: &diaporos_core::value::Record) -> Option<&str> {
    let named = ["title", "name", "common_name", "heading", "full_name", "headline", "label"];
    let named = named.iter().filter_map(|name| fields.get(*name));
    named.chain(fields.values()).find_map(first_text)
}

fn first_text(value: &Value) -> Option<&str> {
    match value {
        Value::Text(text) => Some(text),
        Value::Localised(by_language) => {
            let english = by_language.iter().find(|(tag, _)| tag.as_str() == "en").map(|(_, inner)| inner);
            english.or_else(|| by_language.values().next()).and_then(first_text)
        }
        _ => None,
    }
}
