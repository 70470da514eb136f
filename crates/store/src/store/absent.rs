//! Entries that their source no longer has.

use super::database::{OptionalRow, params};
use diaporos_core::value::{EntryId, SystemName, TypeName};
use jiff::{SignedDuration, Timestamp};

use super::apart::read_since;
use super::intake::take_for_gone;
use super::row::millis;
use super::seen::Seen;
use super::{SourceType, Store, StoreError};

/// How long a listing may lag behind what was read by itself: what it lacks of that is left to the next.
const LAG: SignedDuration = SignedDuration::from_mins(2);

impl Store {
    /// Takes entries for gone because their source says so, and tells how many were not before.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn take_deleted(&mut self, of: SourceType<'_>, ids: &[EntryId], now: Timestamp) -> Result<u64, StoreError> {
        let (system, kind) = of;
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let mut gone = 0;
        for id in ids {
            let known = transaction
                .prepare_cached("SELECT id FROM entry WHERE type = ?1 AND source_id = ?2 AND state <> 'gone'")?
                .query_row(params![number, id.as_str()], |row| row.get(0))
                .optional()?;
            if let Some(known) = known {
                take_for_gone(&transaction, known, now)?;
                gone += 1;
            }
        }
        if gone > 0 {
            transaction.execute("DELETE FROM page_mark WHERE type = ?1", [number])?;
        }
        transaction.commit()?;
        Ok(gone)
    }

    /// How many entries of a type a listing has not shown.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn missing(&self, (system, kind): (&SystemName, &TypeName), seen: &Seen) -> Result<u64, StoreError> {
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut all = self.connection.prepare_cached("SELECT id FROM entry WHERE type = ?1 AND state <> 'gone'")?;
        let mut rows = all.query([number])?;
        let mut missing = 0;
        while let Some(row) = rows.next()? {
            missing += u64::from(!seen.0.contains(row.get::<_, i64>(0)?.unsigned_abs()));
        }
        Ok(missing)
    }

    /// How many entries of a type are known and not gone.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn known(&self, system: &SystemName, kind: &TypeName) -> Result<u64, StoreError> {
        let mut count = self.connection.prepare_cached(
            "SELECT count(*) FROM entry JOIN entry_type ON entry_type.id = entry.type WHERE system = ?1 AND name = ?2 AND state <> 'gone'",
        )?;
        let count: i64 = count.query_row(params![system.as_str(), kind.as_str()], |row| row.get(0))?;
        Ok(count.unsigned_abs())
    }

    /// Ends a complete listing that began at `started`: what it did not show is gone. Where that
    /// would be more than `most`, nothing is taken for gone, and the count is the error.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn end_listing(
        &mut self,
        of: SourceType<'_>,
        seen: &Seen,
        most: u64,
        (started, now): (Timestamp, Timestamp),
    ) -> Result<Result<u64, u64>, StoreError> {
        let (system, kind) = of;
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let newer = read_since(&transaction, number, started - LAG)?;
        let mut missing = Vec::new();
        {
            let mut all = transaction.prepare_cached("SELECT id FROM entry WHERE type = ?1 AND state <> 'gone'")?;
            let mut rows = all.query([number])?;
            while let Some(row) = rows.next()? {
                let id: i64 = row.get(0)?;
                if !seen.0.contains(id.unsigned_abs()) && !newer.contains(id.unsigned_abs()) {
                    missing.push(id);
                }
            }
        }
        let count = missing.len() as u64;
        if count > most {
            return Ok(Err(count));
        }
        for id in missing {
            take_for_gone(&transaction, id, now)?;
        }
        if count > 0 {
            // A page that comes back as it once was would hide that its entries are back.
            transaction.execute("DELETE FROM page_mark WHERE type = ?1", [number])?;
        } else {
            transaction
                .execute("DELETE FROM page_mark WHERE type = ?1 AND used < ?2", params![number, millis(started)])?;
        }
        transaction.commit()?;
        Ok(Ok(count))
    }
}
