//! Entries that a person took off a destination.

use super::database::{OptionalRow, params};
use diaporos_core::value::LaneName;
use jiff::Timestamp;

use super::row::{millis, moment};
use super::{Store, StoreError};

impl Store {
    /// Since when an entry is kept off a lane's destination by hand.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn taken_off(&self, lane: &LaneName, entry: i64) -> Result<Option<Timestamp>, StoreError> {
        let since = self
            .connection
            .prepare_cached("SELECT since FROM taken_off JOIN lane ON lane.id = lane WHERE name = ?1 AND entry = ?2")?
            .query_row(params![lane.as_str(), entry], |row| row.get(0))
            .optional()?;
        since.map(moment).transpose()
    }

    /// Keeps an entry off a lane's destination, or no longer; it is owed a look. Gives whether that
    /// changed anything.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn take_off(&mut self, lane: &LaneName, entry: i64, off: bool, now: Timestamp) -> Result<bool, StoreError> {
        let lane = self.lane_number(lane)?;
        let transaction = self.fence.begin(&mut self.connection)?;
        let changed = if off {
            // Who takes it off comes after the one who had it kept as it was.
            let kept =
                transaction.execute("DELETE FROM undone WHERE lane = ?1 AND entry = ?2", params![lane, entry])?;
            kept + transaction.execute(
                "INSERT INTO taken_off VALUES (?1, ?2, ?3) ON CONFLICT DO NOTHING",
                params![lane, entry, millis(now)],
            )?
        } else {
            transaction.execute("DELETE FROM taken_off WHERE lane = ?1 AND entry = ?2", params![lane, entry])?
        };
        if changed > 0 {
            transaction.execute(
                "INSERT INTO delivery (lane, entry, standing, since) VALUES (?1, ?2, 'owed', ?3)
                 ON CONFLICT (lane, entry) DO UPDATE SET standing = 'owed', reason = NULL, message = NULL, since = excluded.since,
                     touched = delivery.touched + 1",
                params![lane, entry, millis(now)],
            )?;
        }
        transaction.commit()?;
        Ok(changed > 0)
    }
}
