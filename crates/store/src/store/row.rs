//! Columns as values, and values as columns.

use super::database::Row;
use diaporos_core::change::{Divergence, Divergences, Fingerprint};
use diaporos_core::plan::Presence;
use diaporos_core::value::{
    Address, EntryId, Record, Revision, State, SystemName, TypeName, Value, from_stored, stored_text,
};
use jiff::Timestamp;

use super::StoreError;

pub(super) fn millis(moment: Timestamp) -> i64 {
    moment.as_millisecond()
}

pub(super) fn moment(millis: i64) -> Result<Timestamp, StoreError> {
    Timestamp::from_millisecond(millis).map_err(StoreError::content)
}

pub(super) fn state(word: &str) -> Result<State, StoreError> {
    State::from_word(word).ok_or_else(|| StoreError::Content(format!("the state `{word}`")))
}

pub(super) fn revision(text: Option<String>) -> Result<Option<Revision>, StoreError> {
    text.map(Revision::new).transpose().map_err(StoreError::content)
}

pub(super) fn entry_id(text: String) -> Result<EntryId, StoreError> {
    EntryId::new(text).map_err(StoreError::content)
}

pub(super) fn fingerprint(bytes: &[u8]) -> Result<Fingerprint, StoreError> {
    Fingerprint::from_bytes(bytes).map_err(StoreError::content)
}

/// Fingerprints one after the other in a column.
pub(super) fn fingerprints(bytes: Option<&[u8]>) -> Result<Vec<Fingerprint>, StoreError> {
    bytes.unwrap_or_default().chunks(Fingerprint::LENGTH).map(fingerprint).collect()
}

pub(super) fn fingerprints_bytes(prints: &[Fingerprint]) -> Option<Vec<u8>> {
    (!prints.is_empty()).then(|| prints.iter().flat_map(|print| print.as_bytes().iter().copied()).collect())
}

pub(super) fn fields_text(fields: &Record) -> String {
    stored_text(fields)
}

pub(super) fn fields(text: &str) -> Result<Record, StoreError> {
    let json = serde_json::from_str(text).map_err(StoreError::content)?;
    match from_stored(json).map_err(StoreError::content)? {
        Value::Record(fields) => Ok(fields),
        other => Err(StoreError::Content(format!("a {} instead of fields", other.kind_name()))),
    }
}

/// What is apart, as a record by field of records of one member that says in which way.
pub(super) fn divergences_text(read_divergences: &Divergences) -> Option<String> {
    let way = |divergences: &Divergence| {
        let (word, value) = match divergences {
            Divergence::Stored(value) => ("stored", value),
            Divergence::Kept(value) => ("kept", value),
        };
        Value::Record([(word.to_owned(), value.clone())].into_iter().collect())
    };
    let record = read_divergences.iter().map(|(name, divergences)| (name.clone(), way(divergences))).collect();
    (!read_divergences.is_empty()).then(|| fields_text(&record))
}

pub(super) fn read_divergences(text: Option<&str>) -> Result<Divergences, StoreError> {
    let Some(text) = text else { return Ok(Divergences::new()) };
    let one = |(name, value): (String, Value)| {
        let Value::Record(mut way) = value else { return None };
        let stored = way.swap_remove("stored").map(Divergence::Stored);
        Some((name, stored.or_else(|| way.swap_remove("kept").map(Divergence::Kept))?))
    };
    let read: Option<Divergences> = fields(text)?.into_iter().map(one).collect();
    read.ok_or_else(|| StoreError::Content("what is apart of a counterpart".to_owned()))
}

pub(super) fn address(system: String, kind: String, id: String) -> Result<Address, StoreError> {
    Ok(Address {
        system: SystemName::new(system).map_err(StoreError::content)?,
        kind: TypeName::new(kind).map_err(StoreError::content)?,
        id: entry_id(id)?,
    })
}

/// An address from three columns, the first of which is given.
pub(super) fn address_at(row: Row<'_>, first: usize) -> Result<Address, StoreError> {
    address(row.get(first)?, row.get(first + 1)?, row.get(first + 2)?)
}

pub(super) fn presence(word: &str) -> Result<Presence, StoreError> {
    Presence::from_word(word).ok_or_else(|| StoreError::Content(format!("the presence `{word}`")))
}
