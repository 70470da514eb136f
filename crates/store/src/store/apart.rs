//! Which entries were read by themselves, beside the listings that show them too. What was asked for later counts.

use super::database::{Connection, params};
use jiff::Timestamp;
use roaring::RoaringTreemap;

use super::StoreError;
use super::row::millis;

/// When a page or an entry was asked for, and when it is taken in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Moments {
    /// When it was asked for.
    pub asked: Timestamp,
    /// When it is taken in.
    pub taken: Timestamp,
}

/// The entries of a type that were read by themselves since a moment.
pub(super) fn read_since(connection: &Connection, kind: i64, since: Timestamp) -> Result<RoaringTreemap, StoreError> {
    let mut find = connection.prepare_cached("SELECT entry FROM read_apart WHERE type = ?1 AND at >= ?2")?;
    let mut rows = find.query(params![kind, millis(since)])?;
    let mut entries = RoaringTreemap::new();
    while let Some(row) = rows.next()? {
        entries.insert(row.get::<_, i64>(0)?.unsigned_abs());
    }
    Ok(entries)
}

/// Forgets what was read by itself before a whole listing began that showed everything again.
pub(super) fn forget_before(connection: &Connection, kind: i64, began: Timestamp) -> Result<(), StoreError> {
    connection
        .prepare_cached("DELETE FROM read_apart WHERE type = ?1 AND at < ?2")?
        .execute(params![kind, millis(began)])?;
    Ok(())
}

/// Notes that an entry was read by itself.
pub(super) fn note_apart(connection: &Connection, kind: i64, entry: i64, asked: Timestamp) -> Result<(), StoreError> {
    connection
        .prepare_cached(
            "INSERT INTO read_apart VALUES (?1, ?2, ?3) ON CONFLICT (type, entry) DO UPDATE SET
                 at = CASE WHEN read_apart.at < ?3 THEN ?3 ELSE read_apart.at END",
        )?
        .execute(params![kind, entry, millis(asked)])?;
    Ok(())
}
