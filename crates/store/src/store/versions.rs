//! Versions of entries: where one is kept, and nowhere else.

use super::database::{Connection, params};
use diaporos_core::intake::Incoming;
use diaporos_core::value::{Revision, State};
use jiff::Timestamp;

use super::StoreError;
use super::row::millis;
use super::words::keep_references;

/// A version that is not kept yet.
pub(super) struct NewVersion<'a> {
    /// The entry.
    pub(super) entry: i64,
    /// Its number, from 1.
    pub(super) number: i64,
    /// What it says.
    pub(super) incoming: &'a Incoming,
    /// Its content, packed, and by what.
    pub(super) packed: (Vec<u8>, i64),
}

/// Keeps a version, and what it refers to.
pub(super) fn keep_version(connection: &Connection, new: &NewVersion<'_>, now: Timestamp) -> Result<(), StoreError> {
    let NewVersion { entry, number, incoming, packed: (content, packed_by) } = new;
    let revision = incoming.revision.as_ref().map(Revision::as_str);
    let (state, print) = (incoming.state.word(), incoming.fingerprint.as_bytes());
    connection.prepare_cached("INSERT INTO version VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)")?.execute(params![
        entry,
        number,
        millis(now),
        state,
        revision,
        print,
        content,
        packed_by
    ])?;
    keep_references(connection, *entry, incoming, *number == 1)
}

/// Keeps a version that says that the entry is gone, so that the history shows when it went; its last
/// content stays readable.
pub(super) fn keep_gone(connection: &Connection, entry: i64, now: Timestamp) -> Result<(), StoreError> {
    connection
        .prepare_cached(
            "INSERT INTO version SELECT entry, number + 1, ?2, ?3, version.revision, version.fingerprint, content, packing
             FROM version JOIN entry ON entry.id = version.entry AND entry.version = version.number WHERE entry.id = ?1",
        )?
        .execute(params![entry, millis(now), State::Gone.word()])?;
    Ok(())
}
