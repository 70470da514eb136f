//! Taking in entries that are read by themselves.

use super::database::{Connection, OptionalRow, params};
use diaporos_core::intake::Incoming;
use diaporos_core::value::EntryId;
use jiff::Timestamp;

use super::apart::{Moments, note_apart};
use super::intake::{Fate, take_for_gone, take_in_alone};
use super::row::{entry_id, moment};
use super::{SourceType, Store, StoreError};

/// What became of an entry that was read by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TakenAlone {
    /// It was not known.
    New,
    /// It is another than before, or gone.
    Changed,
    /// It is as it was known.
    Unchanged,
    /// A listing changed it after it was asked for; it is to be asked for again.
    Overtaken,
}

/// An entry, and when it last changed.
fn known(connection: &Connection, kind: i64, id: &EntryId) -> Result<Option<(i64, Timestamp)>, StoreError> {
    let mut find = connection.prepare_cached("SELECT id, changed FROM entry WHERE type = ?1 AND source_id = ?2")?;
    let found = find.query_row(params![kind, id.as_str()], |row| Ok((row.get(0)?, row.get::<_, i64>(1)?)));
    found.optional()?.map(|(entry, changed)| Ok((entry, moment(changed)?))).transpose()
}

impl Store {
    /// Takes in an entry that was read by itself.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn take_in_alone(
        &mut self,
        (system, kind): SourceType<'_>,
        entry: &Incoming,
        moments: Moments,
    ) -> Result<TakenAlone, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        if known(&transaction, number, &entry.id)?.is_some_and(|(_, changed)| changed > moments.asked) {
            return Ok(TakenAlone::Overtaken);
        }
        let packing = self.packing.get_mut();
        let taken = take_in_alone(&transaction, packing, (number, entry), moments.taken);
        let (id, fate) = taken.inspect_err(|_| packing.forget())?;
        note_apart(&transaction, number, id, moments.asked)?;
        transaction.commit().inspect_err(|_| packing.forget())?;
        Ok(match fate {
            Fate::New => TakenAlone::New,
            Fate::Changed => TakenAlone::Changed,
            Fate::Unchanged => TakenAlone::Unchanged,
        })
    }

    /// Takes an entry for gone that was asked for by itself and is not there.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn take_for_gone_alone(
        &mut self,
        (system, kind): SourceType<'_>,
        id: &EntryId,
        moments: Moments,
    ) -> Result<TakenAlone, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let Some((entry, changed)) = known(&transaction, number, id)? else { return Ok(TakenAlone::Unchanged) };
        if changed > moments.asked {
            return Ok(TakenAlone::Overtaken);
        }
        let is_gone: bool =
            transaction.query_row("SELECT state = 'gone' FROM entry WHERE id = ?1", [entry], |row| row.get(0))?;
        if is_gone {
            return Ok(TakenAlone::Unchanged);
        }
        take_for_gone(&transaction, entry, moments.taken)?;
        note_apart(&transaction, number, entry, moments.asked)?;
        transaction.commit()?;
        Ok(TakenAlone::Changed)
    }

    /// Whether an entry is known and not gone.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn is_known(&self, (system, kind): SourceType<'_>, id: &EntryId) -> Result<bool, StoreError> {
        let mut find = self.connection.prepare_cached(
            "SELECT EXISTS (SELECT 1 FROM entry JOIN entry_type ON entry_type.id = entry.type
             WHERE system = ?1 AND name = ?2 AND source_id = ?3 AND state <> 'gone')",
        )?;
        Ok(find.query_row(params![system.as_str(), kind.as_str(), id.as_str()], |row| row.get(0))?)
    }

    /// Another entry of a type than one, which is known and not gone: the one that changed last.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn another_entry(&self, (system, kind): SourceType<'_>, than: &EntryId) -> Result<Option<EntryId>, StoreError> {
        let mut find = self.connection.prepare_cached(
            "SELECT source_id FROM entry JOIN entry_type ON entry_type.id = entry.type
             WHERE system = ?1 AND name = ?2 AND source_id <> ?3 AND state <> 'gone' ORDER BY entry.id DESC LIMIT 1",
        )?;
        let found =
            find.query_row(params![system.as_str(), kind.as_str(), than.as_str()], |row| row.get::<_, String>(0));
        found.optional()?.map(entry_id).transpose()
    }
}
