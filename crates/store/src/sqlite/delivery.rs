//! What is due on a lane, and what became of it.

use diaporos_core::plan::{Counterpart, HoldReason};
use diaporos_core::value::{Address, EntryId, LaneName, LanguageTag, SystemName};
use jiff::Timestamp;
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};

use super::row::{
    address_at, divergences_text, entry_id, fields, fields_text, fingerprint, fingerprints, fingerprints_bytes, millis,
    moment, presence, read_divergences, revision,
};
use super::translations::land;
use super::verdict::{Delivered, Verdict};
use super::{EntryRow, Standing, Store, StoreError};

/// An entry that a push has to look at.
#[derive(Debug, Clone, PartialEq)]
pub struct Due {
    /// Its number, for the store alone.
    pub number: i64,
    /// The entry.
    pub entry: EntryRow,
    /// What is known of it at the destination.
    pub counterparts: Vec<CounterpartRow>,
    /// Whether a person keeps it off.
    pub taken_off: bool,
    /// Why it is held, where it is.
    pub held: Option<HoldReason>,
}

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

/// Which entries are looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DueFilter {
    /// All that a push has to look at: what is owed, held or failed.
    All,
    /// What is owed alone.
    Owed,
    /// Everything that goes on the lane or is on view at its destination.
    There,
}

// The key of `counterpart` begins with the lane, so the few lanes are gone through first.
const COUNTERPART: &str =
    "lane.name, language, counterpart.id, item, revision, fingerprint, fields, presence, delivered, apart, past, counterpart.entry
    FROM lane CROSS JOIN counterpart ON counterpart.lane = lane.id";

fn counterpart_row(row: &Row<'_>) -> Result<CounterpartRow, StoreError> {
    let language: String = row.get(1)?;
    let language = if language.is_empty() { None } else { Some(language.parse().map_err(StoreError::content)?) };
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

impl Store {
    /// The next entries of a lane that a push has to look at, after the one of that number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn due(&self, lane: &LaneName, looking: DueFilter, after: i64, most: usize) -> Result<Vec<Due>, StoreError> {
        let lane_number = self.lane_number(lane)?;
        let which = match looking {
            DueFilter::All => "INDEXED BY delivery_due WHERE standing IN ('owed', 'held', 'failed')",
            DueFilter::Owed => {
                "INDEXED BY delivery_due WHERE standing IN ('owed', 'held', 'failed') AND standing = 'owed'"
            }
            DueFilter::There => "WHERE standing IN ('owed', 'held', 'failed', 'delivered')",
        };
        let mut query = self.connection.prepare_cached(&format!(
            "SELECT entry, system, name, source_id, due.reason FROM (SELECT * FROM delivery {which} AND lane = ?1 AND entry > ?2 ORDER BY entry LIMIT ?3) AS due
             CROSS JOIN entry ON entry.id = due.entry CROSS JOIN entry_type ON entry_type.id = entry.type ORDER BY entry",
        ))?;
        let mut rows = query.query(params![lane_number, after, i64::try_from(most).unwrap_or(i64::MAX)])?;
        let mut addresses = Vec::new();
        while let Some(row) = rows.next()? {
            let reason: Option<String> = row.get(4)?;
            addresses.push((address_at(row, 1)?, reason.as_deref().and_then(HoldReason::from_word)));
        }
        let mut due = Vec::with_capacity(addresses.len());
        for (address, held) in addresses {
            due.extend(self.look_at(lane, &address)?.map(|looked_at| Due { held, ..looked_at }));
        }
        Ok(due)
    }

    /// How many entries of a lane are on view at its destination.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn entries_there(&self, lane: &LaneName) -> Result<u64, StoreError> {
        let count = self
            .connection
            .prepare_cached("SELECT count(DISTINCT entry) FROM counterpart WHERE lane = ? AND presence = 'present'")?
            .query_row([self.lane_number(lane)?], |row| row.get::<_, i64>(0))?;
        Ok(count.unsigned_abs())
    }

    /// One entry with what a push looks at.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn look_at(&self, lane: &LaneName, address: &Address) -> Result<Option<Due>, StoreError> {
        let Some(stored) = self.entry(address)? else { return Ok(None) };
        let mut counterparts = self.counterparts(stored.number)?;
        counterparts.retain(|row| row.lane == lane.as_str());
        let taken_off = self.taken_off(lane, stored.number)?.is_some();
        Ok(Some(Due { number: stored.number, entry: stored.row, counterparts, taken_off, held: None }))
    }

    /// All that an entry has become anywhere.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn counterparts(&self, entry: i64) -> Result<Vec<CounterpartRow>, StoreError> {
        let sql = format!("SELECT {COUNTERPART} WHERE entry = ? ORDER BY lane.name, language");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([entry])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(counterpart_row(row)?);
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

    /// The entry whose counterpart a document at a lane's destination is, if any.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn owner(&self, lane: &LaneName, id: &EntryId) -> Result<Option<(i64, Address)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT entry.id, system, entry_type.name, source_id FROM counterpart
             JOIN lane ON lane.id = counterpart.lane JOIN entry ON entry.id = counterpart.entry
             JOIN entry_type ON entry_type.id = entry.type
             WHERE counterpart.id = ?1 AND lane.to_type = (SELECT to_type FROM lane WHERE name = ?2)",
        )?;
        let mut rows = query.query(params![id.as_str(), lane.as_str()])?;
        let Some(row) = rows.next()? else { return Ok(None) };
        Ok(Some((row.get(0)?, address_at(row, 1)?)))
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
                 AND (?2 IS NULL OR json_each.key = ?2) AND json_extract(json_each.value, '$.stored') IS NOT NULL)",
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
            "SELECT json_each.key, count(*), system, entry_type.name, min(source_id) FROM counterpart, json_each(apart)
             JOIN entry ON entry.id = counterpart.entry JOIN entry_type ON entry_type.id = entry.type
             WHERE lane = ?1 AND apart IS NOT NULL AND json_extract(json_each.value, '$.stored') IS NOT NULL
             GROUP BY json_each.key ORDER BY json_each.key",
        )?;
        let mut rows = query.query([lane])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push((row.get(0)?, row.get::<_, i64>(1)?.unsigned_abs(), address_at(row, 2)?));
        }
        Ok(found)
    }

    /// Where a destination was when it was last pushed to.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn destination_place(&self, system: &SystemName) -> Result<Option<String>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT place FROM destination WHERE system = ?")?;
        Ok(query.query_row([system.as_str()], |row| row.get(0)).optional()?)
    }

    /// Notes where a destination is.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_destination_place(&mut self, system: &SystemName, place: &str) -> Result<(), StoreError> {
        self.connection.execute(
            "INSERT INTO destination VALUES (?1, ?2) ON CONFLICT DO UPDATE SET place = ?2",
            params![system.as_str(), place],
        )?;
        Ok(())
    }

    /// Everything that a lane has on view at its destination, each with its entry's number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn delivered_on(&self, lane: &LaneName) -> Result<Vec<(i64, CounterpartRow)>, StoreError> {
        let sql =
            format!("SELECT {COUNTERPART} WHERE lane.name = ? AND presence = 'present' ORDER BY counterpart.entry");
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
            "SELECT {COUNTERPART} WHERE lane.name = ? AND presence = 'present' ORDER BY counterpart.id LIMIT ?"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![lane.as_str(), most])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(counterpart_row(row)?);
        }
        Ok(found)
    }

    /// Writes where entries stand after they were looked at, in one commit.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn note(&mut self, lane: &LaneName, verdicts: &[Verdict], now: Timestamp) -> Result<(), StoreError> {
        let lane = self.lane_number(lane)?;
        let transaction = self.connection.transaction()?;
        for verdict in verdicts {
            note_one(&transaction, lane, verdict, now)?;
        }
        Ok(transaction.commit()?)
    }

    /// How an entry stands on a lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn standing(&self, lane: &LaneName, entry: i64) -> Result<Option<(Standing, Option<HoldReason>)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT standing, reason FROM delivery JOIN lane ON lane.id = delivery.lane WHERE name = ? AND entry = ?",
        )?;
        let row = query.query_row(params![lane.as_str(), entry], |row| {
            Ok((row.get::<_, String>(0)?, row.get::<_, Option<String>>(1)?))
        });
        let Some((standing, reason)) = row.optional()? else { return Ok(None) };
        let standing =
            Standing::from_word(&standing).ok_or_else(|| StoreError::Content(format!("the standing `{standing}`")))?;
        Ok(Some((standing, reason.as_deref().and_then(HoldReason::from_word))))
    }

    /// Where an entry stands on every lane, with why it is held or failed.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn standings(&self, address: &Address) -> Result<Vec<(LaneName, Standing, Option<String>)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT lane.name, standing, reason FROM entry JOIN delivery INDEXED BY delivery_entry ON delivery.entry = entry.id
             JOIN lane ON lane.id = delivery.lane
             WHERE entry.type = (SELECT id FROM entry_type WHERE system = ? AND name = ?) AND source_id = ? ORDER BY lane.name",
        )?;
        let mut rows = query.query(params![address.system.as_str(), address.kind.as_str(), address.id.as_str()])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            let (name, word): (String, String) = (row.get(0)?, row.get(1)?);
            let standing =
                Standing::from_word(&word).ok_or_else(|| StoreError::Content(format!("the standing `{word}`")))?;
            found.push((LaneName::new(name).map_err(StoreError::content)?, standing, row.get(2)?));
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
            "DELETE FROM counterpart WHERE lane = ? AND entry = ? AND language = ?",
            params![lane, entry, language],
        )?;
        Ok(())
    }
}

pub(super) fn note_one(
    transaction: &Transaction<'_>,
    lane: i64,
    verdict: &Verdict,
    now: Timestamp,
) -> Result<(), StoreError> {
    transaction
        .prepare_cached(
            "INSERT INTO delivery VALUES (?1, ?2, ?3, ?4, ?5, ?6) ON CONFLICT DO UPDATE SET
                 since = CASE WHEN standing = excluded.standing AND message IS excluded.message THEN since ELSE excluded.since END,
                 standing = excluded.standing, reason = excluded.reason, message = excluded.message",
        )?
        .execute(params![lane, verdict.entry, verdict.standing.word(), verdict.reason, verdict.message, millis(now)])?;
    for delivered in &verdict.delivered {
        keep_counterpart(transaction, lane, verdict.entry, delivered, now)?;
    }
    transaction
        .prepare_cached("DELETE FROM reading WHERE lane = ? AND entry = ?")?
        .execute(params![lane, verdict.entry])?;
    for read in &verdict.reads {
        let kind = Store::type_number(transaction, &read.system, &read.kind)?;
        transaction.prepare_cached("INSERT INTO reading VALUES (?, ?, ?, ?)")?.execute(params![
            kind,
            read.id.as_str(),
            lane,
            verdict.entry
        ])?;
    }
    Ok(())
}

/// Entries that read this one see another counterpart now.
fn owe_readers(connection: &Connection, entry: i64) -> Result<(), StoreError> {
    connection
        .prepare_cached(
            "UPDATE delivery SET standing = 'owed' WHERE standing <> 'owed' AND (lane, entry) IN (
                 SELECT lane, reading.entry FROM reading JOIN entry ON entry.type = reading.type AND entry.source_id = reading.source_id
                 WHERE entry.id = ?1)",
        )?
        .execute([entry])?;
    Ok(())
}

pub(super) fn keep_counterpart(
    connection: &Connection,
    lane: i64,
    entry: i64,
    delivered: &Delivered,
    now: Timestamp,
) -> Result<(), StoreError> {
    let Counterpart { id, item, revision, fingerprint, presence, fields, divergences, past } = &delivered.counterpart;
    let language = delivered.language.as_ref().map_or("", LanguageTag::as_str);
    let before: Option<(String, String)> = connection
        .prepare_cached("SELECT id, presence FROM counterpart WHERE lane = ? AND entry = ? AND language = ?")?
        .query_row(params![lane, entry, language], |row| Ok((row.get(0)?, row.get(1)?)))
        .optional()?;
    if before.is_none_or(|(known, was)| known != id.as_str() || was != presence.word()) {
        owe_readers(connection, entry)?;
    }
    connection.prepare_cached(
        // An update leaves the index of ids as it is where the id does.
        "INSERT INTO counterpart VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12,
                 (SELECT value FROM lane, json_each(?8) WHERE lane.id = ?1 AND json_each.key = lane.key_field))
             ON CONFLICT DO UPDATE SET
             id = excluded.id, item = excluded.item, revision = excluded.revision, fingerprint = excluded.fingerprint,
             fields = excluded.fields, presence = excluded.presence, delivered = excluded.delivered, apart = excluded.apart, past = excluded.past, key = excluded.key")?.execute(
        params![
            lane,
            entry,
            language,
            id.as_str(),
            item.as_ref().map(EntryId::as_str),
            revision.as_ref().map(diaporos_core::value::Revision::as_str),
            fingerprint.as_bytes(),
            fields_text(fields),
            presence.word(),
            millis(now),
            divergences_text(divergences),
            fingerprints_bytes(past)
        ],
    )?;
    land(connection, lane, entry, delivered)
}
