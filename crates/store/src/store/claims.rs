//! Entries that several processes push at once, each its own: whoever works on a lane claims a window of entries, and
//! lets go of each with what became of it. A process that leads opens the lane to others, which help it.

use diaporos_core::change::fingerprint_texts;
use diaporos_core::value::{LaneName, LanguageTag};
use jiff::Timestamp;

use super::database::{OptionalRow, params};
use super::leases::lease_time;
use super::process::lives;
use super::{Due, DueFilter, Leased, Store, StoreError};

/// A claim of a process that holds any lease still.
const LIVES: &str = "EXISTS (SELECT 1 FROM lease WHERE lease.process = claim.process AND lease.ends > ?2)";

impl Store {
    /// Whether several processes may push a lane at once, and this is one of them.
    #[must_use]
    pub fn shares(&self, lane: &LaneName) -> bool {
        self.connection.server().is_some() && self.claimant(lane).is_some()
    }

    /// The process that pushes a lane by this store.
    pub(super) fn claimant(&self, lane: &LaneName) -> Option<String> {
        let (lead, hand) = (Leased::Lane(lane.clone()).to_string(), format!("{} ", Leased::hand(lane, "")));
        self.fence.process_with(|what| what == lead || what.starts_with(hand.trim_end()))
    }

    /// Lets other processes help with a lane that this one pushes, till it is closed or this one is gone.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn open_lane(&mut self, lane: &LaneName) -> Result<(), StoreError> {
        self.surely(|store| store.open_lane_once(lane))
    }

    fn open_lane_once(&mut self, lane: &LaneName) -> Result<(), StoreError> {
        let (own, open) = (Leased::Lane(lane.clone()).to_string(), Leased::Open(lane.clone()).to_string());
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute("DELETE FROM lease WHERE what = ?1", [&open])?;
        transaction.execute(
            "INSERT INTO lease SELECT CAST(?2 AS TEXT), process, who, doing, since, ends FROM lease WHERE what = ?1",
            [&own, &open],
        )?;
        Ok(transaction.commit()?)
    }

    /// Lets nobody begin to help any more.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn close_lane(&mut self, lane: &LaneName) -> Result<(), StoreError> {
        self.surely(|store| store.close_lane_once(lane))
    }

    fn close_lane_once(&mut self, lane: &LaneName) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute("DELETE FROM lease WHERE what = ?1", [Leased::Open(lane.clone()).to_string()])?;
        Ok(transaction.commit()?)
    }

    /// Whether another process pushes the lane and lets others help.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn is_open(&self, lane: &LaneName, now: Timestamp) -> Result<bool, StoreError> {
        let time = lease_time(&self.connection, now)?;
        let found = self
            .connection
            .prepare_cached("SELECT process FROM lease WHERE what = ?1 AND ends > ?2")?
            .query_row(params![Leased::Open(lane.clone()).to_string(), time], |row| row.get::<_, String>(0))
            .optional()?;
        Ok(found.is_some_and(|process| lives(&self.place, &process)))
    }

    /// The entries of a lane that other processes which live work on.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn claimed_by_others(&mut self, lane: &LaneName, now: Timestamp) -> Result<u64, StoreError> {
        self.surely(|store| store.claimed_by_others_once(lane, now))
    }

    fn claimed_by_others_once(&mut self, lane: &LaneName, now: Timestamp) -> Result<u64, StoreError> {
        let own = self.claimant(lane).unwrap_or_default();
        self.forget_the_dead(lane, &own)?;
        let time = lease_time(&self.connection, now)?;
        let count: i64 = self
            .connection
            .prepare_cached(&format!("SELECT count(*) FROM claim WHERE lane = ?1 AND process <> ?3 AND {LIVES}"))?
            .query_row(params![self.lane_number(lane)?, time, own], |row| row.get(0))?;
        Ok(count.unsigned_abs())
    }

    /// Claims of processes of this machine that are gone count no more.
    fn forget_the_dead(&mut self, lane: &LaneName, own: &str) -> Result<(), StoreError> {
        let number = self.lane_number(lane)?;
        let claimants: Vec<String> = self
            .connection
            .prepare_cached("SELECT DISTINCT process FROM claim WHERE lane = ?1 AND process <> ?2")?
            .query_all(params![number, own], |row| row.get(0))?;
        for dead in claimants.iter().filter(|process| !lives(&self.place, process)) {
            let transaction = self.fence.begin(&mut self.connection)?;
            transaction.execute("DELETE FROM claim WHERE lane = ?1 AND process = ?2", params![number, dead])?;
            transaction.execute("DELETE FROM claimed_key WHERE lane = ?1 AND process = ?2", params![number, dead])?;
            transaction.commit()?;
        }
        Ok(())
    }

    /// Claims the next entries of a lane that a push has to look at, and that nobody else works on.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn claim_due(
        &mut self,
        lane: &LaneName,
        filter: DueFilter,
        (after, most): (i64, usize),
        now: Timestamp,
    ) -> Result<Vec<Due>, StoreError> {
        self.surely(|store| store.claim_due_once(lane, filter, (after, most), now))
    }

    fn claim_due_once(
        &mut self,
        lane: &LaneName,
        filter: DueFilter,
        (after, most): (i64, usize),
        now: Timestamp,
    ) -> Result<Vec<Due>, StoreError> {
        let number = self.lane_number(lane)?;
        let own = self.claimant(lane).unwrap_or_default();
        if after == 0 {
            self.forget_the_dead(lane, &own)?;
        }
        let leads = self.fence.process_with(|what| what == Leased::Lane(lane.clone()).to_string()).is_some();
        let transaction = self.fence.begin(&mut self.connection)?;
        let time = lease_time(&transaction, now)?;
        // Asked in the very change that claims: whoever closed the lane counts on it that nobody begins any more.
        let open = "SELECT 1 FROM lease WHERE what = ?1 AND ends > ?2";
        let is_open = params![Leased::Open(lane.clone()).to_string(), time];
        if !leads && !transaction.prepare_cached(open)?.exists(is_open)? {
            return Ok(Vec::new());
        }
        let which = filter.condition();
        let claimed: Vec<i64> = transaction
            .prepare_cached(&format!(
                "INSERT INTO claim SELECT lane, entry, CAST(?3 AS TEXT) FROM delivery WHERE {which} AND lane = ?1 AND entry > ?4
                     AND NOT EXISTS (SELECT 1 FROM claim WHERE claim.lane = ?1 AND claim.entry = delivery.entry
                         AND process <> ?3 AND {LIVES})
                 ORDER BY entry LIMIT ?5 ON CONFLICT (lane, entry) DO UPDATE SET process = excluded.process RETURNING entry",
            ))?
            .query_all(params![number, time, own, after, i64::try_from(most).unwrap_or(i64::MAX)], |row| row.get(0))?;
        transaction.commit()?;
        self.due_of(lane, &claimed)
    }

    /// Reserves the keys that entries are about to be made with. Gives the entries whose key another is about to make.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn claim_keys(
        &mut self,
        lane: &LaneName,
        wanted: &[(i64, &str, Option<&LanguageTag>)],
        now: Timestamp,
    ) -> Result<Vec<i64>, StoreError> {
        self.surely(|store| store.claim_keys_once(lane, wanted, now))
    }

    fn claim_keys_once(
        &mut self,
        lane: &LaneName,
        wanted: &[(i64, &str, Option<&LanguageTag>)],
        now: Timestamp,
    ) -> Result<Vec<i64>, StoreError> {
        let number = self.lane_number(lane)?;
        let own = self.claimant(lane).unwrap_or_default();
        let transaction = self.fence.begin(&mut self.connection)?;
        let time = lease_time(&transaction, now)?;
        let mut refused = Vec::new();
        for (entry, key, language) in wanted {
            let print = fingerprint_texts([*key, language.map_or("", LanguageTag::as_str)]);
            let kept: i64 = transaction
                .prepare_cached(&format!(
                    "INSERT INTO claimed_key AS claim VALUES (?1, ?3, ?4, ?5) ON CONFLICT (lane, key) DO UPDATE SET
                         entry = CASE WHEN claim.entry <> excluded.entry AND {LIVES} THEN claim.entry ELSE excluded.entry END,
                         process = CASE WHEN claim.entry <> excluded.entry AND {LIVES} THEN claim.process ELSE excluded.process END
                     RETURNING entry",
                ))?
                .query_row(params![number, time, print.as_bytes(), entry, own], |row| row.get(0))?;
            if kept != *entry {
                refused.push(*entry);
            }
        }
        transaction.commit()?;
        Ok(refused)
    }

    /// Lets go of everything that this process claimed of a lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn release_claims(&mut self, lane: &LaneName) -> Result<(), StoreError> {
        self.surely(|store| store.release_claims_once(lane))
    }

    fn release_claims_once(&mut self, lane: &LaneName) -> Result<(), StoreError> {
        let (number, own) = (self.lane_number(lane)?, self.claimant(lane).unwrap_or_default());
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute("DELETE FROM claim WHERE lane = ?1 AND process = ?2", params![number, own])?;
        transaction.execute("DELETE FROM claimed_key WHERE lane = ?1 AND process = ?2", params![number, own])?;
        Ok(transaction.commit()?)
    }
}
