//! What a change at a source alters of what lanes deliver.

use std::collections::BTreeSet;

use diaporos_core::lane::Mapped;
use diaporos_core::plan::Document;
use diaporos_store::{ChangeRow, Due, EntryRow, Store, StoreError};
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::mapping::map;

/// What a change alters of what a lane delivers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Impact {
    /// Nothing: what goes is as it was.
    Nothing,
    /// These destination fields.
    Fields(Vec<String>),
    /// The entry goes now, and did not before.
    Comes,
    /// It went before, and does not now.
    Leaves,
    /// It went neither before nor now.
    Outside,
    /// It cannot go: a fault, or a rule that it breaks.
    Held,
}

impl Impact {
    /// The impact in words.
    #[must_use]
    pub fn told(&self) -> String {
        match self {
            Impact::Nothing => "nothing, what it delivers is as it was".to_owned(),
            Impact::Fields(fields) => fields.join(", "),
            Impact::Comes => "goes now".to_owned(),
            Impact::Leaves => "goes no longer".to_owned(),
            Impact::Outside => "does not go".to_owned(),
            Impact::Held => "cannot go".to_owned(),
        }
    }
}

/// Maps both sides of a change on a lane, as everything else is today.
///
/// # Errors
/// Where the store fails.
pub fn impact(
    store: &Store,
    lane: &ConfiguredLane,
    change: &ChangeRow,
    now: Timestamp,
) -> Result<Option<Impact>, StoreError> {
    let end = &lane.lane.from;
    if (&end.system, &end.kind) != (&change.address.system, &change.address.kind) {
        return Ok(None);
    }
    let Some(due) = store.look_at(&lane.lane.name, &change.address)? else { return Ok(None) };
    // A person's wish to keep it off is no change at the source.
    let due = Due { taken_off: false, undone: None, ..due };
    let side = |state, fields: &diaporos_core::value::Record| {
        let entry = EntryRow { state, fields: fields.clone(), changed: change.at, ..due.entry.clone() };
        map(store, lane, &Due { entry, ..due.clone() }, now).map(|mapping| mapping.mapped)
    };
    let after = side(change.state, &change.fields)?;
    let before = match &change.before {
        Some((state, fields)) => side(*state, fields)?,
        None => Mapped::Outside,
    };
    Ok(Some(match (before, after) {
        (Mapped::Outside, Mapped::Outside) => Impact::Outside,
        (_, Mapped::Outside) => Impact::Leaves,
        (_, Mapped::Broken(_) | Mapped::Faulty(_)) => Impact::Held,
        (Mapped::Goes { documents: before, .. }, Mapped::Goes { documents: after, .. }) => altered(&before, &after),
        (_, Mapped::Goes { .. }) => Impact::Comes,
    }))
}

fn altered(before: &[Document], after: &[Document]) -> Impact {
    let mut fields = BTreeSet::new();
    for document in after {
        let old = before.iter().find(|old| old.language == document.language);
        let differs = |name: &&String| old.is_none_or(|old| old.fields.get(*name) != document.fields.get(*name));
        fields.extend(document.fields.keys().filter(differs).cloned());
    }
    let lost = before.iter().filter(|old| !after.iter().any(|new| new.language == old.language));
    fields.extend(lost.flat_map(|old| old.fields.keys().cloned()));
    if fields.is_empty() { Impact::Nothing } else { Impact::Fields(fields.into_iter().collect()) }
}
