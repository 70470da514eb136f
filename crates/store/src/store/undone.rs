//! What runs changed, and entries that are kept as they were before one.

use super::database::{OptionalRow, params};
use diaporos_core::value::{Address, LaneName, LanguageTag, Record};
use jiff::Timestamp;
use serde_json::{Value as Json, json};

use super::intent::{Action, Was, action};
use super::row::{address_at, fields, fields_text, millis, moment, presence};
use super::{Store, StoreError};

/// A document as it is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptDocument {
    /// Its language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// Its fields.
    pub fields: Record,
}

/// An entry that is kept at a destination as it was before a run.
#[derive(Debug, Clone, PartialEq)]
pub struct Undone {
    /// The run.
    pub run: i64,
    /// Who undid it.
    pub who: String,
    /// Since when.
    pub since: Timestamp,
    /// Its documents; none where nothing is to be there.
    pub documents: Vec<KeptDocument>,
}

/// A change that a run carried out.
#[derive(Debug, Clone, PartialEq)]
pub struct RunChange {
    /// The lane.
    pub lane: LaneName,
    /// The entry's number.
    pub entry: i64,
    /// The entry.
    pub address: Address,
    /// The document's language.
    pub language: Option<LanguageTag>,
    /// What was done.
    pub action: Action,
    /// The document's fields after it.
    pub fields: Record,
    /// What it changed, as it was before; none where nothing was there.
    pub was: Option<Was>,
}

impl Was {
    pub(super) fn text(&self) -> String {
        let fields: Json = serde_json::from_str(&fields_text(&self.fields)).unwrap_or_default();
        json!({ "presence": self.presence.word(), "fields": fields }).to_string()
    }

    pub(super) fn read(text: &str) -> Result<Was, StoreError> {
        let json: Json = serde_json::from_str(text).map_err(StoreError::content)?;
        let presence = presence(json["presence"].as_str().unwrap_or_default())?;
        Ok(Was { presence, fields: fields(&json["fields"].to_string())? })
    }
}

fn documents_text(documents: &[KeptDocument]) -> String {
    let one = |document: &KeptDocument| {
        let fields: Json = serde_json::from_str(&fields_text(&document.fields)).unwrap_or_default();
        json!({ "language": document.language.as_ref().map(LanguageTag::as_str), "fields": fields })
    };
    Json::Array(documents.iter().map(one).collect()).to_string()
}

fn documents(text: &str) -> Result<Vec<KeptDocument>, StoreError> {
    let all: Vec<Json> = serde_json::from_str(text).map_err(StoreError::content)?;
    let one = |json: Json| {
        let language = json["language"].as_str().map(str::parse).transpose().map_err(StoreError::content)?;
        Ok(KeptDocument { language, fields: fields(&json["fields"].to_string())? })
    };
    all.into_iter().map(one).collect()
}

impl Store {
    /// Whether the ledger has a run.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn has_run_numbered(&self, run: i64) -> Result<bool, StoreError> {
        let mut find = self.connection.prepare_cached("SELECT EXISTS (SELECT 1 FROM run WHERE id = ?1)")?;
        Ok(find.query_row([run], |row| row.get(0))?)
    }

    /// What runs carried out, in order.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn run_changes(&self, runs: &[i64]) -> Result<Vec<RunChange>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT lane.name, entry.id, system, entry_type.name, source_id, language, action, fields, was
             FROM intent JOIN outcome ON outcome.intent = intent.id JOIN lane ON lane.id = intent.lane
             JOIN entry ON entry.id = intent.entry JOIN entry_type ON entry_type.id = entry.type
             WHERE run IN (SELECT CAST(value AS BIGINT) FROM json_each(?1)) AND result IN ('done', 'found done') ORDER BY intent.id",
        )?;
        let mut rows = query.query([serde_json::to_string(runs).map_err(StoreError::content)?])?;
        let mut changes = Vec::new();
        while let Some(row) = rows.next()? {
            let (language, word): (String, String) = (row.get(5)?, row.get(6)?);
            changes.push(RunChange {
                lane: LaneName::new(row.get::<_, String>(0)?).map_err(StoreError::content)?,
                entry: row.get(1)?,
                address: address_at(row, 2)?,
                language: if language.is_empty() { None } else { Some(language.parse().map_err(StoreError::content)?) },
                action: action(&word)?,
                fields: fields(&row.get::<_, String>(7)?)?,
                was: row.get::<_, Option<String>>(8)?.map(|text| Was::read(&text)).transpose()?,
            });
        }
        Ok(changes)
    }

    /// The first later run that changed an entry's documents on a lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn changed_after(&self, lane: &LaneName, entry: i64, run: i64) -> Result<Option<i64>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT min(run) FROM intent JOIN outcome ON outcome.intent = intent.id
             WHERE entry = ?2 AND lane = (SELECT id FROM lane WHERE name = ?1) AND run > ?3 AND result IN ('done', 'found done')",
        )?;
        Ok(query.query_row(params![lane.as_str(), entry, run], |row| row.get(0))?)
    }

    /// How an entry is kept on a lane, where it is kept as it was before a run.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn undone(&self, lane: &LaneName, entry: i64) -> Result<Option<Undone>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT run, who, since, documents FROM undone WHERE lane = (SELECT id FROM lane WHERE name = ?1) AND entry = ?2",
        )?;
        let found = query.query_row(params![lane.as_str(), entry], |row| {
            Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get::<_, String>(3)?))
        });
        let Some((run, who, since, text)) = found.optional()? else { return Ok(None) };
        Ok(Some(Undone { run, who, since: moment(since)?, documents: documents(&text)? }))
    }

    /// Every entry that is kept as it was before a run, with its lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn all_undone(&self) -> Result<Vec<(LaneName, Address, i64, Undone)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT lane.name, entry.id, system, entry_type.name, source_id, run, who, since, documents
             FROM undone JOIN lane ON lane.id = undone.lane JOIN entry ON entry.id = undone.entry
             JOIN entry_type ON entry_type.id = entry.type ORDER BY since, lane.name, entry.id",
        )?;
        let mut rows = query.query(params![])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            let lane = LaneName::new(row.get::<_, String>(0)?).map_err(StoreError::content)?;
            let since = moment(row.get(7)?)?;
            let documents = documents(&row.get::<_, String>(8)?)?;
            let undone = Undone { run: row.get(5)?, who: row.get(6)?, since, documents };
            found.push((lane, address_at(row, 2)?, row.get(1)?, undone));
        }
        Ok(found)
    }

    /// Keeps entries as they were before a run, in one commit; they are owed a look.
    ///
    /// # Errors
    /// Where the store fails; none is kept then.
    pub fn keep_undone(&mut self, kept: &[(LaneName, i64, Undone)]) -> Result<(), StoreError> {
        let lanes = kept.iter().map(|(lane, ..)| self.lane_number(lane)).collect::<Result<Vec<_>, _>>()?;
        let transaction = self.fence.begin(&mut self.connection)?;
        for ((_, entry, undone), lane) in kept.iter().zip(lanes) {
            let Undone { run, who, since, documents } = undone;
            transaction
                .prepare_cached(
                    "INSERT INTO undone VALUES (?1, ?2, ?3, ?4, ?5, ?6)
                     ON CONFLICT (lane, entry) DO UPDATE SET run = ?3, who = ?4, since = ?5, documents = ?6",
                )?
                .execute(params![lane, entry, run, who, millis(*since), documents_text(documents)])?;
            owe(&transaction, (lane, *entry), *since)?;
        }
        Ok(transaction.commit()?)
    }

    /// Lets entries go as their lanes have them again, in one commit; they are owed a look. Gives how many were
    /// kept.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn release_undone(&mut self, released: &[(LaneName, i64)], now: Timestamp) -> Result<u64, StoreError> {
        let lanes = released.iter().map(|(lane, _)| self.lane_number(lane)).collect::<Result<Vec<_>, _>>()?;
        let transaction = self.fence.begin(&mut self.connection)?;
        let mut were_kept = 0;
        for ((_, entry), lane) in released.iter().zip(lanes) {
            let kept = transaction
                .prepare_cached("DELETE FROM undone WHERE lane = ?1 AND entry = ?2")?
                .execute(params![lane, entry])?;
            if kept > 0 {
                owe(&transaction, (lane, *entry), now)?;
            }
            were_kept += kept as u64;
        }
        transaction.commit()?;
        Ok(were_kept)
    }
}

fn owe(connection: &super::database::Connection, (lane, entry): (i64, i64), now: Timestamp) -> Result<(), StoreError> {
    connection
        .prepare_cached(
            "INSERT INTO delivery (lane, entry, standing, since) VALUES (?1, ?2, 'owed', ?3)
             ON CONFLICT (lane, entry) DO UPDATE SET standing = 'owed', reason = NULL, message = NULL,
                 since = CASE WHEN delivery.standing = 'owed' THEN delivery.since ELSE excluded.since END,
                 touched = delivery.touched + 1",
        )?
        .execute(params![lane, entry, millis(now)])?;
    Ok(())
}
