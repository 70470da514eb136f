//! Batches: texts that are out for translation, and how each stands.

mod standing;
mod units;

use std::collections::BTreeMap;

use crate::store::database::{Connection, OptionalRow, Row, params};
use diaporos_core::change::Fingerprint;
use diaporos_core::value::LanguageTag;
use jiff::Timestamp;
use serde_json::json;

use super::happenings::happen;
use super::row::{millis, moment};
use super::{Store, StoreError};
pub(super) use standing::of_word;
pub use standing::{BatchStanding, Origin, UnitStanding};
pub(super) use units::band;
pub use units::{BatchUnit, NewText, OpenUnit, UnitCount, UnitVerdict, WantedLanguage};

/// A batch.
#[derive(Debug, Clone, PartialEq)]
pub struct BatchRow {
    /// Its number, for the store alone.
    pub number: i64,
    /// Its name.
    pub name: String,
    /// The brief it was made by.
    pub brief: String,
    /// The language of its texts.
    pub from: LanguageTag,
    /// The languages they are translated into.
    pub into: Vec<LanguageTag>,
    /// Where it stands.
    pub standing: BatchStanding,
    /// When it was made.
    pub made: Timestamp,
    /// By when it is wanted.
    pub due: Option<Timestamp>,
    /// When it was sent.
    pub sent: Option<Timestamp>,
    /// When it was cancelled.
    pub ended: Option<Timestamp>,
    /// What the agency calls it.
    pub order_there: Option<String>,
    /// What the agency calls the file of each language.
    pub files_there: BTreeMap<String, String>,
}

const BATCH: &str = "id, name, brief, source_language, languages, standing, made, due, sent, ended, order_there, files_there FROM batch";

fn language(text: &str) -> Result<LanguageTag, StoreError> {
    text.parse().map_err(StoreError::content)
}

fn batch_row(row: Row<'_>) -> Result<BatchRow, StoreError> {
    let into: Vec<String> = serde_json::from_str(&row.get::<_, String>(4)?).map_err(StoreError::content)?;
    let maybe = |at: Option<i64>| at.map(moment).transpose();
    Ok(BatchRow {
        number: row.get(0)?,
        name: row.get(1)?,
        brief: row.get(2)?,
        from: language(&row.get::<_, String>(3)?)?,
        into: into.iter().map(|tag| language(tag)).collect::<Result<_, _>>()?,
        standing: of_word(&BatchStanding::WORDS, &row.get::<_, String>(5)?)?,
        made: moment(row.get(6)?)?,
        due: maybe(row.get(7)?)?,
        sent: maybe(row.get(8)?)?,
        ended: maybe(row.get(9)?)?,
        order_there: row.get(10)?,
        files_there: serde_json::from_str(&row.get::<_, String>(11)?).map_err(StoreError::content)?,
    })
}

impl Store {
    /// Makes a batch that nobody sees till it is finished; one that was never finished is forgotten.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn begin_batch(
        &mut self,
        brief: &str,
        (from, into): (&LanguageTag, &[LanguageTag]),
        due: Option<Timestamp>,
        now: Timestamp,
    ) -> Result<(i64, String), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        // Values that came of it stay, and it as their origin.
        transaction.execute_batch(
            "DELETE FROM batch_unit WHERE text IN (SELECT batch_text.id FROM batch_text JOIN batch ON batch.id = batch WHERE standing = 'making');
             DELETE FROM batch_text WHERE batch IN (SELECT id FROM batch WHERE standing = 'making');
             UPDATE batch SET standing = 'filled' WHERE standing = 'making' AND id IN (SELECT batch FROM translation);
             DELETE FROM batch WHERE standing = 'making';",
        )?;
        let before: i64 =
            transaction.query_row("SELECT count(*) FROM batch WHERE brief = ?1", [brief], |row| row.get(0))?;
        let name = format!("{brief}-{}", before + 1);
        let languages: Vec<&str> = into.iter().map(LanguageTag::as_str).collect();
        let languages = serde_json::to_string(&languages).map_err(StoreError::content)?;
        let number = transaction.query_row(
            "INSERT INTO batch (name, brief, source_language, languages, standing, made, due)
             VALUES (?1, ?2, ?3, ?4, 'making', ?5, ?6) RETURNING id",
            params![name, brief, from.as_str(), languages, millis(now), due.map(millis)],
            |row| row.get(0),
        )?;
        transaction.commit()?;
        Ok((number, name))
    }

    /// Finishes a batch: from now on it is there. Without texts it never was, unless values came of it:
    /// then it stays as their origin, and nothing of it is waited for. One that is sent at once counts as
    /// being sent from here on.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn finish_batch(&mut self, batch: i64, gave_values: bool, finished: BatchStanding) -> Result<bool, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let has_texts: bool =
            transaction
                .query_row("SELECT EXISTS (SELECT 1 FROM batch_text WHERE batch = ?1)", [batch], |row| row.get(0))?;
        if has_texts {
            // Only languages that something is to be translated into.
            let wanted = "SELECT value FROM batch, json_each(languages) WHERE batch.id = ?1 AND EXISTS (
                     SELECT 1 FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id
                     WHERE batch = ?1 AND language = value)";
            let languages: Vec<String> = transaction.prepare_cached(wanted)?.query_all([batch], |row| row.get(0))?;
            let languages = serde_json::to_string(&languages).map_err(StoreError::content)?;
            transaction.execute(
                "UPDATE batch SET standing = ?2, languages = ?3 WHERE id = ?1",
                params![batch, finished.word(), languages],
            )?;
        } else if gave_values {
            transaction.execute("UPDATE batch SET standing = 'filled' WHERE id = ?1", [batch])?;
        } else {
            transaction.execute("DELETE FROM batch WHERE id = ?1", [batch])?;
        }
        transaction.commit()?;
        Ok(has_texts)
    }

    /// All batches, the newest first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batches(&self) -> Result<Vec<BatchRow>, StoreError> {
        let sql = format!("SELECT {BATCH} WHERE standing <> 'making' ORDER BY id DESC");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(batch_row(row)?);
        }
        Ok(found)
    }

    /// The batch of that name.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch(&self, name: &str) -> Result<Option<BatchRow>, StoreError> {
        let sql = format!("SELECT {BATCH} WHERE standing <> 'making' AND name = ?1");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([name])?;
        rows.next()?.map(batch_row).transpose()
    }

    /// Notes where a batch stands, and what the agency calls it.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn note_batch(&mut self, batch: &BatchRow) -> Result<(), StoreError> {
        let files = serde_json::to_string(&batch.files_there).map_err(StoreError::content)?;
        self.connection.execute(
            "UPDATE batch SET standing = ?1, sent = ?2, ended = ?3, order_there = ?4, files_there = ?5, due = ?6 WHERE id = ?7",
            params![
                batch.standing.word(),
                batch.sent.map(millis),
                batch.ended.map(millis),
                batch.order_there,
                files,
                batch.due.map(millis),
                batch.number
            ],
        )?;
        Ok(())
    }

    /// When a file of that content was collected for a batch.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn collected(&self, batch: i64, content: Fingerprint) -> Result<Option<Timestamp>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT at FROM batch_return WHERE batch = ?1 AND hash = ?2")?;
        let at: Option<i64> = query.query_row(params![batch, content.as_bytes()], |row| row.get(0)).optional()?;
        at.map(moment).transpose()
    }

    /// Notes that a file of translations into a language was collected whole.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn note_collected(
        &mut self,
        (batch, into): (i64, &LanguageTag),
        content: Fingerprint,
        name: &str,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute(
            "INSERT INTO batch_return VALUES (?1, ?2, ?3, ?4) ON CONFLICT (batch, hash) DO UPDATE SET name = ?3, at = ?4",
            params![batch, content.as_bytes(), name, millis(now)],
        )?;
        happen_returned(&transaction, (batch, into), name, now)?;
        Ok(transaction.commit()?)
    }
}

/// Tells that a file of a batch came back, how its language stands by it, and whether some of it has defects.
fn happen_returned(
    connection: &Connection,
    (batch, into): (i64, &LanguageTag),
    file: &str,
    now: Timestamp,
) -> Result<(), StoreError> {
    let (name, brief): (String, String) =
        connection
            .query_row("SELECT name, brief FROM batch WHERE id = ?1", [batch], |row| Ok((row.get(0)?, row.get(1)?)))?;
    let mut detail = json!({ "brief": brief, "language": into.as_str(), "file": file });
    let mut query = connection.prepare_cached(
        "SELECT standing, count(*) FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id
         WHERE batch = ?1 AND language = ?2 GROUP BY standing",
    )?;
    let mut rows = query.query(params![batch, into.as_str()])?;
    let mut rejected = 0;
    while let Some(row) = rows.next()? {
        let (standing, units): (String, i64) = (row.get(0)?, row.get(1)?);
        if of_word(&UnitStanding::WORDS, &standing)? == UnitStanding::Rejected {
            rejected = units;
        }
        detail[standing] = units.into();
    }
    happen(connection, ("batch.returned", &name), &detail, now)?;
    if rejected > 0 {
        happen(connection, ("batch.rejected", &name), &detail, now)?;
    }
    Ok(())
}

#[cfg(test)]
mod on_a_server;
#[cfg(test)]
mod tests;
