//! Numbered, checksummed migrations of a store in a file.

use std::cmp::Ordering;

use diaporos_core::change::fingerprint_texts;
use rusqlite::{Connection, OptionalExtension, TransactionBehavior, params};

use super::StoreError;
use super::leaked::teach;

pub(super) const FIRST: &str = include_str!("../../migrations/0001_first.sql");
const MIGRATIONS: [&str; 25] = [
    FIRST,
    include_str!("../../migrations/0002_content.sql"),
    include_str!("../../migrations/0003_taken_off.sql"),
    include_str!("../../migrations/0004_apart.sql"),
    include_str!("../../migrations/0005_asset.sql"),
    include_str!("../../migrations/0006_batch.sql"),
    include_str!("../../migrations/0007_whole.sql"),
    include_str!("../../migrations/0008_delivery.sql"),
    include_str!("../../migrations/0009_chain.sql"),
    include_str!("../../migrations/0010_document.sql"),
    include_str!("../../migrations/0011_lease.sql"),
    include_str!("../../migrations/0012_hook.sql"),
    include_str!("../../migrations/0013_alert.sql"),
    include_str!("../../migrations/0014_tell.sql"),
    include_str!("../../migrations/0015_occurrence.sql"),
    include_str!("../../migrations/0016_subscription.sql"),
    include_str!("../../migrations/0017_undone.sql"),
    include_str!("../../migrations/0018_slate.sql"),
    include_str!("../../migrations/0019_slate_run.sql"),
    include_str!("../../migrations/0020_list.sql"),
    include_str!("../../migrations/0021_cut.sql"),
    include_str!("../../migrations/0022_touched.sql"),
    include_str!("../../migrations/0023_service.sql"),
    include_str!("../../migrations/0024_near_and_reviewed.sql"),
    include_str!("../../migrations/0025_texts_of_a_batch.sql"),
];

/// Brings the store to this program's version, each migration whole or not at all.
pub(super) fn migrate(connection: &mut Connection) -> Result<(), StoreError> {
    let known = i64::try_from(MIGRATIONS.len()).unwrap_or(i64::MAX);
    let found: i64 = connection.pragma_query_value(None, "user_version", |row| row.get(0))?;
    if found > known {
        return Err(StoreError::Newer { found, known });
    }
    if found < known {
        let leaked = teach(connection)?;
        apply(connection)?;
        leaked.wipe(connection)?;
    }
    verify(connection)
}

/// Whether the store, which cannot be written, is of this program's version.
pub(super) fn is_of_today(connection: &Connection) -> Result<(), StoreError> {
    let known = i64::try_from(MIGRATIONS.len()).unwrap_or(i64::MAX);
    let found: i64 = connection.pragma_query_value(None, "user_version", |row| row.get(0))?;
    match found.cmp(&known) {
        Ordering::Equal => Ok(()),
        Ordering::Greater => Err(StoreError::Newer { found, known }),
        Ordering::Less => Err(StoreError::Older { found, known }),
    }
}

fn apply(connection: &mut Connection) -> Result<(), StoreError> {
    let transaction = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
    transaction.execute_batch(
        "CREATE TABLE IF NOT EXISTS migration (number INTEGER PRIMARY KEY, checksum BLOB NOT NULL) STRICT",
    )?;
    // Asked again within the transaction: another process may have been faster.
    let mut at: i64 = transaction.pragma_query_value(None, "user_version", |row| row.get(0))?;
    for sql in MIGRATIONS.iter().skip(usize::try_from(at).unwrap_or(0)) {
        at += 1;
        transaction.execute_batch(sql)?;
        transaction
            .execute("INSERT INTO migration VALUES (?1, ?2)", params![at, fingerprint_texts([*sql]).as_bytes()])?;
    }
    transaction.pragma_update(None, "user_version", at)?;
    Ok(transaction.commit()?)
}

fn verify(connection: &Connection) -> Result<(), StoreError> {
    for (number, sql) in (1..).zip(MIGRATIONS) {
        let query =
            connection.query_row("SELECT checksum FROM migration WHERE number = ?1", [number], |row| row.get(0));
        let applied: Option<Vec<u8>> = query.optional()?;
        if applied.as_deref() != Some(fingerprint_texts([sql]).as_bytes()) {
            return Err(StoreError::Migration { number });
        }
    }
    Ok(())
}
