//! How fast, and how many at once, a system is asked by all processes together.

use std::time::Duration;

use diaporos_core::value::SystemName;

use super::database::params;
use super::{Store, StoreError};

/// The server's time in microseconds.
const NOW: &str = "CAST(extract(epoch FROM clock_timestamp()) * 1000000 AS BIGINT)";
/// How long a process keeps its places that does not say that it is still there.
const LASTS: i64 = 10_000_000;

fn signed(number: impl TryInto<i64>) -> i64 {
    number.try_into().unwrap_or(i64::MAX)
}

impl Store {
    /// Reserves so many turns with a system, one `between` after the other; gives how long it is till the first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn reserve_turns(&mut self, system: &SystemName, many: u32, between: Duration) -> Result<Duration, StoreError> {
        let wait: i64 = self.connection.query_row(
            &format!(
                "INSERT INTO meter VALUES (?1, {NOW} + CAST(?2 AS BIGINT)) ON CONFLICT (system) DO UPDATE SET
                     next = greatest(meter.next, {NOW}) + CAST(?2 AS BIGINT) RETURNING next - CAST(?2 AS BIGINT) - {NOW}"
            ),
            params![system.as_str(), signed((between * many).as_micros())],
            |row| row.get(0),
        )?;
        Ok(Duration::from_micros(u64::try_from(wait).unwrap_or(0)))
    }

    /// Shares the requests that are under way at once with a system. A process that has `held` of them and does not need
    /// `idle` of those now gets its fair part, as far as others let go of theirs.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn share_places(
        &mut self,
        system: &SystemName,
        process: &str,
        limit: usize,
        (held, idle): (usize, usize),
    ) -> Result<usize, StoreError> {
        let transaction = self.connection.begin()?;
        let (others, taken, now): (i64, i64, i64) = transaction.query_row(
            &format!(
                "SELECT count(*), CAST(coalesce(sum(places), 0) AS BIGINT), {NOW} FROM place
                 WHERE system = ?1 AND process <> ?2 AND ends > {NOW}"
            ),
            params![system.as_str(), process],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)),
        )?;
        let (limit, held, idle) = (signed(limit), signed(held), signed(idle));
        let fair = (limit / (others + 1)).max(1);
        let places = match fair < held {
            true => fair.max(held - idle),
            false => fair.min(limit - taken).max(held),
        };
        transaction.execute("DELETE FROM place WHERE system = ?1 AND ends <= ?2", params![system.as_str(), now])?;
        transaction.execute(
            "INSERT INTO place VALUES (?1, ?2, ?3, ?4)
             ON CONFLICT (system, process) DO UPDATE SET places = excluded.places, ends = excluded.ends",
            params![system.as_str(), process, places, now + LASTS],
        )?;
        transaction.commit()?;
        Ok(usize::try_from(places).unwrap_or(0))
    }

    /// Gives back everything that a process has.
    ///
    /// # Errors
    /// Where the store fails; what it has ends by itself then.
    pub fn give_back_places(&mut self, process: &str) -> Result<(), StoreError> {
        self.connection.execute("DELETE FROM place WHERE process LIKE ?1 || '/%'", [process])?;
        Ok(())
    }
}
