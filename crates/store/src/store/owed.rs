//! Who owes a changed entry a look.

use super::database::{Connection, params};
use diaporos_core::value::LaneName;
use jiff::Timestamp;

use super::row::{millis, moment};
use super::{Store, StoreError};

/// Every lane from the entries' type owes them a look, and so does every entry that read one of them; each is given by
/// its number and what its source calls it.
pub(super) fn mark_owed(
    connection: &Connection,
    kind: i64,
    entries: &[(i64, &str)],
    now: Timestamp,
) -> Result<(), StoreError> {
    if entries.is_empty() {
        return Ok(());
    }
    let (numbers, ids): (Vec<i64>, Vec<&str>) = entries.iter().copied().unzip();
    let numbers = serde_json::to_string(&numbers).map_err(StoreError::content)?;
    let ids = serde_json::to_string(&ids).map_err(StoreError::content)?;
    // One statement for all: of each, the database notes how to take it back.
    connection
        .prepare_cached(
            "INSERT INTO delivery (lane, entry, standing, since) SELECT lane.id, CAST(value AS BIGINT), 'owed', CAST(?3 AS BIGINT) FROM lane, json_each(?2) WHERE from_type = ?1
             ON CONFLICT (lane, entry) DO UPDATE SET standing = 'owed', reason = NULL, message = NULL,
                 since = CASE WHEN delivery.standing = 'owed' THEN delivery.since ELSE excluded.since END,
                 touched = delivery.touched + 1",
        )?
        .execute(params![kind, numbers, millis(now)])?;
    connection
        .prepare_cached(
            "UPDATE delivery SET standing = 'owed', reason = NULL, message = NULL, since = CASE WHEN standing = 'owed' THEN since ELSE ?3 END, touched = touched + 1
             WHERE (lane, entry) IN (SELECT lane, entry FROM reading WHERE type = ?1 AND source_id IN (SELECT value FROM json_each(?2)))",
        )?
        .execute(params![kind, ids, millis(now)])?;
    Ok(())
}

impl Store {
    /// Since when the entry of a lane is owed a look that waits longest.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn oldest_owed(&self, lane: &LaneName) -> Result<Option<Timestamp>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT min(since) FROM delivery WHERE lane = (SELECT id FROM lane WHERE name = ?1) AND standing = 'owed'",
        )?;
        let oldest: Option<i64> = query.query_row([lane.as_str()], |row| row.get(0))?;
        oldest.map(moment).transpose()
    }
}

/// Entries that read this one see another counterpart now. Whoever pushes the lane looks, for each entry that
/// is under way, whether what it read is still so; of another lane's entries the store sees to it.
pub(super) fn owe_readers(connection: &Connection, lane: i64, entries: &[i64]) -> Result<(), StoreError> {
    if entries.is_empty() {
        return Ok(());
    }
    connection
        .prepare_cached(
            "UPDATE delivery SET standing = 'owed', touched = touched + CASE WHEN lane <> ?1 THEN 1 ELSE 0 END
             WHERE (standing <> 'owed' OR lane <> ?1) AND (lane, entry) IN (
                 SELECT lane, reading.entry FROM reading JOIN entry ON entry.type = reading.type AND entry.source_id = reading.source_id
                 WHERE entry.id IN (SELECT CAST(value AS BIGINT) FROM json_each(?2)))",
        )?
        .execute_soon(params![lane, serde_json::to_string(entries).map_err(StoreError::content)?])?;
    Ok(())
}
