//! What happened over a span of time, counted for reports.

use super::database::params;
use diaporos_core::translate::Band;
use diaporos_core::value::LanguageTag;
use jiff::Timestamp;

use super::batches::{Origin, band, of_word};
use super::row::{millis, moment};
use super::{Store, StoreError};

/// A span of time: from its first moment to before its last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    /// Its first moment.
    pub from: Timestamp,
    /// The moment after it.
    pub until: Timestamp,
}

/// Seconds in a slot: days of every time zone begin at one.
pub const SLOT: i64 = 900;

/// What was counted in a slot of a quarter of an hour.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlotCount {
    /// The slot, in quarters of an hour since 1970.
    pub slot: i64,
    /// Of which system or lane.
    pub of: String,
    /// What: `new`, `changed`, `gone`; or `create`, `update`, `withdraw`, `delete`, `failed`.
    pub what: String,
    /// How many.
    pub count: u64,
}

/// A change on its way from its source to a destination.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Passage {
    /// The lane.
    pub lane: String,
    /// What the source calls the version, which may be the moment of the change.
    pub revision: Option<String>,
    /// When it was taken in.
    pub taken: Timestamp,
    /// When the destination had it.
    pub live: Timestamp,
}

/// How often something did not go as planned.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OccurrenceCount {
    /// On which lane.
    pub lane: String,
    /// What: `held`, `failed`, `edited`.
    pub kind: String,
    /// Why, or which field it was about.
    pub of: String,
    /// How often.
    pub times: u64,
}

/// Texts whose translation was accepted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TranslatedCount {
    /// The brief.
    pub brief: String,
    /// The language.
    pub language: LanguageTag,
    /// Why they were sent.
    pub origin: Origin,
    /// How near the nearest text was whose translation was known.
    pub band: Band,
    /// How many.
    pub units: u64,
    /// Their words.
    pub words: u64,
}

impl Store {
    fn slots(&self, sql: &str, span: Span) -> Result<Vec<SlotCount>, StoreError> {
        let mut query = self.connection.prepare_cached(sql)?;
        Ok(query.query_all(params![millis(span.from), millis(span.until), SLOT * 1_000], |row| {
            let count = row.get::<_, i64>(3)?.unsigned_abs();
            Ok(SlotCount { slot: row.get(0)?, of: row.get(1)?, what: row.get(2)?, count })
        })?)
    }

    /// The versions that came in, by slot and system.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn came_in(&self, span: Span) -> Result<Vec<SlotCount>, StoreError> {
        self.slots(
            "SELECT version.at / ?3, system,
                 CASE WHEN version.state = 'gone' THEN 'gone' WHEN number = 1 THEN 'new' ELSE 'changed' END AS what, count(*)
             FROM version JOIN entry ON entry.id = version.entry JOIN entry_type ON entry_type.id = entry.type
             WHERE version.at >= ?1 AND version.at < ?2 GROUP BY 1, 2, 3 ORDER BY 1, 2, 3",
            span,
        )
    }

    /// The documents that were written, and the requests that were not carried out, by slot and lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn went_out(&self, span: Span) -> Result<Vec<SlotCount>, StoreError> {
        self.slots(
            "SELECT outcome.at / ?3, lane.name, CASE WHEN result IN ('done', 'found done') THEN action ELSE 'failed' END, count(*)
             FROM outcome JOIN intent ON intent.id = outcome.intent JOIN lane ON lane.id = intent.lane
             WHERE outcome.at >= ?1 AND outcome.at < ?2 GROUP BY 1, 2, 3 ORDER BY 1, 2, 3",
            span,
        )
    }

    /// Hands over every change that reached a destination.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn passages(&self, span: Span, mut each: impl FnMut(Passage)) -> Result<(), StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT lane.name, version.revision, version.at, outcome.at
             FROM outcome JOIN intent ON intent.id = outcome.intent JOIN lane ON lane.id = intent.lane
             JOIN version ON version.entry = intent.entry AND version.number = (
                 SELECT max(number) FROM version AS known WHERE known.entry = intent.entry AND known.at <= intent.at)
             WHERE outcome.at >= ?1 AND outcome.at < ?2 AND result IN ('done', 'found done') AND action IN ('create', 'update')",
        )?;
        let mut rows = query.query(params![millis(span.from), millis(span.until)])?;
        while let Some(row) = rows.next()? {
            let (taken, live) = (moment(row.get(2)?)?, moment(row.get(3)?)?);
            each(Passage { lane: row.get(0)?, revision: row.get(1)?, taken, live });
        }
        Ok(())
    }

    fn occurrences(&self, sql: &str, span: Span) -> Result<Vec<OccurrenceCount>, StoreError> {
        let mut query = self.connection.prepare_cached(sql)?;
        Ok(query.query_all(params![millis(span.from), millis(span.until)], |row| {
            let times = row.get::<_, i64>(3)?.unsigned_abs();
            Ok(OccurrenceCount { lane: row.get(0)?, kind: row.get(1)?, of: row.get(2)?, times })
        })?)
    }

    /// What did not go as planned, by lane, kind and reason, the most frequent first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn occurrences_by_reason(&self, span: Span) -> Result<Vec<OccurrenceCount>, StoreError> {
        self.occurrences(
            "SELECT lane.name, kind, reason, count(*) FROM occurrence JOIN lane ON lane.id = occurrence.lane
             WHERE at >= ?1 AND at < ?2 GROUP BY 1, 2, 3 ORDER BY 4 DESC, 1, 2, 3",
            span,
        )
    }

    /// The fields that entries were held for, or that somebody else changed, the most frequent first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn occurrences_by_field(&self, span: Span) -> Result<Vec<OccurrenceCount>, StoreError> {
        self.occurrences(
            "SELECT lane.name, kind, value, count(*) FROM occurrence JOIN lane ON lane.id = occurrence.lane, json_each(fields)
             WHERE at >= ?1 AND at < ?2 GROUP BY 1, 2, 3 ORDER BY 4 DESC, 1, 2, 3",
            span,
        )
    }

    /// The texts whose translation was accepted.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn translated(&self, span: Span) -> Result<Vec<TranslatedCount>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT brief, language, origin, count(*), CAST(sum(words) AS BIGINT), percent
             FROM batch_unit JOIN batch_text ON batch_text.id = batch_unit.text JOIN batch ON batch.id = batch_text.batch
             WHERE batch_unit.standing = 'accepted' AND batch_unit.at >= ?1 AND batch_unit.at < ?2
             GROUP BY 1, 2, 3, 6 ORDER BY 1, 2, 3, 6",
        )?;
        let mut rows = query.query(params![millis(span.from), millis(span.until)])?;
        let mut counts = Vec::new();
        while let Some(row) = rows.next()? {
            counts.push(TranslatedCount {
                brief: row.get(0)?,
                language: row.get::<_, String>(1)?.parse().map_err(StoreError::content)?,
                origin: of_word(&Origin::WORDS, &row.get::<_, String>(2)?)?,
                band: band(row.get(5)?),
                units: row.get::<_, i64>(3)?.unsigned_abs(),
                words: row.get::<_, i64>(4)?.unsigned_abs(),
            });
        }
        Ok(counts)
    }
}
