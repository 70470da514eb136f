//! Numbered, checksummed migrations of a store on a server.

use std::cmp::Ordering;

use diaporos_core::change::fingerprint_texts;

use super::StoreError;
use super::database::{Connection, OptionalRow, Session, params};

const MIGRATIONS: [&str; 4] = [
    include_str!("../../migrations/server/0001_first.sql"),
    include_str!("../../migrations/server/0002_service.sql"),
    include_str!("../../migrations/server/0003_near_and_reviewed.sql"),
    include_str!("../../migrations/server/0004_texts_of_a_batch.sql"),
];

/// Brings the store to this program's version, each migration whole or not at all, and one process at a time. A role
/// that may only read finds it so, or is told.
pub(super) fn migrate(connection: &Connection) -> Result<(), StoreError> {
    let Some(session) = connection.server() else { return Ok(()) };
    let known = i64::try_from(MIGRATIONS.len()).unwrap_or(i64::MAX);
    match version(connection)?.cmp(&known) {
        Ordering::Greater => return Err(StoreError::Newer { found: version(connection)?, known }),
        Ordering::Equal => {}
        Ordering::Less => apply(connection, session).map_err(|error| match error.is_forbidden() {
            true => version(connection).map_or_else(|error| error, |found| StoreError::Older { found, known }),
            false => error,
        })?,
    }
    verify(connection)
}

fn version(connection: &Connection) -> Result<i64, StoreError> {
    let is_there = "SELECT to_regclass('migration') IS NOT NULL";
    if !connection.query_row(is_there, params![], |row| row.get::<_, bool>(0))? {
        return Ok(0);
    }
    Ok(connection.query_row("SELECT coalesce(max(number), 0) FROM migration", params![], |row| row.get(0))?)
}

fn apply(connection: &Connection, session: &Session) -> Result<(), StoreError> {
    session.begin_change()?;
    let applied = apply_all(connection);
    match applied {
        Ok(()) => Ok(session.commit()?),
        Err(error) => {
            session.roll_back();
            Err(error)
        }
    }
}

fn apply_all(connection: &Connection) -> Result<(), StoreError> {
    connection
        .execute_batch("CREATE TABLE IF NOT EXISTS migration (number BIGINT PRIMARY KEY, checksum BYTEA NOT NULL)")?;
    // Asked again within the change: another process may have been faster.
    let mut at: i64 =
        connection.query_row("SELECT coalesce(max(number), 0) FROM migration", params![], |row| row.get(0))?;
    for sql in MIGRATIONS.iter().skip(usize::try_from(at).unwrap_or(0)) {
        at += 1;
        connection.execute_batch(sql)?;
        let checksum = fingerprint_texts([*sql]);
        connection.execute("INSERT INTO migration VALUES (?1, ?2)", params![at, checksum.as_bytes()])?;
    }
    Ok(())
}

fn verify(connection: &Connection) -> Result<(), StoreError> {
    for (number, sql) in (1..).zip(MIGRATIONS) {
        let applied: Option<Vec<u8>> = connection
            .query_row("SELECT checksum FROM migration WHERE number = ?1", [number], |row| row.get(0))
            .optional()?;
        if applied.as_deref() != Some(fingerprint_texts([sql]).as_bytes()) {
            return Err(StoreError::Migration { number });
        }
    }
    Ok(())
}
