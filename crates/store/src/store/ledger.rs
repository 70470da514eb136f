//! The ledger: what was to be sent, before it was; what became of it, after.

use super::claimed::BY_ANOTHER;
use super::database::params;
use super::leases::lease_time;
use diaporos_core::value::{Address, LaneName};
use jiff::Timestamp;

use super::chain::sign_off;
use super::happenings::happen_runs;
use super::intent::{IntentRecord, OpenIntent, intent};
use super::row::{address_at, millis, moment};
use super::{Store, StoreError};

/// Which rows of the ledger are wanted.
#[derive(Debug, Clone, Default)]
pub struct LedgerFilter {
    /// About this entry.
    pub entry: Option<Address>,
    /// Of this lane.
    pub lane: Option<String>,
    /// Of this run.
    pub run: Option<i64>,
    /// Only what was not carried out.
    pub failed: bool,
    /// The newest so many.
    pub most: Option<u32>,
}

/// A row of the ledger.
#[derive(Debug, Clone, PartialEq)]
pub struct LedgerRow {
    /// Its number.
    pub number: i64,
    /// The run.
    pub run: i64,
    /// When the intent was written.
    pub at: Timestamp,
    /// The lane.
    pub lane: String,
    /// The entry.
    pub address: Address,
    /// The document's language.
    pub language: String,
    /// What was to be done.
    pub action: String,
    /// Method and address.
    pub request: String,
    /// What became of it; none while that is open.
    pub result: Option<String>,
    /// The answer's status.
    pub status: Option<i64>,
    /// What the destination calls the document.
    pub id_there: Option<String>,
    /// What went wrong.
    pub message: Option<String>,
    /// The entry's version that it was about.
    pub version: Option<i64>,
    /// How often the same had been tried, with this time.
    pub tries: i64,
    /// Whose run it was: user, host and program; empty where that was not noted yet.
    pub who: String,
}

impl Store {
    /// Begins a run, to which intents belong; `who` says whose it is, where, and with what program.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn begin_run(&mut self, command: &str, who: &str, now: Timestamp) -> Result<i64, StoreError> {
        let add = "INSERT INTO run (command, started, who) VALUES (?1, ?2, ?3) RETURNING id";
        Ok(self.connection.query_row(add, params![command, millis(now), who], |row| row.get(0))?)
    }

    /// Ends a run with its summary.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn end_run(&mut self, run: i64, summary: &str, now: Timestamp) -> Result<(), StoreError> {
        let lanes = self.fence.lanes();
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction
            .execute("UPDATE run SET ended = ?1, summary = ?2 WHERE id = ?3", params![millis(now), summary, run])?;
        happen_runs(&transaction, Some(run), &lanes, now)?;
        Ok(transaction.commit()?)
    }

    /// The intents of a lane that have no outcome: what a crash left in doubt.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn in_doubt(&self, lane: &LaneName, now: Timestamp) -> Result<Vec<(OpenIntent, IntentRecord)>, StoreError> {
        let number = self.lane_number(lane)?;
        // What another process works on is not in doubt while it lives.
        let others = if self.connection.server().is_some() { format!("AND NOT {BY_ANOTHER}") } else { String::new() };
        let mut query = self.connection.prepare_cached(&format!(
            "SELECT intent.id, intent.entry, language, action, request, id_there, base_revision, fingerprint, fields, item, at
             FROM open_intent JOIN intent ON intent.id = open_intent.intent WHERE open_intent.lane = ?1 {others}
             ORDER BY intent.id",
        ))?;
        let own = self.claimant(lane).unwrap_or_default();
        let time = lease_time(&self.connection, now)?;
        let mut rows = match others.is_empty() {
            true => query.query([number])?,
            false => query.query(params![number, time, own])?,
        };
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(intent(row)?);
        }
        Ok(found)
    }

    /// What a row of the ledger was to send; none where there is no such row.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn past_intent(&self, number: i64) -> Result<Option<IntentRecord>, StoreError> {
        let mut query = self.connection.prepare_cached(
            // What joins a new document to the entry's others may have become known only by the request
            // before it.
            "SELECT id, entry, language, action, request, id_there, base_revision, fingerprint, fields,
                 coalesce(item, (SELECT max(counterpart.item) FROM counterpart
                     WHERE counterpart.lane = intent.lane AND counterpart.entry = intent.entry AND action = 'create'
                       AND EXISTS (SELECT 1 FROM intent AS first WHERE first.entry = intent.entry AND first.lane = intent.lane
                           AND first.run = intent.run AND first.action = 'create' AND first.id < intent.id))),
                 at
             FROM intent WHERE id = ?1",
        )?;
        let mut rows = query.query([number])?;
        Ok(rows.next()?.map(intent).transpose()?.map(|(_, record)| record))
    }

    /// Takes out of the ledger what was concluded before that moment, and signs it off. What is in doubt
    /// stays. Gives how many requests were taken out.
    ///
    /// # Errors
    /// Where the store fails; nothing is taken out then.
    pub fn prune_ledger(&mut self, before: Timestamp, who: &str, now: Timestamp) -> Result<u64, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let until = millis(before);
        transaction.execute("CREATE TEMP TABLE pruned (id BIGINT PRIMARY KEY)", params![])?;
        transaction.execute(
            "INSERT INTO pruned SELECT id FROM intent WHERE at < ?1 AND id NOT IN (SELECT intent FROM open_intent)
                 AND NOT EXISTS (SELECT 1 FROM outcome WHERE outcome.intent = intent.id AND outcome.at >= ?1)",
            [until],
        )?;
        sign_off(&transaction, who, now)?;
        transaction.execute("DELETE FROM outcome WHERE intent IN (SELECT id FROM pruned)", params![])?;
        let pruned = transaction.execute("DELETE FROM intent WHERE id IN (SELECT id FROM pruned)", params![])?;
        transaction.execute("DELETE FROM occurrence WHERE at < ?1", [until])?;
        transaction.execute("DROP TABLE pruned", params![])?;
        transaction.execute("DELETE FROM run WHERE ended < ?1 AND id NOT IN (SELECT run FROM intent)", [until])?;
        transaction.commit()?;
        Ok(pruned as u64)
    }

    /// The address of the entry of that number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn address(&self, entry: i64) -> Result<Address, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, name, source_id FROM entry JOIN entry_type ON entry_type.id = entry.type WHERE entry.id = ?1",
        )?;
        let mut rows = query.query([entry])?;
        match rows.next()? {
            Some(row) => address_at(row, 0),
            None => Err(StoreError::Content(format!("no entry of number {entry}"))),
        }
    }

    /// Hands over rows of the ledger, oldest first.
    ///
    /// # Errors
    /// Where the store or the receiver fails.
    pub fn ledger<E: From<StoreError>>(
        &self,
        filter: &LedgerFilter,
        mut each: impl FnMut(LedgerRow) -> Result<(), E>,
    ) -> Result<(), E> {
        let mut query = self
            .connection
            .prepare_cached(
                "SELECT * FROM (
                     SELECT intent.id, run, intent.at, lane.name, system, entry_type.name, source_id, language, action, request,
                         result, status, coalesce(outcome.id_there, intent.id_there), outcome.message,
                         (SELECT max(number) FROM version WHERE version.entry = intent.entry AND version.at <= intent.at),
                         (SELECT count(*) FROM intent AS same WHERE same.entry = intent.entry AND same.lane = intent.lane
                             AND same.language = intent.language AND same.action = intent.action
                             AND same.fingerprint = intent.fingerprint AND same.id <= intent.id),
                         (SELECT who FROM run WHERE run.id = intent.run)
                     FROM intent LEFT JOIN outcome ON outcome.intent = intent.id
                     JOIN lane ON lane.id = intent.lane JOIN entry ON entry.id = intent.entry JOIN entry_type ON entry_type.id = entry.type
                     WHERE (CAST(?1 AS TEXT) IS NULL OR lane.name = ?1) AND (CAST(?2 AS BIGINT) IS NULL OR run = ?2)
                       AND (NOT ?3 OR result IS NULL OR result NOT IN ('done', 'found done'))
                       AND (CAST(?4 AS TEXT) IS NULL OR (system = ?4 AND entry_type.name = ?5 AND source_id = ?6))
                     ORDER BY intent.id DESC LIMIT ?7
                 ) AS newest ORDER BY 1",
            )
            .map_err(StoreError::from)?;
        let (system, kind, id) = match &filter.entry {
            Some(address) => (Some(address.system.as_str()), Some(address.kind.as_str()), Some(address.id.as_str())),
            None => (None, None, None),
        };
        let most = filter.most.map_or(i64::MAX, i64::from);
        let mut rows = query
            .query(params![filter.lane, filter.run, filter.failed, system, kind, id, most])
            .map_err(StoreError::from)?;
        while let Some(row) = rows.next().map_err(StoreError::from)? {
            let read = || -> Result<LedgerRow, StoreError> {
                Ok(LedgerRow {
                    number: row.get(0)?,
                    run: row.get(1)?,
                    at: moment(row.get(2)?)?,
                    lane: row.get(3)?,
                    address: address_at(row, 4)?,
                    language: row.get(7)?,
                    action: row.get(8)?,
                    request: row.get(9)?,
                    result: row.get(10)?,
                    status: row.get(11)?,
                    id_there: row.get(12)?,
                    message: row.get(13)?,
                    version: row.get(14)?,
                    tries: row.get(15)?,
                    who: row.get::<_, Option<String>>(16)?.unwrap_or_default(),
                })
            };
            each(read()?)?;
        }
        Ok(())
    }
}
