//! The texts of batches, and how each stands in each language.

use crate::store::database::{Row, params};
use diaporos_core::translate::{Band, Inline, NearMatch, TextKey, Unit, UnitId};
use diaporos_core::value::LanguageTag;
use jiff::Timestamp;

use super::standing::of_word;
use super::{Origin, UnitStanding, language};
use crate::store::row::{millis, moment};
use crate::store::{Store, StoreError};

/// A text to be put into a batch.
#[derive(Debug, Clone, PartialEq)]
pub struct NewText {
    /// The entry's number.
    pub entry: i64,
    /// The version of the entry whose text it is.
    pub version: u64,
    /// The field.
    pub field: String,
    /// The block in it, from 1.
    pub block: u32,
    /// The unit.
    pub unit: Unit,
    /// Its words.
    pub words: u64,
    /// The languages it is wanted in.
    pub languages: Vec<WantedLanguage>,
}

/// A language that a text is wanted in.
#[derive(Debug, Clone, PartialEq)]
pub struct WantedLanguage {
    /// The language.
    pub language: LanguageTag,
    /// Why it is wanted.
    pub origin: Origin,
    /// What the text said before, with its translation.
    pub earlier: Option<(Inline, Inline)>,
    /// Texts that are nearly the same, the nearest first.
    pub near: Vec<NearMatch>,
    /// How near the nearest text is whose translation is known, in percent.
    pub percent: Option<u8>,
}

/// A text of a batch in a language.
#[derive(Debug, Clone, PartialEq)]
pub struct BatchUnit {
    /// The number of its text, for the store alone.
    pub text: i64,
    /// The number of its entry.
    pub entry: i64,
    /// The version of the entry whose text it is.
    pub version: u64,
    /// The field.
    pub field: String,
    /// The block in it, from 1.
    pub block: u32,
    /// The unit.
    pub unit: Unit,
    /// Its words.
    pub words: u64,
    /// The language.
    pub language: LanguageTag,
    /// Why it is in the batch.
    pub origin: Origin,
    /// How it stands.
    pub standing: UnitStanding,
    /// Its translation, as it came back last.
    pub target: Option<Inline>,
    /// What is wrong with that, or to be known of it.
    pub reasons: Vec<String>,
    /// Since when it stands so.
    pub at: Timestamp,
    /// Who decided so, where somebody did.
    pub reviewer: Option<String>,
}

/// What became of a text.
#[derive(Debug, Clone, PartialEq)]
pub struct UnitVerdict {
    /// The number of its text.
    pub text: i64,
    /// The language.
    pub language: LanguageTag,
    /// How it stands.
    pub standing: UnitStanding,
    /// Its translation.
    pub target: Option<Inline>,
    /// What is wrong with that, or to be known of it.
    pub reasons: Vec<String>,
    /// Who decided so, where somebody did.
    pub reviewer: Option<String>,
}

/// How many texts of a batch stand alike.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnitCount {
    /// In which language.
    pub language: LanguageTag,
    /// Why they are in the batch.
    pub origin: Origin,
    /// How near the nearest text is whose translation was known.
    pub band: Band,
    /// How they stand.
    pub standing: UnitStanding,
    /// How many.
    pub units: u64,
    /// Their words.
    pub words: u64,
}

/// A text of an entry in a batch that is waited for.
#[derive(Debug, Clone, PartialEq)]
pub struct OpenUnit {
    /// The batch's name.
    pub batch: String,
    /// The field.
    pub field: String,
    /// The language.
    pub language: LanguageTag,
    /// The text.
    pub source: String,
    /// How it stands.
    pub standing: UnitStanding,
}

const UNIT: &str = "batch_text.id, entry, version, field, block, content, words, language, origin, earlier, standing, target, reasons, at, near, reviewer
    FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id";

fn batch_unit(row: Row<'_>) -> Result<BatchUnit, StoreError> {
    let mut unit: Unit = serde_json::from_str(&row.get::<_, String>(5)?).map_err(StoreError::content)?;
    let json = |text: Option<String>| text.map(|text| serde_json::from_str(&text)).transpose();
    let earlier: Option<String> = row.get(9)?;
    unit.context.earlier = earlier.map(|text| serde_json::from_str(&text)).transpose().map_err(StoreError::content)?;
    let near: Option<String> = row.get(14)?;
    let near = near.map(|text| serde_json::from_str(&text)).transpose().map_err(StoreError::content)?;
    unit.context.near = near.unwrap_or_default();
    Ok(BatchUnit {
        text: row.get(0)?,
        entry: row.get(1)?,
        version: row.get::<_, i64>(2)?.unsigned_abs(),
        field: row.get(3)?,
        block: row.get(4)?,
        unit,
        words: row.get::<_, i64>(6)?.unsigned_abs(),
        language: language(&row.get::<_, String>(7)?)?,
        origin: of_word(&Origin::WORDS, &row.get::<_, String>(8)?)?,
        standing: of_word(&UnitStanding::WORDS, &row.get::<_, String>(10)?)?,
        target: row.get::<_, Option<String>>(11)?.map(|coded| Inline::from_coded(&coded)),
        reasons: json(row.get(12)?).map_err(StoreError::content)?.unwrap_or_default(),
        at: moment(row.get(13)?)?,
        reviewer: row.get(15)?,
    })
}

pub(in crate::store) fn band(percent: Option<i64>) -> Band {
    Band::of(percent.and_then(|percent| u8::try_from(percent).ok()))
}

fn signed(number: u64) -> i64 {
    i64::try_from(number).unwrap_or(i64::MAX)
}

impl Store {
    /// Puts texts into a batch that is being made.
    ///
    /// # Errors
    /// Where the store fails; none of them is kept then.
    pub fn add_texts(&mut self, batch: i64, texts: &[NewText], now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for text in texts {
            let number: i64 = transaction
                .prepare_cached(
                    "INSERT INTO batch_text (batch, unit, entry, version, field, block, source, content, words) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9) RETURNING id",
                )?
                .query_row(params![
                    batch,
                    text.unit.id.as_str(),
                    text.entry,
                    signed(text.version),
                    text.field,
                    text.block,
                    text.unit.key().as_str(),
                    serde_json::to_string(&text.unit).map_err(StoreError::content)?,
                    signed(text.words)
                ], |row| row.get(0))?;
            for WantedLanguage { language, origin, earlier, near, percent } in &text.languages {
                let near = Some(near).filter(|near| !near.is_empty()).map(serde_json::to_string);
                let near = near.transpose().map_err(StoreError::content)?;
                let earlier = earlier.as_ref().map(serde_json::to_string).transpose().map_err(StoreError::content)?;
                transaction
                    .prepare_cached("INSERT INTO batch_unit (text, language, origin, earlier, standing, at, near, percent) VALUES (?1, ?2, ?3, ?4, 'out', ?5, ?6, ?7)",
                    )?
                    .execute(params![number, language.as_str(), origin.word(), earlier, millis(now), near, percent.map(i64::from)])?;
            }
        }
        Ok(transaction.commit()?)
    }

    /// How the texts of a batch stand.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch_counts(&self, batch: i64) -> Result<Vec<UnitCount>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT language, origin, standing, count(*), CAST(sum(words) AS BIGINT), percent FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id
             WHERE batch = ?1 GROUP BY 1, 2, 3, 6 ORDER BY 1, 2, 3, 6",
        )?;
        let mut rows = query.query([batch])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(UnitCount {
                language: language(&row.get::<_, String>(0)?)?,
                origin: of_word(&Origin::WORDS, &row.get::<_, String>(1)?)?,
                band: band(row.get(5)?),
                standing: of_word(&UnitStanding::WORDS, &row.get::<_, String>(2)?)?,
                units: row.get::<_, i64>(3)?.unsigned_abs(),
                words: row.get::<_, i64>(4)?.unsigned_abs(),
            });
        }
        Ok(found)
    }

    /// The next texts of a batch in a language, after the text of that number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch_units(
        &self,
        batch: i64,
        into: &LanguageTag,
        after: i64,
        most: usize,
    ) -> Result<Vec<BatchUnit>, StoreError> {
        let sql = format!(
            "SELECT {UNIT} WHERE batch = ?1 AND language = ?2 AND batch_text.id > ?3 ORDER BY batch_text.id LIMIT ?4"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![batch, into.as_str(), after, signed(most as u64)])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(batch_unit(row)?);
        }
        Ok(found)
    }

    /// A text of a batch in a language, by its unit's id.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch_unit(&self, batch: i64, into: &LanguageTag, id: &UnitId) -> Result<Option<BatchUnit>, StoreError> {
        let sql = format!("SELECT {UNIT} WHERE batch = ?1 AND unit = ?2 AND language = ?3");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![batch, id.as_str(), into.as_str()])?;
        rows.next()?.map(batch_unit).transpose()
    }

    /// The next texts of a batch in a language that say the same, after the text of that number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch_units_saying(
        &self,
        batch: i64,
        into: &LanguageTag,
        text: &TextKey,
        after: i64,
        most: usize,
    ) -> Result<Vec<BatchUnit>, StoreError> {
        let sql = format!(
            "SELECT {UNIT} WHERE batch = ?1 AND source = ?2 AND language = ?3 AND batch_text.id > ?4 ORDER BY batch_text.id LIMIT ?5"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![batch, text.as_str(), into.as_str(), after, signed(most as u64)])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(batch_unit(row)?);
        }
        Ok(found)
    }

    /// What of an entry is in batches that are waited for.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn open_units(&self, entry: i64) -> Result<Vec<OpenUnit>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT name, field, language, source, batch_unit.standing FROM batch_text
             JOIN batch_unit ON batch_unit.text = batch_text.id JOIN batch ON batch.id = batch_text.batch
             WHERE entry = ?1 AND batch.standing IN ('made', 'sending', 'sent') ORDER BY batch.id",
        )?;
        let mut rows = query.query([entry])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(OpenUnit {
                batch: row.get(0)?,
                field: row.get(1)?,
                language: language(&row.get::<_, String>(2)?)?,
                source: row.get(3)?,
                standing: of_word(&UnitStanding::WORDS, &row.get::<_, String>(4)?)?,
            });
        }
        Ok(found)
    }

    /// Notes what became of texts, in one commit.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn note_units(&mut self, verdicts: &[UnitVerdict], now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for verdict in verdicts {
            let reasons = serde_json::to_string(&verdict.reasons).map_err(StoreError::content)?;
            transaction
                .prepare_cached(
                    "UPDATE batch_unit SET standing = ?1, target = ?2, reasons = ?3, at = ?4, reviewer = ?7 WHERE text = ?5 AND language = ?6",
                )?
                .execute(params![
                    verdict.standing.word(),
                    verdict.target.as_ref().map(Inline::coded),
                    reasons,
                    millis(now),
                    verdict.text,
                    verdict.language.as_str(),
                    verdict.reviewer
                ])?;
        }
        Ok(transaction.commit()?)
    }
}
