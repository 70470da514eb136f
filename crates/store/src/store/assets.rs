//! Files that were delivered, by what is in them.

use super::database::{OptionalRow, params};
use diaporos_core::value::{EntryId, SystemName};
use jiff::Timestamp;

use super::row::{entry_id, millis};
use super::{Store, StoreError};

impl Store {
    /// What a destination calls the file that was last found at an address, where it has it.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn asset_at(&self, system: &SystemName, url: &str) -> Result<Option<EntryId>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT id_there FROM asset_address JOIN asset ON asset.hash = asset_address.hash WHERE url = ?1 AND system = ?2",
        )?;
        let id: Option<String> = query.query_row(params![url, system.as_str()], |row| row.get(0)).optional()?;
        id.map(entry_id).transpose()
    }

    /// What a destination calls a file of that content, where it has it.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn asset_of(&self, system: &SystemName, hash: &str) -> Result<Option<EntryId>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT id_there FROM asset WHERE system = ?1 AND hash = ?2")?;
        let id: Option<String> = query.query_row(params![system.as_str(), hash], |row| row.get(0)).optional()?;
        id.map(entry_id).transpose()
    }

    /// Notes what was found at an address, and what a destination calls it.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_asset(
        &mut self,
        (system, url): (&SystemName, &str),
        hash: &str,
        id: &EntryId,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute(
            "INSERT INTO asset_address VALUES (?1, ?2) ON CONFLICT (url) DO UPDATE SET hash = ?2",
            params![url, hash],
        )?;
        transaction.execute(
            "INSERT INTO asset VALUES (?1, ?2, ?3, ?4) ON CONFLICT (system, hash) DO UPDATE SET id_there = ?3, at = ?4",
            params![system.as_str(), hash, id.as_str(), millis(now)],
        )?;
        Ok(transaction.commit()?)
    }
}
