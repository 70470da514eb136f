//! Batches: texts that are out for translation, and how each stands.

use std::collections::BTreeMap;

use diaporos_core::change::Fingerprint;
use diaporos_core::translate::{Inline, Unit, UnitId};
use diaporos_core::value::LanguageTag;
use jiff::Timestamp;
use rusqlite::{OptionalExtension, Row, params};

use super::row::{millis, moment};
use super::{Store, StoreError};

/// Where a batch stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BatchStanding {
    /// It is made, and not sent.
    Made,
    /// It is being sent; whether it is ordered is not known yet.
    Sending,
    /// It is with the translators.
    Sent,
    /// All of it was known from before; it was never sent.
    Filled,
    /// Nothing of it is waited for any more.
    Cancelled,
}

impl BatchStanding {
    const WORDS: [(&str, BatchStanding); 5] = [
        ("made", BatchStanding::Made),
        ("sending", BatchStanding::Sending),
        ("sent", BatchStanding::Sent),
        ("filled", BatchStanding::Filled),
        ("cancelled", BatchStanding::Cancelled),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, self)
    }
}

/// Why a text is in a batch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// It has no translation.
    New,
    /// It has one of what it said before.
    Changed,
    /// It stands in the batch once already; it is not sent, and has the other's translation.
    Repeated,
}

impl Origin {
    const WORDS: [(&str, Origin); 3] =
        [("new", Origin::New), ("changed", Origin::Changed), ("repeated", Origin::Repeated)];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, self)
    }
}

/// How a text stands in a language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum UnitStanding {
    /// It has not come back.
    Out,
    /// Its translation is taken.
    Accepted,
    /// Its translation has defects, and goes back.
    Rejected,
    /// Its translation is sound, of a text that has changed since.
    Outdated,
}

impl UnitStanding {
    const WORDS: [(&str, UnitStanding); 4] = [
        ("out", UnitStanding::Out),
        ("accepted", UnitStanding::Accepted),
        ("rejected", UnitStanding::Rejected),
        ("outdated", UnitStanding::Outdated),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, self)
    }
}

fn word_of<T: PartialEq>(words: &[(&'static str, T)], of: T) -> &'static str {
    words.iter().find(|(_, known)| *known == of).map_or("", |(word, _)| *word)
}

fn of_word<T: Copy>(words: &[(&'static str, T)], word: &str) -> Result<T, StoreError> {
    let found = words.iter().find(|(known, _)| *known == word).map(|(_, of)| *of);
    found.ok_or_else(|| StoreError::Content(format!("the standing `{word}`")))
}

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
    pub languages: Vec<Wanted>,
}

/// A language that a text is wanted in.
#[derive(Debug, Clone, PartialEq)]
pub struct Wanted {
    /// The language.
    pub language: LanguageTag,
    /// Why it is wanted.
    pub origin: Origin,
    /// What the text said before, with its translation.
    pub earlier: Option<(Inline, Inline)>,
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
}

/// How many texts of a batch stand alike.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnitCount {
    /// In which language.
    pub language: LanguageTag,
    /// Why they are in the batch.
    pub origin: Origin,
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

const BATCH: &str = "id, name, brief, source_language, languages, standing, made, due, sent, ended, order_there, files_there FROM batch";

fn language(text: &str) -> Result<LanguageTag, StoreError> {
    text.parse().map_err(StoreError::content)
}

fn batch_row(row: &Row<'_>) -> Result<BatchRow, StoreError> {
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

const UNIT: &str = "batch_text.id, entry, version, field, block, content, words, language, origin, earlier, standing, target, reasons, at
    FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id";

fn batch_unit(row: &Row<'_>) -> Result<BatchUnit, StoreError> {
    let mut unit: Unit = serde_json::from_str(&row.get::<_, String>(5)?).map_err(StoreError::content)?;
    let json = |text: Option<String>| text.map(|text| serde_json::from_str(&text)).transpose();
    let earlier: Option<String> = row.get(9)?;
    unit.context.earlier = earlier.map(|text| serde_json::from_str(&text)).transpose().map_err(StoreError::content)?;
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
    })
}

fn signed(number: u64) -> i64 {
    i64::try_from(number).unwrap_or(i64::MAX)
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
        let transaction = self.connection.transaction()?;
        const UNFINISHED: &str = "(SELECT id FROM batch WHERE standing = 'making')";
        transaction.execute_batch(&format!(
            "DELETE FROM batch_unit WHERE text IN (SELECT id FROM batch_text WHERE batch IN {UNFINISHED});
             DELETE FROM batch_text WHERE batch IN {UNFINISHED};
             DELETE FROM batch WHERE standing = 'making';"
        ))?;
        let before: i64 =
            transaction.query_row("SELECT count(*) FROM batch WHERE brief = ?", [brief], |row| row.get(0))?;
        let name = format!("{brief}-{}", before + 1);
        let languages: Vec<&str> = into.iter().map(LanguageTag::as_str).collect();
        let languages = serde_json::to_string(&languages).map_err(StoreError::content)?;
        transaction.execute(
            "INSERT INTO batch (name, brief, source_language, languages, standing, made, due) VALUES (?, ?, ?, ?, 'making', ?, ?)",
            params![name, brief, from.as_str(), languages, millis(now), due.map(millis)],
        )?;
        let number = transaction.last_insert_rowid();
        transaction.commit()?;
        Ok((number, name))
    }

    /// Puts texts into a batch that is being made.
    ///
    /// # Errors
    /// Where the store fails; none of them is kept then.
    pub fn add_texts(&mut self, batch: i64, texts: &[NewText], now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.connection.transaction()?;
        for text in texts {
            transaction
                .prepare_cached(
                    "INSERT INTO batch_text (batch, unit, entry, version, field, block, source, content, words) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                )?
                .execute(params![
                    batch,
                    text.unit.id.as_str(),
                    text.entry,
                    signed(text.version),
                    text.field,
                    text.block,
                    text.unit.source.coded(),
                    serde_json::to_string(&text.unit).map_err(StoreError::content)?,
                    signed(text.words)
                ])?;
            let number = transaction.last_insert_rowid();
            for Wanted { language, origin, earlier } in &text.languages {
                let earlier = earlier.as_ref().map(serde_json::to_string).transpose().map_err(StoreError::content)?;
                transaction
                    .prepare_cached("INSERT INTO batch_unit VALUES (?, ?, ?, ?, 'out', NULL, NULL, ?)")?
                    .execute(params![number, language.as_str(), origin.word(), earlier, millis(now)])?;
            }
        }
        Ok(transaction.commit()?)
    }

    /// Finishes a batch: from now on it is there. Without texts it never was, unless values came of it:
    /// then it stays as their origin, and nothing of it is waited for.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn finish_batch(&mut self, batch: i64, gave_values: bool) -> Result<bool, StoreError> {
        let transaction = self.connection.transaction()?;
        let has_texts: bool =
            transaction
                .query_row("SELECT EXISTS (SELECT 1 FROM batch_text WHERE batch = ?)", [batch], |row| row.get(0))?;
        if has_texts {
            // Only languages that something is to be translated into.
            transaction.execute(
                "UPDATE batch SET standing = 'made', languages = (SELECT json_group_array(value) FROM json_each(languages)
                 WHERE EXISTS (SELECT 1 FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id
                     WHERE batch = batch.id AND language = value)) WHERE id = ?",
                [batch],
            )?;
        } else if gave_values {
            transaction.execute("UPDATE batch SET standing = 'filled' WHERE id = ?", [batch])?;
        } else {
            transaction.execute("DELETE FROM batch WHERE id = ?", [batch])?;
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
        let mut rows = query.query([])?;
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
        let sql = format!("SELECT {BATCH} WHERE standing <> 'making' AND name = ?");
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
            "UPDATE batch SET standing = ?, sent = ?, ended = ?, order_there = ?, files_there = ?, due = ? WHERE id = ?",
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

    /// How the texts of a batch stand.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch_counts(&self, batch: i64) -> Result<Vec<UnitCount>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT language, origin, standing, count(*), sum(words) FROM batch_text JOIN batch_unit ON batch_unit.text = batch_text.id
             WHERE batch = ? GROUP BY 1, 2, 3 ORDER BY 1, 2, 3",
        )?;
        let mut rows = query.query([batch])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(UnitCount {
                language: language(&row.get::<_, String>(0)?)?,
                origin: of_word(&Origin::WORDS, &row.get::<_, String>(1)?)?,
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
            "SELECT {UNIT} WHERE batch = ? AND language = ? AND batch_text.id > ? ORDER BY batch_text.id LIMIT ?"
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
        let sql = format!("SELECT {UNIT} WHERE batch = ? AND unit = ? AND language = ?");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![batch, id.as_str(), into.as_str()])?;
        rows.next()?.map(batch_unit).transpose()
    }

    /// The texts of a batch in a language that say the same.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn batch_units_saying(
        &self,
        batch: i64,
        into: &LanguageTag,
        source: &Inline,
    ) -> Result<Vec<BatchUnit>, StoreError> {
        let sql = format!("SELECT {UNIT} WHERE batch = ? AND source = ? AND language = ? ORDER BY batch_text.id");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![batch, source.coded(), into.as_str()])?;
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
             WHERE entry = ? AND batch.standing IN ('made', 'sending', 'sent') ORDER BY batch.id",
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
        let transaction = self.connection.transaction()?;
        for verdict in verdicts {
            let reasons = serde_json::to_string(&verdict.reasons).map_err(StoreError::content)?;
            transaction
                .prepare_cached(
                    "UPDATE batch_unit SET standing = ?, target = ?, reasons = ?, at = ? WHERE text = ? AND language = ?",
                )?
                .execute(params![
                    verdict.standing.word(),
                    verdict.target.as_ref().map(Inline::coded),
                    reasons,
                    millis(now),
                    verdict.text,
                    verdict.language.as_str()
                ])?;
        }
        Ok(transaction.commit()?)
    }

    /// When a file of that content was collected for a batch.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn collected(&self, batch: i64, content: Fingerprint) -> Result<Option<Timestamp>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT at FROM batch_return WHERE batch = ? AND hash = ?")?;
        let at: Option<i64> = query.query_row(params![batch, content.as_bytes()], |row| row.get(0)).optional()?;
        at.map(moment).transpose()
    }

    /// Notes that a file was collected whole.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn note_collected(
        &mut self,
        batch: i64,
        content: Fingerprint,
        name: &str,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        self.connection.execute(
            "INSERT OR REPLACE INTO batch_return VALUES (?, ?, ?, ?)",
            params![batch, content.as_bytes(), name, millis(now)],
        )?;
        Ok(())
    }
}
