//! What an entry becomes on a lane, with what the store knows of it and of others.

mod assets;
mod returned;
mod services;
mod words;

use std::collections::BTreeMap;

use diaporos_core::expr::{Dependencies, Referenced, Subject, World, WorldError};
use diaporos_core::lane::{Mapped, Mapping, map_entry};
use diaporos_core::plan::Document;
use diaporos_core::value::{Address, LaneName, Localised, Record, Value};
use diaporos_store::{CounterpartRow, Due, EntryRow, KeptDocument, Store, StoreError, Undone};
use jiff::Timestamp;

use crate::config::ConfiguredLane;
pub(crate) use assets::referred;
use assets::{name_assets, with_cuts};
use returned::map_returned;
pub(crate) use returned::with_itself;
pub(crate) use services::still_to_ask;
use services::with_given;
pub(crate) use services::{Question, known_of, value as given_value};
use words::word_address;
pub(crate) use words::word_entry;

/// Other entries, as a lane sees them: their counterparts are those at its destination.
pub(crate) struct LaneWorld<'a> {
    pub(crate) store: &'a Store,
    pub(crate) lane: &'a ConfiguredLane,
}

impl World for LaneWorld<'_> {
    fn follow(&self, address: &Address) -> Result<Option<Referenced>, WorldError> {
        let found = self.store.follow(address)?;
        Ok(found.map(|found| {
            let amended = self.lane.amendments.apply(address, Some(&self.lane.lane.name), &found.fields);
            Referenced { fields: amended.into_owned(), ..found }
        }))
    }

    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, WorldError> {
        let called = self.store.called(address, |by| match lane {
            Some(lane) => by == lane.as_str(),
            None => self.lane.siblings.iter().any(|sibling| by == sibling.as_str()),
        });
        called.map_err(|error| WorldError(error.to_string()))
    }

    fn word(&self, word: &str, lane: &LaneName) -> Result<Result<Address, String>, WorldError> {
        match self.lane.words.get(lane) {
            Some(maker) => word_address(self.store, maker, word),
            None => Ok(Err(format!("`{lane}` is not a lane of words"))),
        }
    }
}

/// Maps an entry on a lane.
///
/// # Errors
/// Where the store fails: what cannot be looked up is not absent.
pub(crate) fn map(store: &Store, lane: &ConfiguredLane, due: &Due, now: Timestamp) -> Result<Mapping, StoreError> {
    // Whoever undid a run that took it off came after the one who took it off. What a rule protects is protected
    // from that too.
    if let Some(undone) = &due.undone {
        let protected = map_as_it_is(store, lane, due, now)?.protected;
        return Ok(Mapping { mapped: as_kept(lane, undone), dependencies: Dependencies::default(), protected });
    }
    if due.taken_off {
        return Ok(Mapping { mapped: Mapped::Outside, dependencies: Dependencies::default(), protected: None });
    }
    if let Some(languages) = &lane.returns {
        return map_returned(store, lane, languages, due);
    }
    let mut mapping = map_as_it_is(store, lane, due, now)?;
    name_assets(store, lane, &mut mapping.mapped)?;
    Ok(mapping)
}

/// The documents of an entry that is kept as it was before a run.
fn as_kept(lane: &ConfiguredLane, undone: &Undone) -> Mapped {
    if undone.documents.is_empty() {
        return Mapped::Outside;
    }
    let document = |kept: &KeptDocument| {
        let key = lane.lane.key.as_ref().and_then(|key| kept.fields.get(key)).and_then(Value::scalar_text);
        let key = key.map(std::borrow::Cow::into_owned);
        Document { language: kept.language.clone(), fields: kept.fields.clone(), key }
    };
    Mapped::Goes { documents: undone.documents.iter().map(document).collect(), incomplete: BTreeMap::default() }
}

/// Maps an entry, with the addresses of files as they are.
pub(crate) fn map_as_it_is(
    store: &Store,
    lane: &ConfiguredLane,
    due: &Due,
    now: Timestamp,
) -> Result<Mapping, StoreError> {
    let previous = previous(&due.counterparts);
    let mapping = seen_by((store, lane), due, previous.as_ref(), |subject| {
        map_entry(&lane.lane, &lane.target, subject, &LaneWorld { store, lane }, now)
    })?;
    let mut mapping = mapping?;
    with_cuts(store, lane, due.number, &mut mapping.mapped)?;
    Ok(mapping)
}

/// Hands over an entry as its lane's expressions see it, with what services gave and what people decided; `now` is
/// when it last changed.
///
/// # Errors
/// Where the store fails.
pub(crate) fn seen_by<T>(
    (store, lane): (&Store, &ConfiguredLane),
    due: &Due,
    previous: Option<&Record>,
    then: impl FnOnce(Subject<'_>) -> T,
) -> Result<T, StoreError> {
    let EntryRow { address, state, changed, .. } = &due.entry;
    let fields = with_given(store, lane, &due.entry)?;
    let fields = lane.amendments.apply(address, Some(&lane.lane.name), &fields);
    let values = lane.lane.slots.resolve(&fields);
    Ok(then(Subject { address, state: *state, values: &values, now: *changed, previous }))
}

/// What was last delivered of an entry: a value for each language where there is a document for
/// each.
pub(crate) fn previous(counterparts: &[CounterpartRow]) -> Option<Record> {
    let mut whole = Record::default();
    for row in counterparts {
        let Some(language) = &row.language else { return Some(row.counterpart.fields.clone()) };
        for (name, value) in &row.counterpart.fields {
            let known = whole.entry(name.clone()).or_insert_with(|| Value::Localised(Localised::new()));
            if let (Value::Localised(by_language), false) = (known, value.is_null()) {
                by_language.insert(language.clone(), value.clone());
            }
        }
    }
    (!counterparts.is_empty()).then_some(whole)
}
