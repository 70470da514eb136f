//! What entries have become at destinations.

use std::collections::HashMap;

use super::database::{Connection, Row, params};
use diaporos_core::plan::Counterpart;
use diaporos_core::value::{Address, EntryId, LaneName, LanguageTag, Revision, Value};
use indexmap::IndexMap;
use jiff::Timestamp;
use rusqlite::types::Value as Column;

use super::owed::owe_readers;
use super::row::{
    address_at, divergences_text, entry_id, fields, fields_text, fingerprint, fingerprints, fingerprints_bytes, millis,
    moment, presence, read_divergences, revision,
};
use super::together::{add_rows, perhaps, text};
use super::translations::land;
use super::verdict::Delivered;
use super::{Store, StoreError};

/// A counterpart with its language.
#[derive(Debug, Clone, PartialEq)]
pub struct CounterpartRow {
    /// The lane.
    pub lane: String,
    /// Its language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// The counterpart.
    pub counterpart: Counterpart,
    /// When it was last delivered.
    pub delivered: Timestamp,
}

/// Whose counterpart a document is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Owner {
    /// The entry's number.
    pub entry: i64,
    /// The entry.
    pub address: Address,
    /// The language of it, where there is a document per language.
    pub language: Option<LanguageTag>,
}

// The key of `counterpart` begins with the lane, so the few lanes are gone through first.
const COUNTERPART: &str =
    "lane.name, language, counterpart.id, item, revision, fingerprint, fields, presence, delivered, apart, past, counterpart.entry
    FROM lane CROSS JOIN counterpart ON counterpart.lane = lane.id";

fn counterpart_row(row: Row<'_>) -> Result<CounterpartRow, StoreError> {
    let language = language_at(row, 1)?;
    let item: Option<String> = row.get(3)?;
    let counterpart = Counterpart {
        id: entry_id(row.get(2)?)?,
        item: item.map(entry_id).transpose()?,
        revision: revision(row.get(4)?)?,
        fingerprint: fingerprint(&row.get::<_, Vec<u8>>(5)?)?,
        presence: presence(&row.get::<_, String>(7)?)?,
        fields: fields(&row.get::<_, String>(6)?)?,
        divergences: read_divergences(row.get::<_, Option<String>>(9)?.as_deref())?,
        past: fingerprints(row.get::<_, Option<Vec<u8>>>(10)?.as_deref())?,
    };
    Ok(CounterpartRow { lane: row.get(0)?, language, counterpart, delivered: moment(row.get(8)?)? })
}

/// The language in a column; none where there is one document for all.
fn language_at(row: Row<'_>, column: usize) -> Result<Option<LanguageTag>, StoreError> {
    let language: String = row.get(column)?;
    if language.is_empty() { Ok(None) } else { Some(language.parse().map_err(StoreError::content)).transpose() }
}

impl Store {
    /// All that an entry has become anywhere.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn counterparts(&self, entry: i64) -> Result<Vec<CounterpartRow>, StoreError> {
        let sql = format!("SELECT {COUNTERPART} WHERE entry = ?1 ORDER BY lane.name, language");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([entry])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(counterpart_row(row)?);
        }
        Ok(found)
    }

    /// What entries, given by their numbers as a JSON list, have become on a lane.
    pub(super) fn counterparts_of(
        &self,
        lane: &LaneName,
        list: &str,
    ) -> Result<HashMap<i64, Vec<CounterpartRow>>, StoreError> {
        let sql = format!(
            "SELECT {COUNTERPART} WHERE lane.name = ?1 AND counterpart.entry IN (SELECT CAST(value AS BIGINT) FROM json_each(?2))
             ORDER BY counterpart.entry, language"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([lane.as_str(), list])?;
        let mut found: HashMap<i64, Vec<CounterpartRow>> = HashMap::new();
        while let Some(row) = rows.next()? {
            found.entry(row.get(11)?).or_default().push(counterpart_row(row)?);
        }
        Ok(found)
    }

    /// Another entry of which a document with that key was delivered to the type that a lane delivers to.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn other_with_key(
        &self,
        lane: &LaneName,
        key: &str,
        language: Option<&LanguageTag>,
        entry: i64,
    ) -> Result<Option<Address>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, entry_type.name, source_id FROM counterpart INDEXED BY counterpart_key
             JOIN lane ON lane.id = counterpart.lane JOIN entry ON entry.id = counterpart.entry
             JOIN entry_type ON entry_type.id = entry.type
             WHERE counterpart.key = ?1 AND counterpart.key IS NOT NULL AND language = ?2 AND presence <> 'deleted'
                 AND counterpart.entry <> ?3 AND lane.to_type = (SELECT to_type FROM lane WHERE name = ?4)",
        )?;
        let language = language.map_or("", LanguageTag::as_str);
        let mut rows = query.query(params![key, language, entry, lane.as_str()])?;
        rows.next()?.map(|row| address_at(row, 0)).transpose()
    }

    /// What lanes that are no longer configured delivered of an entry to the type that a lane delivers to.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn left_behind_of(
        &self,
        entry: i64,
        lane: &LaneName,
        configured: &[LaneName],
    ) -> Result<Vec<CounterpartRow>, StoreError> {
        let names: Vec<&str> = configured.iter().map(LaneName::as_str).collect();
        let sql = format!(
            "SELECT {COUNTERPART} WHERE entry = ?1 AND presence <> 'deleted'
             AND lane.to_type = (SELECT to_type FROM lane WHERE name = ?2) AND lane.name <> ?2
             AND lane.name NOT IN (SELECT value FROM json_each(?3)) ORDER BY lane.id DESC, language"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![entry, lane.as_str(), serde_json::to_string(&names).unwrap_or_default()])?;
        let mut found: Vec<CounterpartRow> = Vec::new();
        while let Some(row) = rows.next()? {
            let row = counterpart_row(row)?;
            if found.iter().all(|known| known.language != row.language) {
                found.push(row);
            }
        }
        Ok(found)
    }

    /// Whose counterpart a document at a lane's destination is, if anybody's.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn owner(&self, lane: &LaneName, id: &EntryId) -> Result<Option<Owner>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT entry.id, system, entry_type.name, source_id, language FROM counterpart
             JOIN lane ON lane.id = counterpart.lane JOIN entry ON entry.id = counterpart.entry
             JOIN entry_type ON entry_type.id = entry.type
             WHERE counterpart.id = ?1 AND lane.to_type = (SELECT to_type FROM lane WHERE name = ?2)",
        )?;
        let mut rows = query.query(params![id.as_str(), lane.as_str()])?;
        let Some(row) = rows.next()? else { return Ok(None) };
        Ok(Some(Owner { entry: row.get(0)?, address: address_at(row, 1)?, language: language_at(row, 4)? }))
    }

    /// Whether a lane's destination was seen to give documents other keys than they were sent with, or
    /// keeps what it gets in a form of its own.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn stores_its_own_way(&self, lane: &LaneName, field: Option<&str>) -> Result<bool, StoreError> {
        let lane = self.lane_number(lane)?;
        let mut query = self.connection.prepare_cached(
            "SELECT EXISTS (SELECT 1 FROM counterpart, json_each(apart) WHERE lane = ?1 AND apart IS NOT NULL
                 AND (CAST(?2 AS TEXT) IS NULL OR json_each.key = ?2) AND json_extract(json_each.value, '$.stored') IS NOT NULL)",
        )?;
        Ok(query.query_row(params![lane, field], |row| row.get(0))?)
    }

    /// How often a destination keeps each field in a form of its own on a lane, and one entry of which it
    /// does.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forms_of_their_own(&self, lane: &LaneName) -> Result<Vec<(String, u64, Address)>, StoreError> {
        let lane = self.lane_number(lane)?;
        let mut query = self.connection.prepare_cached(
            "SELECT json_each.key, count(*), system, entry_type.name, min(source_id) FROM counterpart
             JOIN entry ON entry.id = counterpart.entry JOIN entry_type ON entry_type.id = entry.type, json_each(apart)
             WHERE lane = ?1 AND apart IS NOT NULL AND json_extract(json_each.value, '$.stored') IS NOT NULL
             GROUP BY json_each.key, system, entry_type.name ORDER BY json_each.key",
        )?;
        let mut rows = query.query([lane])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push((row.get(0)?, row.get::<_, i64>(1)?.unsigned_abs(), address_at(row, 2)?));
        }
        Ok(found)
    }

    /// Everything that a lane has on view at its destination, each with its entry's number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn delivered_on(&self, lane: &LaneName) -> Result<Vec<(i64, CounterpartRow)>, StoreError> {
        let sql =
            format!("SELECT {COUNTERPART} WHERE lane.name = ?1 AND presence = 'present' ORDER BY counterpart.entry");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([lane.as_str()])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push((row.get(11)?, counterpart_row(row)?));
        }
        Ok(found)
    }

    /// Some documents that were delivered to a type of a system, and are on view there.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn some_delivered(&self, lane: &LaneName, most: u32) -> Result<Vec<CounterpartRow>, StoreError> {
        let sql = format!(
            "SELECT {COUNTERPART} WHERE lane.name = ?1 AND presence = 'present' ORDER BY counterpart.id LIMIT ?2"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![lane.as_str(), most])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(counterpart_row(row)?);
        }
        Ok(found)
    }

    /// Forgets what an entry became at a destination, so that the next push creates it again.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forget_counterpart(
        &mut self,
        lane: &LaneName,
        entry: i64,
        language: Option<&LanguageTag>,
    ) -> Result<(), StoreError> {
        let lane = self.lane_number(lane)?;
        let language = language.map_or("", LanguageTag::as_str);
        self.connection.execute(
            "DELETE FROM counterpart WHERE lane = ?1 AND entry = ?2 AND language = ?3",
            params![lane, entry, language],
        )?;
        Ok(())
    }
}

/// A lane, and what was known of documents of entries before something is noted of them.
pub(super) struct KnownBefore {
    lane: i64,
    /// Whether it leads back to where its entries come from.
    is_home: bool,
    /// The field by which its documents are recognised.
    key_field: Option<String>,
    /// Identifier and presence, by entry and language.
    documents: HashMap<(i64, String), (String, String)>,
}

impl KnownBefore {
    pub(super) fn of(connection: &Connection, lane: i64, entries: &[i64]) -> Result<KnownBefore, StoreError> {
        let (is_home, key_field) = connection
            .prepare_cached("SELECT from_type = to_type, key_field FROM lane WHERE id = ?1")?
            .query_row([lane], |row| Ok((row.get(0)?, row.get(1)?)))?;
        let list = serde_json::to_string(entries).map_err(StoreError::content)?;
        let known = connection
            .prepare_cached(
                "SELECT entry, language, id, presence FROM counterpart
                 WHERE lane = ?1 AND entry IN (SELECT CAST(value AS BIGINT) FROM json_each(?2))",
            )?
            .query_all(params![lane, list], |row| Ok(((row.get(0)?, row.get(1)?), (row.get(2)?, row.get(3)?))))?;
        Ok(KnownBefore { lane, is_home, key_field, documents: known.into_iter().collect() })
    }

    /// The lane.
    pub(super) fn lane(&self) -> i64 {
        self.lane
    }
}

const COLUMNS: [&str; 13] = [
    "lane",
    "entry",
    "language",
    "id",
    "item",
    "revision",
    "fingerprint",
    "fields",
    "presence",
    "delivered",
    "apart",
    "past",
    "key",
];

/// Keeps what entries have become; of a document that is told of twice the last counts.
pub(super) fn keep_counterparts<'a>(
    connection: &Connection,
    known: &KnownBefore,
    delivered: impl Iterator<Item = (i64, &'a Delivered)>,
    now: Timestamp,
) -> Result<(), StoreError> {
    let mut last: IndexMap<(i64, &str), &Delivered> = IndexMap::new();
    for (entry, one) in delivered {
        last.insert((entry, one.language.as_ref().map_or("", LanguageTag::as_str)), one);
    }
    let is_another = |((entry, language), one): &(&(i64, &str), &&Delivered)| {
        let before = known.documents.get(&(*entry, (*language).to_owned()));
        let Counterpart { id, presence, .. } = &one.counterpart;
        before.is_none_or(|(known, was)| known != id.as_str() || was != presence.word())
    };
    let others: Vec<i64> = last.iter().filter(is_another).map(|((entry, _), _)| *entry).collect();
    owe_readers(connection, known.lane, &others)?;
    let row = |((entry, language), one): (&(i64, &str), &&Delivered)| {
        let Counterpart { id, item, revision, fingerprint, presence, fields, divergences, past } = &one.counterpart;
        let key = known.key_field.as_ref().and_then(|field| fields.get(field)).and_then(Value::scalar_text);
        vec![
            known.lane.into(),
            (*entry).into(),
            text(*language),
            text(id.as_str()),
            perhaps(item.as_ref().map(EntryId::as_str)),
            perhaps(revision.as_ref().map(Revision::as_str)),
            fingerprint.as_bytes().to_vec().into(),
            text(fields_text(fields)),
            text(presence.word()),
            millis(now).into(),
            perhaps(divergences_text(divergences)),
            fingerprints_bytes(past).map_or(Column::Null, Column::Blob),
            perhaps(key),
        ]
    };
    let rows: Vec<Vec<Column>> = last.iter().map(row).collect();
    // An update leaves the index of ids as it is where the id does.
    let then = "ON CONFLICT (lane, entry, language) DO UPDATE SET
        id = excluded.id, item = excluded.item, revision = excluded.revision, fingerprint = excluded.fingerprint,
        fields = excluded.fields, presence = excluded.presence, delivered = excluded.delivered, apart = excluded.apart,
        past = excluded.past, key = excluded.key";
    add_rows(connection, ("counterpart", &COLUMNS), &rows, then)?;
    if known.is_home {
        last.iter().try_for_each(|((entry, _), one)| land(connection, *entry, one))?;
    }
    Ok(())
}
