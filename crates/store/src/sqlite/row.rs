//! Columns as values, and values as columns.

use diaporos_core::change::Fingerprint;
use diaporos_core::plan::{Presence, State};
use diaporos_core::value::{Address, EntryId, Record, Revision, SystemName, TypeName, Value, from_stored, stored_text};
use jiff::Timestamp;
use rusqlite::Row;

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

pub(super) fn address(system: String, kind: String, id: String) -> Result<Address, StoreError> {
    Ok(Address {
        system: SystemName::new(system).map_err(StoreError::content)?,
        kind: TypeName::new(kind).map_err(StoreError::content)?,
        id: entry_id(id)?,
    })
}

/// An address from three columns, the first of which is given.
pub(super) fn address_at(row: &Row<'_>, first: usize) -> Result<Address, StoreError> {
    address(row.get(first)?, row.get(first + 1)?, row.get(first + 2)?)
}

pub(super) fn presence(word: &str) -> Result<Presence, StoreError> {
    Presence::from_word(word).ok_or_else(|| StoreError::Content(format!("the presence `{word}`")))
}
