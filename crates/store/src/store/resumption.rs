//! How far pulls have come: the newest change, and where a broken-off listing goes on.

use super::database::{OptionalRow, params};
use diaporos_core::change::Fingerprint;
use diaporos_core::value::{SystemName, TypeName};
use jiff::Timestamp;

use super::apart::forget_before;
use super::row::{millis, moment};
use super::{Seen, SourceType, Store, StoreError};

/// Where a listing that was broken off goes on.
#[derive(Debug, Clone)]
pub struct Resumption {
    /// What leads to its next page.
    pub cursor: String,
    /// What it has shown.
    pub seen: Seen,
}

impl Store {
    /// The newest change that the source of a type told of.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn newest(&self, (system, kind): (&SystemName, &TypeName)) -> Result<Option<String>, StoreError> {
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut find = self.connection.prepare_cached("SELECT newest FROM pull_state WHERE type = ?1")?;
        Ok(find.query_row([number], |row| row.get(0)).optional()?.flatten())
    }

    /// When all entries of a type were last listed, from the first page to the last.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn listed_whole(&self, (system, kind): (&SystemName, &TypeName)) -> Result<Option<Timestamp>, StoreError> {
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut find = self.connection.prepare_cached("SELECT whole_at FROM pull_state WHERE type = ?1")?;
        let at: Option<i64> = find.query_row([number], |row| row.get(0)).optional()?.flatten();
        at.map(moment).transpose()
    }

    /// Where a listing that was broken off no earlier than `since` goes on; none where it was read
    /// in another way.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn resumption(
        &self,
        of: SourceType<'_>,
        reading: Fingerprint,
        since: Timestamp,
    ) -> Result<Option<Resumption>, StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut find = self.connection.prepare_cached(
            "SELECT cursor, seen FROM pull_state WHERE type = ?1 AND reading = ?2 AND began >= ?3 AND cursor IS NOT NULL",
        )?;
        let row = find.query_row(params![number, reading.to_string(), since.as_millisecond()], |row| {
            Ok((row.get::<_, String>(0)?, row.get::<_, Vec<u8>>(1)?))
        });
        let Some((cursor, seen)) = row.optional()? else { return Ok(None) };
        Ok(Some(Resumption { cursor, seen: Seen::from_bytes(&seen)? }))
    }

    /// Notes where a listing goes on, should it be broken off.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_resumption(
        &mut self,
        of: SourceType<'_>,
        reading: Fingerprint,
        cursor: &str,
        seen: &Seen,
        began: Timestamp,
    ) -> Result<(), StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        self.connection
            .prepare_cached(
                "INSERT INTO pull_state (type, cursor, reading, seen, began) VALUES (?1, ?2, ?3, ?4, ?5)
                 ON CONFLICT (type) DO UPDATE SET cursor = ?2, reading = ?3, seen = ?4, began = ?5",
            )?
            .execute(params![number, cursor, reading.to_string(), seen.bytes()?, began.as_millisecond()])?;
        Ok(())
    }

    /// Notes that a listing came to its end.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forget_resumption(&mut self, (system, kind): (&SystemName, &TypeName)) -> Result<(), StoreError> {
        let number = Self::type_number(&self.connection, system, kind)?;
        self.connection
            .prepare_cached(
                "UPDATE pull_state SET cursor = NULL, reading = NULL, seen = NULL, began = NULL WHERE type = ?1",
            )?
            .execute([number])?;
        Ok(())
    }

    /// Ends a pull of a type: its listing came to its end, and told of changes up to `newest`; where it
    /// was one of everything, `whole` is when it began.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn end_pull(
        &mut self,
        of: SourceType<'_>,
        newest: Option<&str>,
        whole: Option<Timestamp>,
    ) -> Result<(), StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        self.connection
            .prepare_cached(
                "INSERT INTO pull_state (type, newest, whole_at) VALUES (?1, ?2, ?3)
                 ON CONFLICT (type) DO UPDATE SET newest = coalesce(?2, pull_state.newest),
                     whole_at = coalesce(?3, pull_state.whole_at)",
            )?
            .execute(params![number, newest, whole.map(millis)])?;
        whole.map_or(Ok(()), |began| forget_before(&self.connection, number, began))
    }
}
