//! Model: the types of systems, declared or found from their entries.

use diaporos_core::expr::types::{Kinds, Type};
use diaporos_core::lane::TypeRef;
use diaporos_core::model::{Drift, DriftKind, EntryType, Field, FieldKind, Model, Observer, drift, fit};
use diaporos_core::value::{Record, SystemName, Value};
use diaporos_store::{EntryFilter, Store, StoreError};
use indexmap::IndexMap;

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
    pub end: TypeRef,
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
            let end = TypeRef { system: system.clone(), kind };
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
pub fn declared<'a>(config: &'a Config, end: &TypeRef) -> Option<&'a EntryType> {
    let system = config.systems.get(&end.system)?;
    system.model().get(&end.kind).or_else(|| config.kept.get(end))
}

/// How a kept model differs from what its system says today.
#[derive(Debug, Clone, PartialEq)]
pub struct ModelDrift {
    /// The type.
    pub end: TypeRef,
    /// Where today's fields are known from.
    pub today: Today,
    /// What differs.
    pub drift: Vec<Drift>,
}

/// Where today's fields are known from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Today {
    /// The system described itself.
    Described,
    /// The profile declares them.
    Declared,
    /// Entries that were taken in have them.
    Entries,
    /// Nowhere: the system has no such type any more, or nothing of it was taken in.
    Nowhere,
}

/// Compares every kept model with what its system says today. `described` is what systems that
/// describe themselves said.
///
/// # Errors
/// Where the store fails.
pub fn drifts(
    config: &Config,
    store: &Store,
    described: &IndexMap<SystemName, Model>,
) -> Result<Vec<ModelDrift>, StoreError> {
    let mut all = Vec::new();
    for (end, kept) in &config.kept {
        let said = described.get(&end.system).and_then(|model| model.get(&end.kind));
        let declares = config.systems.get(&end.system).and_then(|system| system.model().get(&end.kind));
        let (today, drift) = match (said, declares) {
            (Some(said), _) => (Today::Described, drift(kept, said)),
            (None, Some(declared)) => (Today::Declared, drift(kept, declared)),
            (None, None) => {
                let observer = observe(store, end)?;
                let shown = observer.entry_type();
                let found = drift(kept, &shown).into_iter().filter(|one| entries_show(one, kept, &shown)).collect();
                if observer.entries() == 0 { (Today::Nowhere, Vec::new()) } else { (Today::Entries, found) }
            }
        };
        all.push(ModelDrift { end: end.clone(), today, drift });
    }
    Ok(all)
}

/// Entries tell that a field is not there, or holds another kind of value; not what is allowed.
fn entries_show(one: &Drift, kept: &EntryType, shown: &EntryType) -> bool {
    match &one.what {
        DriftKind::Vanished | DriftKind::New => true,
        DriftKind::Required | DriftKind::Shorter(..) => false,
        DriftKind::Changed(..) => match (kept.fields.get(&one.field), shown.fields.get(&one.field)) {
            (Some(kept), Some(shown)) => {
                let holds = |field: &Field| Type::of_field(&Field { required: true, ..field.clone() }).kinds;
                let strange = holds(shown).without(holds(kept));
                strange != Kinds::NONE || kept.localised != shown.localised
            }
            _ => true,
        },
    }
}

/// Looks at every entry of a type that is not gone.
///
/// # Errors
/// Where the store fails.
pub fn observe(store: &Store, end: &TypeRef) -> Result<Observer, StoreError> {
    let mut observer = Observer::default();
    each_entry(store, end, |fields| observer.see(fields))?;
    Ok(observer)
}

/// In how many entries of a type each field has a value that its kind does not take: so many would be
/// held where a destination's field is of that kind.
///
/// # Errors
/// Where the store fails.
pub fn misfits(
    store: &Store,
    end: &TypeRef,
    fields: &IndexMap<String, Field>,
) -> Result<IndexMap<String, u64>, StoreError> {
    let mut found = IndexMap::new();
    each_entry(store, end, |values| {
        for (name, value) in values {
            let fits = |field: &Field| languages_of_value(value).all(|plain| fit(field, plain).is_ok());
            let is_reference = |field: &Field| matches!(field.kind, FieldKind::Reference(_));
            if fields.get(name).is_some_and(|field| !is_reference(field) && !fits(field)) {
                *found.entry(name.clone()).or_insert(0) += 1;
            }
        }
    })?;
    Ok(found)
}

/// Looks at the fields of every entry of a type that is not gone.
fn each_entry(store: &Store, end: &TypeRef, mut look: impl FnMut(&Record)) -> Result<(), StoreError> {
    let filter = EntryFilter {
        system: Some(end.system.to_string()),
        kind: Some(end.kind.to_string()),
        ..EntryFilter::default()
    };
    store.entries(&filter, |entry| -> Result<_, StoreError> {
        if entry.row.state != diaporos_core::value::State::Gone {
            look(&entry.row.fields);
        }
        Ok(std::ops::ControlFlow::Continue(()))
    })
}

/// A value, or each of its languages.
fn languages_of_value(value: &Value) -> Box<dyn Iterator<Item = &Value> + '_> {
    match value {
        Value::Localised(by_language) => Box::new(by_language.values()),
        plain => Box::new(std::iter::once(plain)),
    }
}

/// The fields of a type: declared, or else found from its entries.
///
/// # Errors
/// Where the store fails.
pub fn fields(config: &Config, store: &Store, end: &TypeRef) -> Result<(EntryType, Known), StoreError> {
    match declared(config, end) {
        Some(declared) => Ok((declared.clone(), Known::Declared)),
        None => Ok((observe(store, end)?.entry_type(), Known::Inferred)),
    }
}
