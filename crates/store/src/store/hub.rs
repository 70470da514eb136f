//! What tells a hub from every other, where several machines work on it.

use super::database::{OptionalRow, params};
use super::{Store, StoreError};

impl Store {
    /// The identity of the hub as all its machines know it: the one that was kept first, else this one. A store in a
    /// file is of one machine, which keeps it beside the store.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_identity(&mut self, own: &str) -> Result<String, StoreError> {
        if self.connection.server().is_none() {
            return Ok(own.to_owned());
        }
        let kept = "SELECT identity FROM hub WHERE id = 1";
        if let Some(kept) = self.connection.query_row(kept, params![], |row| row.get(0)).optional()? {
            return Ok(kept);
        }
        let keep =
            "INSERT INTO hub VALUES (1, ?1) ON CONFLICT (id) DO UPDATE SET identity = hub.identity RETURNING identity";
        Ok(self.connection.query_row(keep, [own], |row| row.get(0))?)
    }
}
