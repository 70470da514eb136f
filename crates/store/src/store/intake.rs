//! Taking in what a source lists.

use std::borrow::Cow;
use std::collections::HashSet;

use super::database::{Connection, OptionalRow, params};
use diaporos_core::intake::{CacheValidators, Incoming};
use diaporos_core::value::{EntryId, State, SystemName, TypeName};
use jiff::Timestamp;
use rayon::prelude::*;
use roaring::RoaringTreemap;

use super::apart::{Moments, read_since};
use super::content::{Content, Packing, SHARE};
use super::owed::mark_owed;
use super::page_marks::keep_mark;
use super::row::millis;
use super::seen::{PageTally, Seen};
use super::translations::with_translations;
use super::versions::{NewVersion, keep_gone, keep_version};
use super::words::{Words, keep_words};
use super::{SourceType, Store, StoreError};

impl Store {
    /// The number of a type in the store, given to it when it is first met.
    pub(super) fn type_number(
        connection: &Connection,
        system: &SystemName,
        kind: &TypeName,
    ) -> Result<i64, StoreError> {
        let names = params![system.as_str(), kind.as_str()];
        let mut find = connection.prepare_cached("SELECT id FROM entry_type WHERE system = ?1 AND name = ?2")?;
        if let Some(number) = find.query_row(names, |row| row.get(0)).optional()? {
            return Ok(number);
        }
        let add = "INSERT INTO entry_type (system, name) VALUES (?1, ?2) RETURNING id";
        Ok(connection.query_row(add, names, |row| row.get(0))?)
    }

    /// Takes in a page whole: entries, versions, what they make owed, and the page's mark. Without
    /// a mark, the page is not known again. Entries that were read by themselves after the page was asked
    /// for stay as they are.
    ///
    /// # Errors
    /// Where the store fails; nothing of the page is kept then.
    pub fn take_in(
        &mut self,
        of: SourceType<'_>,
        entries: &[Incoming],
        mark: Option<(&str, &CacheValidators)>,
        seen: &mut Seen,
        moments: Moments,
    ) -> Result<PageTally, StoreError> {
        let (system, kind) = of;
        let now = moments.taken;
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let newer = read_since(&transaction, number, moments.asked)?;
        let mut tally = PageTally::default();
        let mut on_page = RoaringTreemap::new();
        let mut ids = HashSet::new();
        let mut fresh = Vec::new();
        for entry in entries {
            // Of two items with one id on one page the first counts, or each pull would swap them.
            if !ids.insert(&entry.id) {
                continue;
            }
            let (id, fate) = match known_number(&transaction, number, &entry.id, &newer)? {
                // It was read by itself after this page was asked for.
                Some(id) => (id, Fate::Unchanged),
                None => take_in_entry(&transaction, number, entry, &mut fresh, now)?,
            };
            on_page.insert(id.unsigned_abs());
            // An item that moved to a later page while we read is the same entry, not another.
            if seen.0.insert(id.unsigned_abs()) {
                tally.pulled += 1;
                match fate {
                    Fate::New => tally.new += 1,
                    Fate::Changed => tally.changed += 1,
                    Fate::Unchanged => tally.unchanged += 1,
                }
            }
        }
        let packing = self.packing.get_mut();
        let kept = keep_versions(&transaction, packing, number, &fresh, now);
        kept.inspect_err(|_| packing.forget())?;
        mark_owed(&transaction, number, &owed(&fresh), now)?;
        let words: Vec<Words> = fresh.par_iter().with_min_len(SHARE).map(Fresh::words).collect();
        keep_words(&transaction, &words)?;
        if let Some((place, mark)) = mark {
            keep_mark(&transaction, (number, place), mark, &Seen(on_page), now)?;
        }
        transaction.commit().inspect_err(|_| packing.forget())?;
        Ok(tally)
    }

    /// Counts the entries of a page that is as it was.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn take_as_before(
        &mut self,
        of: SourceType<'_>,
        place: &str,
        seen: &mut Seen,
        now: Timestamp,
    ) -> Result<PageTally, StoreError> {
        let (system, kind) = of;
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let bitmap: Vec<u8> = transaction
            .prepare_cached("UPDATE page_mark SET used = ?1 WHERE type = ?2 AND place = ?3 RETURNING seen")?
            .query_row(params![millis(now), number, place], |row| row.get(0))?;
        transaction.commit()?;
        let on_page = RoaringTreemap::deserialize_from(bitmap.as_slice()).map_err(StoreError::content)?;
        let before = seen.0.len();
        seen.0 |= on_page;
        let pulled = seen.0.len() - before;
        Ok(PageTally { pulled, unchanged: pulled, ..PageTally::default() })
    }

    /// Which of the given entries are known with that very revision and are not gone: these need not
    /// be asked for again. They count as seen.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn take_as_known(
        &self,
        of: SourceType<'_>,
        entries: &mut Vec<Incoming>,
        seen: &mut Seen,
    ) -> Result<PageTally, StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut find = self.connection.prepare_cached(
            "SELECT id FROM entry WHERE type = ?1 AND source_id = ?2 AND revision = ?3 AND state = ?4",
        )?;
        let mut tally = PageTally::default();
        let mut rest = Vec::new();
        for entry in entries.drain(..) {
            let revision = entry.revision.as_ref().map(diaporos_core::value::Revision::as_str);
            let known = find.query_row(params![number, entry.id.as_str(), revision, entry.state.word()], |row| {
                row.get::<_, i64>(0)
            });
            match known.optional()? {
                Some(id) if seen.0.insert(id.unsigned_abs()) => {
                    tally.pulled += 1;
                    tally.unchanged += 1;
                }
                Some(_) => {}
                None => rest.push(entry),
            }
        }
        *entries = rest;
        Ok(tally)
    }

    /// Counts entries as seen that were shown and could not be read: they stay as they are known. Gives
    /// how many of them are not known at all.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn see_unread(
        &self,
        of: SourceType<'_>,
        ids: &[EntryId],
        in_parts: bool,
        seen: &mut Seen,
    ) -> Result<u64, StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut find = self.connection.prepare_cached(if in_parts {
            "SELECT part.id FROM part JOIN joined ON joined.id = part.joined WHERE type = ?1 AND source_id = ?2"
        } else {
            "SELECT id FROM entry WHERE type = ?1 AND source_id = ?2 AND state <> 'gone'"
        })?;
        let mut unknown = 0;
        for id in ids {
            let known: Vec<i64> = find.query_all(params![number, id.as_str()], |row| row.get(0))?;
            unknown += u64::from(known.is_empty());
            seen.0.extend(known.into_iter().map(i64::unsigned_abs));
        }
        Ok(unknown)
    }
}

/// What became of an entry.
pub(super) enum Fate {
    New,
    Changed,
    Unchanged,
}

/// An entry with a version that is not kept yet.
struct Fresh<'a> {
    id: i64,
    version: i64,
    entry: Cow<'a, Incoming>,
}

impl Fresh<'_> {
    fn words(&self) -> Words {
        Words::of(self.id, &self.entry, self.version == 1)
    }
}

/// Entries by number and id, for those who owe them a look.
fn owed<'f>(fresh: &'f [Fresh<'_>]) -> Vec<(i64, &'f str)> {
    fresh.iter().map(|fresh| (fresh.id, fresh.entry.id.as_str())).collect()
}

/// Keeps the versions of a page together, for what they have in common.
fn keep_versions(
    connection: &Connection,
    packing: &mut Packing,
    kind: i64,
    fresh: &[Fresh<'_>],
    now: Timestamp,
) -> Result<(), StoreError> {
    let write = |one: &Fresh<'_>| Content::write(&one.entry);
    let contents: Vec<String> = fresh.par_iter().with_min_len(SHARE).map(write).collect::<Result<_, _>>()?;
    for (Fresh { id, version, entry }, packed) in fresh.iter().zip(packing.pack(connection, kind, &contents)?) {
        keep_version(connection, &NewVersion { entry: *id, number: *version, incoming: entry, packed }, now)?;
    }
    Ok(())
}

/// An entry as the store has it.
struct KnownEntry {
    id: i64,
    version: i64,
    revision: Option<String>,
    /// Whether its content and state are what comes in.
    is_as_before: bool,
}

fn known_entry(connection: &Connection, kind: i64, entry: &Incoming) -> Result<Option<KnownEntry>, StoreError> {
    let mut find = connection.prepare_cached(
        "SELECT id, fingerprint, state, revision, version FROM entry WHERE type = ?1 AND source_id = ?2",
    )?;
    let known = find.query_row(params![kind, entry.id.as_str()], |row| {
        let is_as_before = row.get_ref(1)?.as_bytes()? == entry.fingerprint.as_bytes()
            && row.get_ref(2)?.as_str()? == entry.state.word();
        Ok(KnownEntry { id: row.get(0)?, version: row.get(4)?, revision: row.get(3)?, is_as_before })
    });
    Ok(known.optional()?)
}

fn take_in_entry<'a>(
    connection: &Connection,
    kind: i64,
    entry: &'a Incoming,
    fresh: &mut Vec<Fresh<'a>>,
    now: Timestamp,
) -> Result<(i64, Fate), StoreError> {
    let revision = entry.revision.as_ref().map(diaporos_core::value::Revision::as_str);
    let (id, version, entry_with_ours, fate) = match known_entry(connection, kind, entry)? {
        None => {
            let add = "INSERT INTO entry (type, source_id, state, revision, fingerprint, version, first_seen, changed)
                       VALUES (?1, ?2, ?3, ?4, ?5, 1, ?6, ?6)";
            let (id, state) = (entry.id.as_str(), entry.state.word());
            let values = params![kind, id, state, revision, entry.fingerprint.as_bytes(), millis(now)];
            (connection.add(add, values)?, 1, Cow::Borrowed(entry), Fate::New)
        }
        Some(known) if known.is_as_before => {
            // A new revision of the same content is no change; only the mark is kept.
            if known.revision.as_deref() != revision {
                connection
                    .prepare_cached("UPDATE entry SET revision = ?1 WHERE id = ?2")?
                    .execute(params![revision, known.id])?;
            }
            return Ok((known.id, Fate::Unchanged));
        }
        Some(KnownEntry { id, version, .. }) => {
            connection
                .prepare_cached(
                    "UPDATE entry SET state = ?1, revision = ?2, fingerprint = ?3, version = ?4, changed = ?5 WHERE id = ?6",
                )?
                .execute(params![
                    entry.state.word(),
                    revision,
                    entry.fingerprint.as_bytes(),
                    version + 1,
                    millis(now),
                    id
                ])?;
            (id, version + 1, with_translations(connection, id, entry)?, Fate::Changed)
        }
    };
    fresh.push(Fresh { id, version, entry: entry_with_ours });
    Ok((id, fate))
}

/// The number of an entry, where it is one of those that were read by themselves.
fn known_number(
    connection: &Connection,
    kind: i64,
    id: &EntryId,
    newer: &RoaringTreemap,
) -> Result<Option<i64>, StoreError> {
    if newer.is_empty() {
        return Ok(None);
    }
    let mut find = connection.prepare_cached("SELECT id FROM entry WHERE type = ?1 AND source_id = ?2")?;
    let found: Option<i64> = find.query_row(params![kind, id.as_str()], |row| row.get(0)).optional()?;
    Ok(found.filter(|number| newer.contains(number.unsigned_abs())))
}

/// Takes in one entry.
pub(super) fn take_in_alone(
    connection: &Connection,
    packing: &mut Packing,
    (kind, entry): (i64, &Incoming),
    now: Timestamp,
) -> Result<(i64, Fate), StoreError> {
    let mut fresh = Vec::new();
    let taken = take_in_entry(connection, kind, entry, &mut fresh, now)?;
    keep_versions(connection, packing, kind, &fresh, now)?;
    mark_owed(connection, kind, &owed(&fresh), now)?;
    let words: Vec<Words> = fresh.iter().map(Fresh::words).collect();
    keep_words(connection, &words)?;
    Ok(taken)
}

pub(super) fn take_for_gone(connection: &Connection, id: i64, now: Timestamp) -> Result<(), StoreError> {
    keep_gone(connection, id, now)?;
    let (kind, source_id): (i64, String) = connection
        .prepare_cached(
            "UPDATE entry SET state = ?1, version = version + 1, changed = ?2 WHERE id = ?3 RETURNING type, source_id",
        )?
        .query_row(params![State::Gone.word(), millis(now), id], |row| Ok((row.get(0)?, row.get(1)?)))?;
    mark_owed(connection, kind, &[(id, &source_id)], now)
}
