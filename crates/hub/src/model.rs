//! Model: the types of systems, declared or found from their entries.

use diaporos_core::lane::LaneEnd;
use diaporos_core::model::{EntryType, Observer};
use diaporos_store::{EntryFilter, Store, StoreError};

use crate::config::Config;

/// Where a type's fields are known from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Known {
    /// The profile, or the kind of system, declares them.
    Declared,
    /// Entries were taken in that have them.
    Inferred,
}

/// A type of a system.
#[derive(Debug, Clone, PartialEq)]
pub struct TypeRow {
    /// The system and the type.
    pub end: LaneEnd,
    /// How many entries were taken in and are not gone.
    pub entries: u64,
    /// How many fields are declared; none where the type is not.
    pub declared: Option<usize>,
    /// Whether it can be read, and written.
    pub reads: bool,
    /// Whether it can be written.
    pub writes: bool,
}

/// Every type of every system.
///
/// # Errors
/// Where the store fails.
pub fn types(config: &Config, store: &Store) -> Result<Vec<TypeRow>, StoreError> {
    let counts = store.types()?;
    let mut rows = Vec::new();
    for (system, known) in &config.systems {
        let kinds: Vec<_> = match known.profile() {
            None => known.model().types.keys().cloned().collect(),
            Some(profile) => profile.type_names().cloned().collect(),
        };
        for kind in kinds {
            let count = counts.iter().find(|(name, of, _)| name == system.as_str() && of == kind.as_str());
            let end = LaneEnd { system: system.clone(), kind };
            let (reads, writes) =
                known.profile().map_or((true, false), |profile| (profile.reads(&end.kind), profile.writes(&end.kind)));
            let declared = declared(config, &end).map(|declared| declared.fields.len());
            rows.push(TypeRow { entries: count.map_or(0, |(_, _, count)| *count), declared, reads, writes, end });
        }
    }
    Ok(rows)
}

/// The fields of a type as they are declared.
#[must_use]
pub fn declared<'a>(config: &'a Config, end: &LaneEnd) -> Option<&'a EntryType> {
    let system = config.systems.get(&end.system)?;
    system.model().get(&end.kind)
}

/// Looks at every entry of a type that is not gone.
///
/// # Errors
/// Where the store fails.
pub fn observe(store: &Store, end: &LaneEnd) -> Result<Observer, StoreError> {
    let mut observer = Observer::default();
    let filter = EntryFilter {
        system: Some(end.system.to_string()),
        kind: Some(end.kind.to_string()),
        ..EntryFilter::default()
    };
    store.entries(&filter, |entry| -> Result<_, StoreError> {
        if entry.row.state != diaporos_core::plan::State::Gone {
            observer.see(&entry.row.fields);
        }
        Ok(std::ops::ControlFlow::Continue(()))
    })?;
    Ok(observer)
}

/// The fields of a type: declared, or else found from its entries.
///
/// # Errors
/// Where the store fails.
pub fn fields(config: &Config, store: &Store, end: &LaneEnd) -> Result<(EntryType, Known), StoreError> {
    match declared(config, end) {
        Some(declared) => Ok((declared.clone(), Known::Declared)),
        None => Ok((observe(store, end)?.entry_type(), Known::Inferred)),
    }
}
