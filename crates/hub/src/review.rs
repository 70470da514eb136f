//! Review: what the entries that are in the store would come to on each lane, today.

use std::collections::BTreeSet;

use diaporos_core::lane::Mapped;
use diaporos_core::model::FieldKind;
use diaporos_core::text::could_act;
use diaporos_core::value::{Address, Value};
use diaporos_store::{EntryFilter, Store, StoreError};
use indexmap::IndexMap;
use jiff::Timestamp;

use crate::config::{Config, ConfiguredLane};
use crate::mapping::map;

/// Entries that would be held for the same field or rule.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Misfits {
    /// The lane.
    pub lane: String,
    /// The destination field, or `require`.
    pub field: String,
    /// How many entries.
    pub entries: u64,
    /// One of them.
    pub example: Address,
    /// What is wrong with that one.
    pub message: String,
    /// Whether they go all the same, and it is only told.
    pub goes: bool,
}

/// Maps every entry of every lane and counts what would be held, by lane and field.
///
/// # Errors
/// Where the store fails.
pub fn misfits(config: &Config, store: &Store, now: Timestamp) -> Result<Vec<Misfits>, StoreError> {
    let mut all = Vec::new();
    for lane in config.lanes.values() {
        all.extend(of_lane(lane, store, now)?);
    }
    Ok(all)
}

fn of_lane(lane: &ConfiguredLane, store: &Store, now: Timestamp) -> Result<Vec<Misfits>, StoreError> {
    let from = &lane.lane.from;
    let filter = EntryFilter {
        system: Some(from.system.to_string()),
        kind: Some(from.kind.to_string()),
        ..EntryFilter::default()
    };
    let mut found: IndexMap<String, Misfits> = IndexMap::new();
    let mut count = |field: &str, address: &Address, message: String, goes: bool| {
        let known = found.entry(format!("{field} {goes}")).or_insert_with(|| Misfits {
            goes,
            lane: lane.lane.name.to_string(),
            field: field.to_owned(),
            entries: 0,
            example: address.clone(),
            message,
        });
        known.entries += 1;
    };
    store.entries(&filter, |entry| -> Result<_, StoreError> {
        let address = entry.row.address.clone();
        let Some(due) = store.look_at(&lane.lane.name, &address)? else {
            return Ok(std::ops::ControlFlow::Continue(()));
        };
        match map(store, lane, &due, now)?.mapped {
            Mapped::Outside => {}
            Mapped::Goes { documents, .. } => {
                let fields = documents.iter().flat_map(|document| &document.fields);
                let acting: BTreeSet<&str> = fields
                    .filter(|(name, value)| !is_cleaned(lane, name) && holds_what_acts(value))
                    .map(|(name, _)| name.as_str())
                    .collect();
                let message = "goes with markup that could act (a script, a frame, an event handler): add `| clean`, or declare the field as `html`";
                acting.into_iter().for_each(|name| count(name, &address, message.to_owned(), true));
            }
            Mapped::Broken(messages) => count("require", &address, messages.join("; "), false),
            Mapped::Faulty(faults) => {
                let mut told: Vec<&str> = Vec::new();
                for fault in &faults {
                    // Several languages of one field are one entry.
                    if !told.contains(&fault.field.as_str()) {
                        told.push(&fault.field);
                        count(&fault.field, &address, fault.message.clone(), false);
                    }
                }
            }
        }
        Ok(std::ops::ControlFlow::Continue(()))
    })?;
    Ok(found.into_values().collect())
}

/// Whether what goes into a field is cleaned, or cannot be markup.
fn is_cleaned(lane: &ConfiguredLane, name: &str) -> bool {
    let kind = lane.target.fields.as_ref().and_then(|known| known.fields.get(name)).map(|field| &field.kind);
    !matches!(kind, None | Some(FieldKind::Anything | FieldKind::Markdown | FieldKind::Record))
}

fn holds_what_acts(value: &Value) -> bool {
    match value {
        Value::Text(text) => could_act(text),
        Value::List(items) => items.iter().any(holds_what_acts),
        Value::Record(members) => members.values().any(holds_what_acts),
        Value::Localised(by_language) => by_language.values().any(holds_what_acts),
        _ => false,
    }
}
