//! What happened, for those who are told: written in the commit in which it did.

use super::database::{Connection, OptionalRow, params};
use jiff::Timestamp;
use serde_json::{Value as Json, json};

use super::row::{millis, moment};
use super::verdict::Verdict;
use super::{Store, StoreError};

/// Something that happened.
#[derive(Debug, Clone, PartialEq)]
pub struct Happening {
    /// Its number.
    pub number: i64,
    /// When.
    pub at: Timestamp,
    /// What: `entry.created`.
    pub kind: String,
    /// To what: an entry's address, a run, what an alert is about.
    pub subject: String,
    /// What is to be known of it.
    pub detail: Json,
}

/// Notes something that happened, where somebody is told.
pub(super) fn happen(
    connection: &Connection,
    (kind, subject): (&str, &str),
    detail: &Json,
    now: Timestamp,
) -> Result<(), StoreError> {
    connection
        .prepare_cached(
            "INSERT INTO happening (at, kind, subject, detail) SELECT CAST(?1 AS BIGINT), ?2, ?3, ?4 WHERE EXISTS (SELECT 1 FROM tell)",
        )?
        .execute(params![millis(now), kind, subject, detail.to_string()])?;
    Ok(())
}

/// Notes what a request did.
pub(super) fn happen_outcome(connection: &Connection, intent: i64, now: Timestamp) -> Result<(), StoreError> {
    connection
        .prepare_cached(
            r#"INSERT INTO happening (at, kind, subject, detail)
             SELECT CAST(?2 AS BIGINT), CASE action WHEN 'create' THEN 'entry.created' WHEN 'update' THEN 'entry.updated'
                        WHEN 'withdraw' THEN 'entry.withdrawn' ELSE 'entry.deleted' END,
                 from_type.system || '/' || from_type.name || '/' || source_id,
                 '{"lane":' || json_quote(lane.name) || ',"destination":' || json_quote(to_type.system)
                     || ',"language":' || json_quote(nullif(intent.language, ''))
                     || ',"id_there":' || json_quote(coalesce(outcome.id_there, intent.id_there))
                     || ',"run":' || run || ',"version":' || version || '}'
             FROM intent JOIN outcome ON outcome.intent = intent.id JOIN lane ON lane.id = intent.lane
             JOIN entry ON entry.id = intent.entry JOIN entry_type AS from_type ON from_type.id = entry.type
             JOIN entry_type AS to_type ON to_type.id = lane.to_type
             WHERE intent.id = ?1"#,
        )?
        .execute(params![intent, millis(now)])?;
    Ok(())
}

/// Whether anybody is told.
pub(super) fn is_anybody_told(connection: &Connection) -> Result<bool, StoreError> {
    let mut find = connection.prepare_cached("SELECT EXISTS (SELECT 1 FROM tell)")?;
    Ok(find.query_row(params![], |row| row.get(0))?)
}

/// Notes that the runs of intents changed something on a lane.
pub(super) fn note_changed(connection: &Connection, intents: &[i64], lane: i64) -> Result<(), StoreError> {
    if intents.is_empty() {
        return Ok(());
    }
    let list = serde_json::to_string(intents).map_err(StoreError::content)?;
    let runs: Vec<i64> = connection
        .prepare_cached(
            "SELECT DISTINCT run FROM intent WHERE id IN (SELECT CAST(value AS BIGINT) FROM json_each(?1))",
        )?
        .query_all([list], |row| row.get(0))?;
    for run in runs {
        connection
            .prepare_cached(
                "UPDATE run SET changed = CASE WHEN changed IS NULL THEN '[' ELSE substr(changed, 1, length(changed) - 1) || ',' END
                     || json_quote((SELECT name FROM lane WHERE id = ?2)) || ']'
                 WHERE id = ?1 AND NOT EXISTS (SELECT 1 FROM json_each(coalesce(changed, '[]'))
                     WHERE value = (SELECT name FROM lane WHERE id = ?2))",
            )?
            .execute([run, lane])?;
    }
    Ok(())
}

/// Notes that an entry is held, where it was not for that reason before, and somebody is told.
pub(super) fn happen_held(
    connection: &Connection,
    lane: i64,
    verdict: &Verdict,
    now: Timestamp,
) -> Result<(), StoreError> {
    let Verdict { entry, reason, message, .. } = verdict;
    connection
        .prepare_cached(
            r#"INSERT INTO happening (at, kind, subject, detail)
             SELECT CAST(?3 AS BIGINT), 'entry.held', system || '/' || entry_type.name || '/' || source_id,
                 '{"lane":' || json_quote(lane.name) || ',"reason":' || json_quote(?4) || ',"message":' || json_quote(?5)
                     || ',"version":' || version || '}'
             FROM entry JOIN entry_type ON entry_type.id = entry.type JOIN lane ON lane.id = ?1
             WHERE entry.id = ?2 AND EXISTS (SELECT 1 FROM tell) AND NOT EXISTS (
                 SELECT 1 FROM delivery WHERE lane = ?1 AND entry = ?2 AND standing = 'held' AND message IS NOT DISTINCT FROM ?5)"#,
        )?
        .execute(params![lane, entry, millis(now), reason, message])?;
    Ok(())
}

/// Notes that runs changed something: this one, which ended, and earlier ones that never did, on lanes that no
/// living process has but this one.
pub(super) fn happen_runs(
    connection: &Connection,
    ended: Option<i64>,
    lanes: &[String],
    now: Timestamp,
) -> Result<(), StoreError> {
    let mut changed: Vec<String> = Vec::new();
    let mut told = Vec::new();
    {
        let mut query = connection
            .prepare_cached("SELECT id, changed, ended IS NOT NULL FROM run WHERE changed IS NOT NULL AND told = 0")?;
        let mut rows = query.query(params![])?;
        while let Some(row) = rows.next()? {
            let (id, names, has_ended): (i64, String, bool) = (row.get(0)?, row.get(1)?, row.get(2)?);
            let names: Vec<String> = serde_json::from_str(&names).map_err(StoreError::content)?;
            let is_ours = ended == Some(id) || has_ended || names.iter().all(|name| lanes.contains(name));
            if is_ours {
                told.push(id);
                changed.extend(names.into_iter().filter(|name| !changed.contains(name)).collect::<Vec<_>>());
            }
        }
    }
    for run in &told {
        connection.prepare_cached("UPDATE run SET told = 1 WHERE id = ?1")?.execute([run])?;
    }
    let Some(last) = told.last() else { return Ok(()) };
    let subject = format!("run {last}");
    happen(connection, ("run.changed", &subject), &json!({ "lanes": changed, "run": last }), now)
}

impl Store {
    /// Tells of runs that changed something and never came to their end, because they were killed; this process
    /// has their lanes.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn tell_broken_runs(&mut self, now: Timestamp) -> Result<(), StoreError> {
        let lanes = self.fence.lanes();
        let transaction = self.fence.begin(&mut self.connection)?;
        happen_runs(&transaction, None, &lanes, now)?;
        Ok(transaction.commit()?)
    }

    /// Makes the store know who is told. Whoever is new is told of what happens from now on; what waits for
    /// somebody who is gone is given up.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn register_tells(&mut self, names: &[&str], now: Timestamp) -> Result<(), StoreError> {
        let known: Vec<String> = {
            let mut query = self.connection.prepare_cached("SELECT name FROM tell ORDER BY name")?;
            query.query_all(params![], |row| row.get(0))?
        };
        let mut wanted: Vec<&str> = names.to_vec();
        wanted.sort_unstable();
        if known == wanted {
            return Ok(());
        }
        let transaction = self.fence.begin(&mut self.connection)?;
        for name in &wanted {
            transaction.execute(
                "INSERT INTO tell SELECT ?1, coalesce((SELECT max(number) FROM happening), 0) WHERE true ON CONFLICT DO NOTHING",
                [name],
            )?;
        }
        for gone in known.iter().filter(|known| !wanted.contains(&known.as_str())) {
            transaction.execute("DELETE FROM tell WHERE name = ?1", [gone])?;
            transaction.execute(
                "UPDATE outbox SET ended = ?2, outcome = 'gone', problem = 'nobody is told by that name any more'
                 WHERE tell = ?1 AND (ended IS NULL OR outcome = 'given up')",
                params![gone, millis(now)],
            )?;
        }
        Ok(transaction.commit()?)
    }

    /// What happened of which is not decided yet whether it is told.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn happenings(&self, tell: &str, most: usize) -> Result<Vec<Happening>, StoreError> {
        let position: Option<i64> = self
            .connection
            .prepare_cached("SELECT position FROM tell WHERE name = ?1")?
            .query_row([tell], |row| row.get(0))
            .optional()?;
        let Some(position) = position else { return Ok(Vec::new()) };
        let mut query = self.connection.prepare_cached(
            "SELECT number, at, kind, subject, detail FROM happening WHERE number > ?1 ORDER BY number LIMIT ?2",
        )?;
        let mut rows = query.query(params![position, i64::try_from(most).unwrap_or(i64::MAX)])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            let detail: String = row.get(4)?;
            found.push(Happening {
                number: row.get(0)?,
                at: moment(row.get(1)?)?,
                kind: row.get(2)?,
                subject: row.get(3)?,
                detail: serde_json::from_str(&detail).map_err(StoreError::content)?,
            });
        }
        Ok(found)
    }

    /// Forgets what happened before a moment and was decided about; at most a thousand.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forget_happenings(&mut self, before: Timestamp) -> Result<usize, StoreError> {
        let forgotten = self.connection.execute(
            "DELETE FROM happening WHERE number IN (SELECT number FROM happening WHERE at < ?1
                 AND number <= coalesce((SELECT min(position) FROM tell), number) ORDER BY number LIMIT 1000)",
            [millis(before)],
        )?;
        let told = self.connection.execute(
            "DELETE FROM outbox WHERE number IN (SELECT number FROM outbox WHERE ended < ?1 LIMIT 1000)",
            [millis(before)],
        )?;
        Ok(forgotten + told)
    }
}
