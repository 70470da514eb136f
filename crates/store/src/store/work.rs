//! What was last done to each system and lane, and which of them are left alone.

use std::collections::BTreeMap;
use std::fmt;

use super::database::params;
use diaporos_core::value::LaneName;
use jiff::Timestamp;

use super::lease::Leased;
use super::row::{millis, moment};
use super::{Store, StoreError};

/// How a system was last pulled, or a lane pushed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WorkRow {
    /// When it began.
    pub began: Timestamp,
    /// When it ended.
    pub ended: Timestamp,
    /// What went wrong, the first of it.
    pub problem: Option<String>,
    /// When it last ended without a problem.
    pub well: Option<Timestamp>,
    /// How many in a row ended with one.
    pub failures: u32,
    /// Whether it stopped to ask a person.
    pub asks: bool,
}

/// What went wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fault<'a> {
    /// In words.
    pub message: &'a str,
    /// Whether a person is asked, who alone can go on.
    pub asks: bool,
}

/// What a person may have left alone.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Paused {
    /// Everything.
    All,
    /// A system, or a lane.
    One(Leased),
}

impl fmt::Display for Paused {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Paused::All => f.write_str("all"),
            Paused::One(what) => what.fmt(f),
        }
    }
}

/// Why something is left alone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pause {
    /// Who wished it.
    pub who: String,
    /// Why, in their words.
    pub why: String,
    /// Since when.
    pub since: Timestamp,
    /// Until when; for good where none.
    pub until: Option<Timestamp>,
}

impl Store {
    /// Notes how a pull of a system or a push of a lane ended.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn note_work(
        &mut self,
        what: &Leased,
        (began, ended): (Timestamp, Timestamp),
        fault: Option<Fault<'_>>,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction
            .prepare_cached(
                "INSERT INTO work VALUES (?1, ?2, ?3, ?4, CASE WHEN CAST(?4 AS TEXT) IS NULL THEN CAST(?3 AS BIGINT) END, CASE WHEN CAST(?4 AS TEXT) IS NULL THEN 0 ELSE 1 END, ?5)
                 ON CONFLICT (what) DO UPDATE SET began = ?2, ended = ?3, problem = ?4, asks = ?5,
                     well = CASE WHEN CAST(?4 AS TEXT) IS NULL THEN CAST(?3 AS BIGINT) ELSE work.well END,
                     failures = CASE WHEN CAST(?4 AS TEXT) IS NULL THEN 0 ELSE work.failures + 1 END",
            )?
            .execute(params![
                what.to_string(),
                millis(began),
                millis(ended),
                fault.map(|fault| fault.message),
                fault.is_some_and(|fault| fault.asks)
            ])?;
        Ok(transaction.commit()?)
    }

    /// How every system was last pulled and every lane pushed, by [`Leased`] in words.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn work(&self) -> Result<BTreeMap<String, WorkRow>, StoreError> {
        let mut query =
            self.connection.prepare_cached("SELECT what, began, ended, problem, well, failures, asks FROM work")?;
        let mut rows = query.query(params![])?;
        let mut work = BTreeMap::new();
        while let Some(row) = rows.next()? {
            let well: Option<i64> = row.get(4)?;
            let done = WorkRow {
                began: moment(row.get(1)?)?,
                ended: moment(row.get(2)?)?,
                problem: row.get(3)?,
                well: well.map(moment).transpose()?,
                failures: row.get(5)?,
                asks: row.get(6)?,
            };
            work.insert(row.get(0)?, done);
        }
        Ok(work)
    }

    /// Leaves something alone, until a moment or for good.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn pause(&mut self, what: &Paused, pause: &Pause) -> Result<(), StoreError> {
        self.connection.execute(
            "INSERT INTO pause VALUES (?1, ?2, ?3, ?4, ?5)
             ON CONFLICT (what) DO UPDATE SET who = ?2, why = ?3, since = ?4, until = ?5",
            params![what.to_string(), pause.who, pause.why, millis(pause.since), pause.until.map(millis)],
        )?;
        Ok(())
    }

    /// Leaves something alone no longer; says whether it was.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn resume(&mut self, what: &Paused) -> Result<bool, StoreError> {
        Ok(self.connection.execute("DELETE FROM pause WHERE what = ?1", [what.to_string()])? > 0)
    }

    /// What is left alone at a moment, by [`Paused`] in words.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn pauses(&self, now: Timestamp) -> Result<BTreeMap<String, Pause>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT what, who, why, since, until FROM pause WHERE until IS NULL OR until > ?1 ORDER BY what",
        )?;
        let mut rows = query.query([millis(now)])?;
        let mut pauses = BTreeMap::new();
        while let Some(row) = rows.next()? {
            let until: Option<i64> = row.get(4)?;
            let (who, why) = (row.get(1)?, row.get(2)?);
            let pause = Pause { who, why, since: moment(row.get(3)?)?, until: until.map(moment).transpose()? };
            pauses.insert(row.get(0)?, pause);
        }
        Ok(pauses)
    }

    /// Whether a lane ever delivered anything, or was gone through to its end.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn has_run(&self, lane: &LaneName) -> Result<bool, StoreError> {
        let mut find = self.connection.prepare_cached(
            "SELECT EXISTS (SELECT 1 FROM work WHERE what = ?1 AND well IS NOT NULL) OR EXISTS (
                 SELECT 1 FROM counterpart WHERE lane = (SELECT id FROM lane WHERE name = ?2))",
        )?;
        let what = Leased::Lane(lane.clone()).to_string();
        Ok(find.query_row([what.as_str(), lane.as_str()], |row| row.get(0))?)
    }
}
