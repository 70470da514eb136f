//! Alerts that are open, and were; and what they are told from.

use super::database::{Connection, params};
use diaporos_core::schedule::rhythm::{Hours, hour_of};
use diaporos_core::value::{LaneName, SystemName};
use jiff::Timestamp;
use serde_json::json;

use super::happenings::happen;
use super::row::{millis, moment};
use super::{Store, StoreError};

/// An alert.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AlertRow {
    /// Its kind.
    pub kind: String,
    /// What it is about.
    pub subject: String,
    /// What is wrong.
    pub message: String,
    /// Since when.
    pub opened: Timestamp,
    /// When it was over.
    pub closed: Option<Timestamp>,
}

/// Something a person should know now.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Condition {
    /// Its kind.
    pub kind: &'static str,
    /// What it is about.
    pub subject: String,
    /// What is wrong.
    pub message: String,
}

/// What became of alerts when conditions were held against those that are open.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AlertChanges {
    /// Those that opened.
    pub opened: Vec<AlertRow>,
    /// Those that are open still, and of which people are reminded.
    pub reminded: Vec<AlertRow>,
    /// Those that are over.
    pub closed: Vec<AlertRow>,
}

/// Entries of a lane that are held longer than they should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LongHeld {
    /// The lane.
    pub lane: LaneName,
    /// How many there are.
    pub entries: u64,
    /// Since when the first is held.
    pub since: Timestamp,
}

fn alert(row: super::database::Row<'_>) -> Result<AlertRow, StoreError> {
    let closed: Option<i64> = row.get(4)?;
    Ok(AlertRow {
        kind: row.get(0)?,
        subject: row.get(1)?,
        message: row.get(2)?,
        opened: moment(row.get(3)?)?,
        closed: closed.map(moment).transpose()?,
    })
}

/// The alerts that are open, each with when people were last reminded of it.
fn open_alerts(connection: &Connection) -> Result<Vec<(AlertRow, Timestamp)>, StoreError> {
    let mut query = connection
        .prepare_cached("SELECT kind, subject, message, opened, closed, reminded FROM alert WHERE closed IS NULL")?;
    let mut rows = query.query(params![])?;
    let mut open = Vec::new();
    while let Some(row) = rows.next()? {
        open.push((alert(row)?, moment(row.get(5)?)?));
    }
    Ok(open)
}

/// Tells of alerts those who are told.
fn happen_alerts(connection: &Connection, changes: &AlertChanges, now: Timestamp) -> Result<(), StoreError> {
    let AlertChanges { opened, reminded, closed } = changes;
    for (kind, rows) in [("alert.opened", opened), ("alert.open", reminded), ("alert.closed", closed)] {
        for row in rows {
            let detail = json!({ "alert": row.kind, "message": row.message, "opened": row.opened.to_string() });
            happen(connection, (kind, &row.subject), &detail, now)?;
        }
    }
    Ok(())
}

impl Store {
    /// Counts what came in.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn note_arrivals(&mut self, system: &SystemName, entries: u64, now: Timestamp) -> Result<(), StoreError> {
        if entries == 0 {
            return Ok(());
        }
        self.connection
            .prepare_cached(
                "INSERT INTO arrival VALUES (?1, ?2, ?3, ?4)
                 ON CONFLICT (system, hour) DO UPDATE SET entries = arrival.entries + excluded.entries, last = excluded.last",
            )?
            .execute(params![system.as_str(), hour_of(now), i64::try_from(entries).unwrap_or(i64::MAX), millis(now)])?;
        Ok(())
    }

    /// The hours in which something of a system came in, with how many entries.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn arrivals(&self, system: &SystemName, since: Timestamp) -> Result<Vec<(i64, u64)>, StoreError> {
        let mut query = self
            .connection
            .prepare_cached("SELECT hour, entries FROM arrival WHERE system = ?1 AND hour >= ?2 ORDER BY hour")?;
        Ok(query.query_all(params![system.as_str(), hour_of(since)], |row| {
            Ok((row.get(0)?, row.get::<_, i64>(1)?.unsigned_abs()))
        })?)
    }

    /// When something of a system last came in.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn last_arrival(&self, system: &SystemName) -> Result<Option<Timestamp>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT max(last) FROM arrival WHERE system = ?1")?;
        let last: Option<i64> = query.query_row([system.as_str()], |row| row.get(0))?;
        last.map(moment).transpose()
    }

    /// The hours alone.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn arrival_hours(&self, system: &SystemName, since: Timestamp) -> Result<Hours, StoreError> {
        Ok(self.arrivals(system, since)?.into_iter().map(|(hour, _)| hour).collect())
    }

    /// By lane, how many entries are held since before a moment.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn long_held(&self, before: Timestamp) -> Result<Vec<LongHeld>, StoreError> {
        self.held_where("since < ?1", before)
    }

    /// By lane, how many entries are held because somebody else changed or deleted their documents.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn edited_there(&self) -> Result<Vec<LongHeld>, StoreError> {
        self.held_where("reason IN ('changed-there', 'deleted-there') AND since <= ?1", Timestamp::MAX)
    }

    fn held_where(&self, condition: &'static str, before: Timestamp) -> Result<Vec<LongHeld>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!(
            "SELECT lane.name, count(*), min(since) FROM delivery JOIN lane ON lane.id = delivery.lane
             WHERE standing = 'held' AND {condition} GROUP BY lane.name ORDER BY lane.name"
        ))?;
        let mut rows = query.query([millis(before)])?;
        let mut held = Vec::new();
        while let Some(row) = rows.next()? {
            held.push(LongHeld {
                lane: LaneName::new(row.get::<_, String>(0)?).map_err(StoreError::content)?,
                entries: row.get::<_, i64>(1)?.unsigned_abs(),
                since: moment(row.get(2)?)?,
            });
        }
        Ok(held)
    }

    /// Holds what is so now against the alerts that are open: opens, reminds after `reminded_before`, and closes.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn take_alerts(
        &mut self,
        conditions: &[Condition],
        reminded_before: Timestamp,
        now: Timestamp,
    ) -> Result<AlertChanges, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let mut changes = AlertChanges::default();
        let known = open_alerts(&transaction)?;
        for condition in conditions {
            let Condition { kind, subject, message } = condition;
            match known.iter().find(|(row, _)| row.kind == *kind && row.subject == *subject) {
                None => {
                    transaction
                        .prepare_cached(
                            "INSERT INTO alert (kind, subject, message, opened, reminded) VALUES (?1, ?2, ?3, ?4, ?4)",
                        )?
                        .execute(params![kind, subject, message, millis(now)])?;
                    let (kind, subject, message) = ((*kind).to_owned(), subject.clone(), message.clone());
                    changes.opened.push(AlertRow { kind, subject, message, opened: now, closed: None });
                }
                Some((row, reminded)) => {
                    let is_due = *reminded <= reminded_before;
                    transaction
                        .prepare_cached(
                            "UPDATE alert SET message = ?3, reminded = CASE WHEN ?4 THEN ?5 ELSE reminded END
                             WHERE kind = ?1 AND subject = ?2 AND closed IS NULL",
                        )?
                        .execute(params![kind, subject, message, is_due, millis(now)])?;
                    if is_due {
                        changes.reminded.push(AlertRow { message: message.clone(), ..row.clone() });
                    }
                }
            }
        }
        for (row, _) in known {
            if conditions.iter().any(|one| one.kind == row.kind && one.subject == row.subject) {
                continue;
            }
            transaction
                .prepare_cached("UPDATE alert SET closed = ?3 WHERE kind = ?1 AND subject = ?2 AND closed IS NULL")?
                .execute(params![row.kind, row.subject, millis(now)])?;
            changes.closed.push(AlertRow { closed: Some(now), ..row });
        }
        happen_alerts(&transaction, &changes, now)?;
        transaction.commit()?;
        Ok(changes)
    }

    /// The alerts that are open, and those that were closed since a moment, the newest first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn alerts(&self, closed_since: Option<Timestamp>) -> Result<Vec<AlertRow>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT kind, subject, message, opened, closed FROM alert WHERE closed IS NULL OR closed >= ?1
             ORDER BY closed IS NOT NULL, opened DESC",
        )?;
        let mut rows = query.query([closed_since.map_or(i64::MAX, millis)])?;
        let mut alerts = Vec::new();
        while let Some(row) = rows.next()? {
            alerts.push(alert(row)?);
        }
        Ok(alerts)
    }
}
