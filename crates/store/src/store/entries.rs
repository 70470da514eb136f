//! Looking at entries.

use std::collections::BTreeSet;

use super::database::{Connection, Row, params};
use diaporos_core::value::{Address, LaneName, Record, Revision, State};
use indexmap::IndexSet;
use jiff::Timestamp;

use super::content::Content;
use super::row::{address_at, moment, revision, state};
use super::words::folded_word;
use super::{Store, StoreError};

/// Which entries are wanted.
#[derive(Debug, Clone, Default)]
pub struct EntryFilter {
    /// Of this system.
    pub system: Option<String>,
    /// Of this type.
    pub kind: Option<String>,
    /// In one of these states; all where empty.
    pub states: Vec<State>,
    /// With all of these words, in any language, whatever their case and accents.
    pub text: Option<WordSearch>,
}

/// Words to look for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WordSearch {
    /// The words.
    pub words: String,
    /// Whether the last may be the start of one. That takes the time of all that it may go on to.
    pub last_may_go_on: bool,
}

/// An entry in a list.
#[derive(Debug, Clone, PartialEq)]
pub struct EntryRow {
    /// Where it is.
    pub address: Address,
    /// Its state.
    pub state: State,
    /// The source's mark of its version.
    pub revision: Option<Revision>,
    /// How many versions there are.
    pub version: u64,
    /// When it was first seen.
    pub first_seen: Timestamp,
    /// When it last changed, as we saw it.
    pub changed: Timestamp,
    /// Its fields.
    pub fields: Record,
    /// What could not be read as it was meant.
    pub notes: Vec<String>,
}

/// An entry with its number in the store.
#[derive(Debug, Clone, PartialEq)]
pub struct StoredEntry {
    /// Its number, for the store alone.
    pub number: i64,
    /// The entry.
    pub row: EntryRow,
}

/// A version of an entry.
#[derive(Debug, Clone, PartialEq)]
pub struct VersionRow {
    /// Its number, from 1.
    pub number: u64,
    /// When we saw it.
    pub at: Timestamp,
    /// The state it was in.
    pub state: State,
    /// The source's mark.
    pub revision: Option<Revision>,
}

const COLUMNS: &str = "entry_type.system, entry_type.name, source_id, entry.state, entry.revision, entry.version, first_seen, changed, content, packing";
const JOINS: &str = "FROM entry JOIN entry_type ON entry_type.id = entry.type
    JOIN version ON version.entry = entry.id AND version.number = entry.version";

/// The last word may stand for at most so many.
const MOST_ENDINGS: usize = 64;

/// Words as a query for all of them (SQLite FTS5, "Full-text Query Syntax"); the last is one of its
/// endings, or whatever it goes on to.
fn match_query(search: &WordSearch, endings: &[String]) -> String {
    let words: Vec<String> = search
        .words
        .split(|c: char| !c.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(|word| format!("\"{word}\""))
        .collect();
    match (words.split_last(), search.last_may_go_on) {
        (None, _) => "\"\"".to_owned(),
        (Some(_), false) => words.join(" AND "),
        (Some((last, before)), true) => {
            let last = match endings {
                [] => format!("{last} *"),
                endings => {
                    format!("({})", endings.iter().map(|word| format!("\"{word}\"")).collect::<Vec<_>>().join(" OR "))
                }
            };
            before.iter().chain([&last]).cloned().collect::<Vec<_>>().join(" AND ")
        }
    }
}

/// The same for a server (PostgreSQL, 8.11.2).
fn server_query(search: &WordSearch) -> String {
    let words = search.words.split(|c: char| !c.is_alphanumeric()).map(folded_word).filter(|word| !word.is_empty());
    let mut query = words.map(|word| format!("'{word}'")).collect::<Vec<_>>().join(" & ");
    if search.last_may_go_on && !query.is_empty() {
        query.push_str(":*");
    }
    query
}

impl Store {
    /// What a version holds, from two columns, the first of which is given.
    pub(super) fn content(&self, row: Row<'_>, first: usize) -> Result<Content, StoreError> {
        let bytes = row.get_ref(first)?.as_blob().map_err(StoreError::content)?;
        self.packing.borrow_mut().unpack(&self.connection, bytes, row.get(first + 1)?)
    }

    /// The words that the last one may go on to, where they are few and can be told: lists of whole
    /// words are gone through one after the other, while SQLite puts together what a prefix stands
    /// for before it gives the first.
    fn endings(&self, search: &WordSearch) -> Result<Vec<String>, StoreError> {
        let last = search.words.split(|c: char| !c.is_alphanumeric()).rfind(|word| !word.is_empty());
        // As the index has it, which of other letters only the index knows.
        let Some(last) = last.filter(|word| search.last_may_go_on && word.is_ascii()) else { return Ok(Vec::new()) };
        let last = last.to_ascii_lowercase();
        self.connection.execute_batch(
            "CREATE VIRTUAL TABLE IF NOT EXISTS temp.entry_word USING fts5vocab (main, entry_text, row)",
        )?;
        let mut query = self
            .connection
            .prepare_cached("SELECT term FROM temp.entry_word WHERE term >= ?1 AND term < ?2 LIMIT ?3")?;
        let most = i64::try_from(MOST_ENDINGS + 1).unwrap_or(i64::MAX);
        let found: Vec<String> = query.query_all(params![last, format!("{last}\u{10ffff}"), most], |row| row.get(0))?;
        Ok(if found.len() > MOST_ENDINGS { Vec::new() } else { found })
    }

    fn entry_row(&self, row: Row<'_>, first: usize) -> Result<EntryRow, StoreError> {
        let content = self.content(row, first + 8)?;
        Ok(EntryRow {
            address: address_at(row, first)?,
            state: state(&row.get::<_, String>(first + 3)?)?,
            revision: revision(row.get(first + 4)?)?,
            version: row.get::<_, i64>(first + 5)?.unsigned_abs(),
            first_seen: moment(row.get(first + 6)?)?,
            changed: moment(row.get(first + 7)?)?,
            fields: content.fields,
            notes: content.notes,
        })
    }

    /// Hands over the entries that the filter lets through, in the order in which they were first
    /// seen, until the receiver says that it has enough.
    ///
    /// # Errors
    /// Where the store or the receiver fails.
    pub fn entries<E: From<StoreError>>(
        &self,
        filter: &EntryFilter,
        mut each: impl FnMut(StoredEntry) -> Result<std::ops::ControlFlow<()>, E>,
    ) -> Result<(), E> {
        let states: Vec<&str> = filter.states.iter().map(|state| state.word()).collect();
        let states = serde_json::to_string(&states).unwrap_or_default();
        // Entries come in the order in which they are kept, so that the first are there before the
        // last are looked at: the words are asked in that order, and no other table leads.
        let matches = match self.connection {
            Connection::File(_) => "entry_text MATCH ?4",
            Connection::Server(_) => "entry_text.words @@ CAST(CAST(?4 AS TEXT) AS tsquery)",
        };
        let any = "CAST(?4 AS TEXT) IS NULL";
        let (lead, found, order) = match (&filter.text, &filter.kind) {
            (Some(_), _) => {
                ("FROM entry_text CROSS JOIN entry ON entry.id = entry_text.rowid", matches, "entry_text.rowid")
            }
            (None, None) => ("FROM entry", any, "entry.id"),
            (None, Some(_)) => ("", any, "entry.id"),
        };
        let joins = match lead {
            "" => JOINS.to_owned(),
            lead => format!(
                "{lead} CROSS JOIN entry_type ON entry_type.id = entry.type
                 CROSS JOIN version ON version.entry = entry.id AND version.number = entry.version"
            ),
        };
        let sql = format!(
            "SELECT entry.id, {COLUMNS} {joins} WHERE {found} AND (CAST(?1 AS TEXT) IS NULL OR system = ?1) AND (CAST(?2 AS TEXT) IS NULL OR name = ?2)
             AND (?3 = '[]' OR entry.state IN (SELECT value FROM json_each(?3))) ORDER BY {order}"
        );
        let text = match &filter.text {
            Some(search) if self.connection.server().is_some() => Some(server_query(search)),
            Some(search) => Some(match_query(search, &self.endings(search)?)),
            None => None,
        };
        let mut query = self.connection.prepare_cached(&sql).map_err(StoreError::from)?;
        let mut rows = query.query(params![filter.system, filter.kind, states, text]).map_err(StoreError::from)?;
        while let Some(row) = rows.next().map_err(StoreError::from)? {
            let number = row.get(0).map_err(StoreError::from)?;
            if each(StoredEntry { number, row: self.entry_row(row, 1)? })?.is_break() {
                break;
            }
        }
        Ok(())
    }

    /// The entries of those numbers, given as a JSON list, in their order.
    pub(super) fn entries_of(&self, list: &str) -> Result<Vec<StoredEntry>, StoreError> {
        let sql = format!(
            "SELECT entry.id, {COLUMNS} {JOINS} WHERE entry.id IN (SELECT CAST(value AS BIGINT) FROM json_each(?1)) ORDER BY entry.id"
        );
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([list])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(StoredEntry { number: row.get(0)?, row: self.entry_row(row, 1)? });
        }
        Ok(found)
    }

    /// The entry of that number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn entry_numbered(&self, number: i64) -> Result<Option<StoredEntry>, StoreError> {
        let sql = format!("SELECT {COLUMNS} {JOINS} WHERE entry.id = ?1");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query([number])?;
        let Some(row) = rows.next()? else { return Ok(None) };
        Ok(Some(StoredEntry { number, row: self.entry_row(row, 0)? }))
    }

    /// What a version of an entry holds.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn version(&self, entry: i64, version: u64) -> Result<Option<Content>, StoreError> {
        let mut query =
            self.connection.prepare_cached("SELECT content, packing FROM version WHERE entry = ?1 AND number = ?2")?;
        let mut rows = query.query(params![entry, i64::try_from(version).unwrap_or(i64::MAX)])?;
        let Some(row) = rows.next()? else { return Ok(None) };
        self.content(row, 0).map(Some)
    }

    /// The entries that refer to an address, by their addresses.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn referring_to(&self, address: &Address) -> Result<Vec<Address>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, name, source_id FROM refers JOIN entry ON entry.id = refers.entry
             JOIN entry_type ON entry_type.id = entry.type WHERE target = ?1 AND entry.state <> 'gone' ORDER BY entry.id",
        )?;
        let mut rows = query.query([address.to_string()])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(address_at(row, 0)?);
        }
        Ok(found)
    }

    /// The other entries that an entry's documents on a lane were made of, as far as that is noted.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn reads_of(&self, lane: &LaneName, entry: i64) -> Result<BTreeSet<Address>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, name, source_id FROM reading JOIN entry_type ON entry_type.id = reading.type
             WHERE lane = (SELECT id FROM lane WHERE name = ?1) AND entry = ?2",
        )?;
        let mut rows = query.query(params![lane.as_str(), entry])?;
        let mut found = BTreeSet::new();
        while let Some(row) = rows.next()? {
            found.insert(address_at(row, 0)?);
        }
        Ok(found)
    }

    /// Whether an entry that is owed a look on a lane, and has a document there, refers to an address.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn is_referred_to_by_owed(&self, lane: &LaneName, address: &Address) -> Result<bool, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT EXISTS (SELECT 1 FROM refers JOIN delivery ON delivery.entry = refers.entry
                 JOIN counterpart ON counterpart.lane = delivery.lane AND counterpart.entry = delivery.entry
                 WHERE target = ?2 AND delivery.lane = (SELECT id FROM lane WHERE name = ?1)
                     AND standing = 'owed' AND presence IN ('present', 'unseen'))",
        )?;
        Ok(query.query_row(params![lane.as_str(), address.to_string()], |row| row.get(0))?)
    }

    /// Whether nothing was ever taken in; never counts.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn is_empty(&self) -> Result<bool, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT NOT EXISTS (SELECT 1 FROM entry)")?;
        Ok(query.query_row(params![], |row| row.get(0))?)
    }

    /// Every type of which entries were taken in, with how many there are that are not gone.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn types(&self) -> Result<Vec<(String, String, u64)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, name, count(*) FROM entry JOIN entry_type ON entry_type.id = entry.type
             WHERE state <> 'gone' GROUP BY entry_type.id ORDER BY system, name",
        )?;
        let read = |row: Row<'_>| Ok((row.get(0)?, row.get(1)?, row.get::<_, i64>(2)?.unsigned_abs()));
        Ok(query.query_all(params![], read)?)
    }

    /// The entry at an address.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn entry(&self, address: &Address) -> Result<Option<StoredEntry>, StoreError> {
        let sql = format!("SELECT entry.id, {COLUMNS} {JOINS} WHERE system = ?1 AND name = ?2 AND source_id = ?3");
        let mut query = self.connection.prepare_cached(&sql)?;
        let mut rows = query.query(params![address.system.as_str(), address.kind.as_str(), address.id.as_str()])?;
        let Some(row) = rows.next()? else { return Ok(None) };
        Ok(Some(StoredEntry { number: row.get(0)?, row: self.entry_row(row, 1)? }))
    }

    /// Addresses that hold the given text, for a suggestion.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn addresses_like(&self, text: &str, most: u32) -> Result<Vec<Address>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, name, source_id FROM entry JOIN entry_type ON entry_type.id = entry.type
             WHERE instr(lower(system || '/' || name || '/' || source_id), lower(?1)) > 0 ORDER BY entry.id LIMIT ?2",
        )?;
        let mut rows = query.query(params![text, most])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(address_at(row, 0)?);
        }
        Ok(found)
    }

    /// The versions of an entry, newest first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn versions(&self, entry: i64) -> Result<Vec<VersionRow>, StoreError> {
        let mut query = self
            .connection
            .prepare_cached("SELECT number, at, state, revision FROM version WHERE entry = ?1 ORDER BY number DESC")?;
        let mut rows = query.query([entry])?;
        let mut versions = Vec::new();
        while let Some(row) = rows.next()? {
            versions.push(VersionRow {
                number: row.get::<_, i64>(0)?.unsigned_abs(),
                at: moment(row.get(1)?)?,
                state: state(&row.get::<_, String>(2)?)?,
                revision: revision(row.get(3)?)?,
            });
        }
        Ok(versions)
    }

    /// The names of the fields that entries of a type have been seen with, in the order in which
    /// they were.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn seen_fields(&self, system: &str, kind: &str) -> Result<Vec<String>, StoreError> {
        let mut query = self.connection.prepare_cached(
            // In the order of their index, so that no more are looked at than are taken.
            "SELECT content, packing FROM (
                 SELECT id, version FROM entry WHERE type = (SELECT id FROM entry_type WHERE system = ?1 AND name = ?2)
                 ORDER BY source_id LIMIT 1000) AS first_ones
             CROSS JOIN version ON version.entry = first_ones.id AND version.number = first_ones.version",
        )?;
        let mut rows = query.query(params![system, kind])?;
        let mut names = IndexSet::new();
        while let Some(row) = rows.next()? {
            names.extend(self.content(row, 0)?.fields.into_keys());
        }
        Ok(names.into_iter().collect())
    }
}
