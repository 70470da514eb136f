//! Accepted translations: values of their entries, till the source system says something else.

use std::borrow::Cow;

use super::database::{Connection, params};
use diaporos_core::change::Fingerprint;
use diaporos_core::intake::Incoming;
use diaporos_core::value::{LanguageTag, Localised, Record, Value};
use jiff::Timestamp;

use super::content::{Content, Packing};
use super::owed::mark_owed;
use super::row::{entry_id, fields, fields_text, fingerprint, millis, moment, revision, state};
use super::verdict::Delivered;
use super::versions::{NewVersion, keep_version};
use super::words::{Words, keep_words};
use super::{Store, StoreError};

/// Entries whose versions are kept together.
const TOGETHER: usize = 200;

/// A translation to be taken as a value.
#[derive(Debug, Clone, PartialEq)]
pub struct Translation {
    /// The field.
    pub field: String,
    /// The language.
    pub language: LanguageTag,
    /// The text.
    pub value: String,
    /// The fingerprint of the text that it is of.
    pub source: Fingerprint,
    /// Whether it is made up, for trying.
    pub is_pseudo: bool,
    /// Whether lanes read it before the source system gives it back.
    pub is_shown: bool,
}

/// Whose value of a field in a language counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TranslationStanding {
    /// The translation; the source system has none, or the one that it is to replace.
    Ours,
    /// The source system has it too.
    Landed,
    /// The source system has another since.
    Superseded,
}

impl TranslationStanding {
    const WORDS: [(&str, TranslationStanding); 3] = [
        ("ours", TranslationStanding::Ours),
        ("landed", TranslationStanding::Landed),
        ("superseded", TranslationStanding::Superseded),
    ];

    fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, standing)| *standing == self).map_or("", |(word, _)| word)
    }
}

/// A translation as it is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct TranslationRow {
    /// The translation.
    pub translation: Translation,
    /// Whose value counts.
    pub standing: TranslationStanding,
    /// The batch that it came with.
    pub batch: String,
    /// When it was accepted.
    pub at: Timestamp,
    /// What the source system had then.
    pub replaced: Option<Value>,
}

/// One value as a record of one, in the form of stored fields.
fn stored(value: &Value) -> String {
    fields_text(&Record::from_iter([("value".to_owned(), value.clone())]))
}

fn unstored(text: Option<String>) -> Result<Option<Value>, StoreError> {
    text.map(|text| Ok(fields(&text)?.swap_remove("value").unwrap_or_default())).transpose()
}

fn value_in<'a>(fields: &'a Record, field: &str, language: &LanguageTag) -> Option<&'a Value> {
    match fields.get(field) {
        Some(Value::Localised(by_language)) => by_language.get(language).filter(|value| !value.is_blank()),
        _ => None,
    }
}

/// Puts a value into a field in a language; without one, takes what is there away.
fn put(fields: &mut Record, field: &str, language: &LanguageTag, value: Option<Value>) {
    let place = fields.entry(field.to_owned()).or_insert_with(|| Value::Localised(Localised::new()));
    if place.is_null() {
        *place = Value::Localised(Localised::new());
    }
    // A field without languages has no place for another.
    if let Value::Localised(by_language) = place {
        match value {
            Some(value) => drop(by_language.insert(language.clone(), value)),
            None => drop(by_language.remove(language)),
        }
    }
}

fn rows(connection: &Connection, entry: i64) -> Result<Vec<TranslationRow>, StoreError> {
    let mut query = connection.prepare_cached(
        "SELECT field, language, value, source, is_pseudo, is_shown, translation.standing, name, at, replaced
         FROM translation JOIN batch ON batch.id = translation.batch WHERE entry = ?1 ORDER BY field, language",
    )?;
    let mut rows = query.query([entry])?;
    let mut found = Vec::new();
    while let Some(row) = rows.next()? {
        let language: String = row.get(1)?;
        let word: String = row.get(6)?;
        let standing =
            TranslationStanding::WORDS.iter().find(|(known, _)| *known == word).map(|(_, standing)| *standing);
        found.push(TranslationRow {
            translation: Translation {
                field: row.get(0)?,
                language: language.parse().map_err(StoreError::content)?,
                value: row.get(2)?,
                source: fingerprint(&row.get::<_, Vec<u8>>(3)?)?,
                is_pseudo: row.get(4)?,
                is_shown: row.get(5)?,
            },
            standing: standing.ok_or_else(|| StoreError::Content(format!("the standing `{word}`")))?,
            batch: row.get(7)?,
            at: moment(row.get(8)?)?,
            replaced: unstored(row.get(9)?)?,
        });
    }
    Ok(found)
}

/// An entry as it comes in, with the translations that are still ours to give. Where the source
/// system has a value of its own since, that counts from now on.
pub(super) fn with_translations<'a>(
    connection: &Connection,
    number: i64,
    entry: &'a Incoming,
) -> Result<Cow<'a, Incoming>, StoreError> {
    let mut given = Cow::Borrowed(entry);
    for row in rows(connection, number)? {
        let Translation { field, language, value, is_shown, .. } = &row.translation;
        let theirs = value_in(&entry.fields, field, language);
        let is_same = theirs.and_then(Value::as_text) == Some(value);
        let standing = match (row.standing, theirs) {
            (TranslationStanding::Superseded, _) => continue,
            (_, Some(_)) if is_same => TranslationStanding::Landed,
            // What the source had and has no more, it was told to drop.
            (TranslationStanding::Landed, _) => TranslationStanding::Superseded,
            (TranslationStanding::Ours, None) => TranslationStanding::Ours,
            (TranslationStanding::Ours, Some(theirs)) if row.replaced.as_ref() == Some(theirs) => {
                TranslationStanding::Ours
            }
            (TranslationStanding::Ours, Some(_)) => TranslationStanding::Superseded,
        };
        if standing == TranslationStanding::Ours {
            if *is_shown {
                put(&mut given.to_mut().fields, field, language, Some(value.as_str().into()));
            }
            continue;
        }
        set_standing(connection, number, &row.translation, standing)?;
    }
    Ok(given)
}

/// What was delivered to the very document that an entry is has come home: from now on it is the source
/// system's.
pub(super) fn land(connection: &Connection, entry: i64, delivered: &Delivered) -> Result<(), StoreError> {
    for row in rows(connection, entry)?.iter().filter(|row| row.standing == TranslationStanding::Ours) {
        let Translation { field, language, value, .. } = &row.translation;
        let there = value_in(&delivered.counterpart.fields, field, language);
        if there.and_then(Value::as_text) == Some(value) {
            set_standing(connection, entry, &row.translation, TranslationStanding::Landed)?;
        }
    }
    Ok(())
}

fn set_standing(
    connection: &Connection,
    entry: i64,
    Translation { field, language, .. }: &Translation,
    standing: TranslationStanding,
) -> Result<(), StoreError> {
    connection
        .prepare_cached("UPDATE translation SET standing = ?1 WHERE entry = ?2 AND field = ?3 AND language = ?4")?
        .execute(params![standing.word(), entry, field, language.as_str()])?;
    Ok(())
}

/// The current version of an entry, as it would come in.
struct Current {
    kind: i64,
    version: i64,
    incoming: Incoming,
}

fn current(connection: &Connection, packing: &mut Packing, number: i64) -> Result<Option<Current>, StoreError> {
    let mut query = connection.prepare_cached(
        "SELECT type, source_id, entry.state, entry.revision, entry.fingerprint, entry.version, content, packing
         FROM entry JOIN version ON version.entry = entry.id AND version.number = entry.version WHERE entry.id = ?1",
    )?;
    let mut rows = query.query([number])?;
    let Some(row) = rows.next()? else { return Ok(None) };
    let Content { fields, notes, raw } = packing.unpack(connection, &row.get::<_, Vec<u8>>(6)?, row.get(7)?)?;
    let incoming = Incoming {
        id: entry_id(row.get(1)?)?,
        part: None,
        state: state(&row.get::<_, String>(2)?)?,
        revision: revision(row.get(3)?)?,
        fields,
        fingerprint: fingerprint(&row.get::<_, Vec<u8>>(4)?)?,
        raw,
        notes,
    };
    Ok(Some(Current { kind: row.get(0)?, version: row.get(5)?, incoming }))
}

/// Keeps fields as new versions, the words by which they are found last and together; what came from the
/// source stays known as it was. Every lane owes these entries a look.
fn keep_versions(
    connection: &Connection,
    packing: &mut Packing,
    altered: &[(i64, Current)],
    now: Timestamp,
) -> Result<(), StoreError> {
    let mut words = Vec::new();
    for (number, Current { kind, version, incoming }) in altered {
        let version = version + 1;
        let content = [Content::write(incoming)?];
        for packed in packing.pack(connection, *kind, &content)? {
            keep_version(connection, &NewVersion { entry: *number, number: version, incoming, packed }, now)?;
        }
        connection.prepare_cached("UPDATE entry SET version = ?1, changed = ?2 WHERE id = ?3")?.execute(params![
            version,
            millis(now),
            number
        ])?;
        mark_owed(connection, *kind, &[(*number, incoming.id.as_str())], now)?;
        words.push(Words::of(*number, incoming, false));
    }
    keep_words(connection, &words)
}

impl Store {
    /// Takes translations as values of entries, in one commit, and says how many are new. What lanes
    /// read of them is a version of its own; every lane owes the entries a look. One that is made up
    /// never takes the place of a real one.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn take_translations(
        &mut self,
        batch: i64,
        accepted: &[(i64, Vec<Translation>)],
        now: Timestamp,
    ) -> Result<usize, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let packing = self.packing.get_mut();
        let (mut taken, mut altered) = (0, Vec::new());
        for (entry, translations) in accepted {
            let Some(mut current) = current(&transaction, packing, *entry)? else { continue };
            let (new, is_altered) = take_of_entry(&transaction, (batch, *entry), translations, &mut current, now)?;
            taken += new;
            match (new, is_altered) {
                (_, true) => altered.push((*entry, current)),
                (1.., false) => mark_owed(&transaction, current.kind, &[(*entry, current.incoming.id.as_str())], now)?,
                (0, false) => {}
            }
        }
        keep_versions(&transaction, packing, &altered, now).inspect_err(|_| packing.forget())?;
        transaction.commit().inspect_err(|_| packing.forget())?;
        Ok(taken)
    }

    /// The translations of an entry.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn translations(&self, entry: i64) -> Result<Vec<TranslationRow>, StoreError> {
        rows(&self.connection, entry)
    }

    /// Takes the made-up translations of a batch out of their entries again, and says how many there
    /// were.
    ///
    /// # Errors
    /// Where the store fails; what was taken out of an entry before stays out.
    pub fn drop_pseudo(&mut self, batch: i64, now: Timestamp) -> Result<usize, StoreError> {
        let entries: Vec<i64> = {
            let mut query = self.connection.prepare_cached(
                "SELECT DISTINCT entry FROM translation WHERE batch = ?1 AND is_pseudo <> 0 ORDER BY entry",
            )?;
            query.query_all([batch], |row| row.get(0))?
        };
        let mut dropped = 0;
        for entries in entries.chunks(TOGETHER) {
            let transaction = self.fence.begin(&mut self.connection)?;
            let packing = self.packing.get_mut();
            let mut altered = Vec::new();
            for entry in entries {
                let Some(mut current) = current(&transaction, packing, *entry)? else { continue };
                for row in rows(&transaction, *entry)?.into_iter().filter(|row| row.translation.is_pseudo) {
                    let Translation { field, language, is_shown, .. } = &row.translation;
                    if *is_shown && row.standing == TranslationStanding::Ours {
                        put(&mut current.incoming.fields, field, language, row.replaced.clone());
                    }
                    dropped += transaction
                        .prepare_cached(
                            "DELETE FROM translation WHERE entry = ?1 AND field = ?2 AND language = ?3 AND batch = ?4",
                        )?
                        .execute(params![entry, field, language.as_str(), batch])?;
                }
                altered.push((*entry, current));
            }
            keep_versions(&transaction, packing, &altered, now).inspect_err(|_| packing.forget())?;
            transaction.commit().inspect_err(|_| packing.forget())?;
        }
        Ok(dropped)
    }
}

/// Takes the translations of one entry: how many are new, and whether the entry says something else now.
fn take_of_entry(
    connection: &Connection,
    of: (i64, i64),
    accepted: &[Translation],
    current: &mut Current,
    now: Timestamp,
) -> Result<(usize, bool), StoreError> {
    let (batch, entry) = of;
    let before = rows(connection, entry)?;
    let (mut taken, mut altered) = (0, false);
    for translation in accepted {
        let Translation { field, language, value, source, is_pseudo, is_shown } = translation;
        let known = before.iter().find(|row| row.translation.field == *field && row.translation.language == *language);
        let own = known.filter(|row| row.standing == TranslationStanding::Ours);
        let theirs = value_in(&current.incoming.fields, field, language);
        let is_known =
            known.is_some_and(|row| row.translation == *translation && row.standing != TranslationStanding::Superseded);
        if is_known || (*is_pseudo && own.is_some_and(|own| !own.translation.is_pseudo)) {
            continue;
        }
        taken += 1;
        // What came home is there, also where the source has not given it back yet.
        let at_home = known.filter(|row| row.standing == TranslationStanding::Landed && !row.translation.is_shown);
        let replaced = match (own, at_home) {
            (Some(own), _) => own.replaced.clone(),
            (None, Some(row)) => Some(row.translation.value.as_str().into()),
            (None, None) => theirs.cloned(),
        };
        // What the source system has already is no value of ours; that it is of this text is news.
        let is_there = own.is_none() && theirs.and_then(Value::as_text) == Some(value);
        let standing = if is_there { TranslationStanding::Landed } else { TranslationStanding::Ours };
        connection
            .prepare_cached("INSERT INTO translation VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11) ON CONFLICT (entry, field, language)
                 DO UPDATE SET value = ?4, source = ?5, replaced = ?6, batch = ?7, is_pseudo = ?8, is_shown = ?9, standing = ?10, at = ?11")?
            .execute(params![
                entry,
                field,
                language.as_str(),
                value,
                source.as_bytes(),
                replaced.as_ref().map(stored),
                batch,
                is_pseudo,
                is_shown,
                standing.word(),
                millis(now)
            ])?;
        if *is_shown && !is_there {
            altered = true;
            put(&mut current.incoming.fields, field, language, Some(value.as_str().into()));
        }
    }
    Ok((taken, altered))
}
