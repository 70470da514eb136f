//! Whether the store is whole.

use super::{Store, StoreError};

/// The most faults that are told.
const TOLD: u32 = 20;

impl Store {
    /// Holds every page and row of the file against each other. Gives what is wrong, the first few.
    ///
    /// # Errors
    /// Where the file cannot be read at all.
    pub fn inspect(&self) -> Result<Vec<String>, StoreError> {
        let mut faults = Vec::new();
        // A server looks after its own files; what rows lead to it never lets go.
        let Some(file) = self.connection.file() else { return Ok(faults) };
        let mut query = file.prepare(&format!("PRAGMA integrity_check({TOLD})"))?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()? {
            let said: String = row.get(0)?;
            if said != "ok" {
                faults.push(said);
            }
        }
        let mut query = file.prepare("PRAGMA foreign_key_check")?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()?
            && faults.len() < TOLD as usize
        {
            let (table, target): (String, String) = (row.get(0)?, row.get(2)?);
            faults.push(format!("a row of `{table}` leads to none of `{target}`"));
        }
        Ok(faults)
    }
}
