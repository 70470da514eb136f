//! Entries whose languages a source lists one by one.

use std::collections::BTreeMap;

use super::database::{Connection, OptionalRow, params};
use diaporos_core::intake::{CacheValidators, Incoming, Parts};
use diaporos_core::value::{LanguageTag, Revision, SystemName, TypeName};
use jiff::Timestamp;

use super::content::Content;
use super::page_marks::keep_mark;
use super::row::{entry_id, fingerprint, revision, state};
use super::{Seen, SourceType, Store, StoreError};

impl Store {
    /// Takes in a page of languages, and its mark. Says how many were not shown before.
    ///
    /// # Errors
    /// Where the store fails; nothing of the page is kept then.
    pub fn take_in_parts(
        &mut self,
        of: SourceType<'_>,
        parts: &[Incoming],
        mark: Option<(&str, &CacheValidators)>,
        seen: &mut Seen,
        now: Timestamp,
    ) -> Result<u64, StoreError> {
        let (system, kind) = of;
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let mut on_page = Seen::default();
        let before = seen.count();
        for part in parts {
            on_page.0.insert(take_in_part(&transaction, number, part)?.unsigned_abs());
        }
        if let Some((place, mark)) = mark {
            keep_mark(&transaction, (number, place), mark, &on_page, now)?;
        }
        transaction.commit()?;
        seen.0 |= on_page.0;
        Ok(seen.count() - before)
    }

    /// How many languages of entries a listing has not shown.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn missing_parts(&self, (system, kind): (&SystemName, &TypeName), seen: &Seen) -> Result<u64, StoreError> {
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut all = self
            .connection
            .prepare_cached("SELECT part.id FROM part JOIN joined ON joined.id = part.joined WHERE type = ?1")?;
        let mut rows = all.query([number])?;
        let mut missing = 0;
        while let Some(row) = rows.next()? {
            missing += u64::from(!seen.0.contains(row.get::<_, i64>(0)?.unsigned_abs()));
        }
        Ok(missing)
    }

    /// Of each language, how many of its texts a listing has not shown, and how many are known.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn missing_by_language(
        &self,
        of: SourceType<'_>,
        seen: &Seen,
    ) -> Result<BTreeMap<String, (u64, u64)>, StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut all = self.connection.prepare_cached(
            "SELECT part.id, language FROM part JOIN joined ON joined.id = part.joined WHERE type = ?1",
        )?;
        let mut rows = all.query([number])?;
        let mut found: BTreeMap<String, (u64, u64)> = BTreeMap::new();
        while let Some(row) = rows.next()? {
            let of = found.entry(row.get(1)?).or_default();
            of.0 += u64::from(!seen.0.contains(row.get::<_, i64>(0)?.unsigned_abs()));
            of.1 += 1;
        }
        Ok(found)
    }

    /// Forgets the languages that a whole listing did not show; their entries are touched.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forget_parts(&mut self, (system, kind): (&SystemName, &TypeName), seen: &Seen) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, system, kind)?;
        let mut missing = Vec::new();
        {
            let mut all = transaction.prepare_cached(
                "SELECT part.id, joined FROM part JOIN joined ON joined.id = part.joined WHERE type = ?1",
            )?;
            let mut rows = all.query([number])?;
            while let Some(row) = rows.next()? {
                let (id, joined): (i64, i64) = (row.get(0)?, row.get(1)?);
                if !seen.0.contains(id.unsigned_abs()) {
                    missing.push((id, joined));
                }
            }
        }
        for (id, joined) in missing {
            transaction.prepare_cached("DELETE FROM part WHERE id = ?1")?.execute([id])?;
            touch(&transaction, joined)?;
        }
        Ok(transaction.commit()?)
    }

    /// The languages of some entries of which one changed, with their numbers; nothing where all
    /// are put together.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn touched_parts(&self, of: SourceType<'_>, most: u32) -> Result<Vec<(i64, Parts)>, StoreError> {
        let (system, kind) = of;
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut touched = self
            .connection
            .prepare_cached("SELECT id FROM joined WHERE type = ?1 AND touched <> 0 ORDER BY id LIMIT ?2")?;
        let batch: Vec<i64> = touched.query_all(params![number, most], |row| row.get(0))?;
        let mut query = self.connection.prepare_cached(
            "SELECT source_id, language, state, revision, fingerprint, content
             FROM joined JOIN part ON part.joined = joined.id WHERE joined.id = ?1 ORDER BY language",
        )?;
        let mut entries = Vec::new();
        for joined in batch {
            let mut parts = Vec::new();
            let mut rows = query.query([joined])?;
            while let Some(row) = rows.next()? {
                let tag: LanguageTag = row.get::<_, String>(1)?.parse().map_err(StoreError::content)?;
                let content = Content::read(&row.get::<_, String>(5)?)?;
                let part = Incoming {
                    id: entry_id(row.get(0)?)?,
                    part: Some(tag.clone()),
                    state: state(&row.get::<_, String>(2)?)?,
                    revision: revision(row.get(3)?)?,
                    fingerprint: fingerprint(&row.get::<_, Vec<u8>>(4)?)?,
                    fields: content.fields,
                    raw: content.raw,
                    notes: content.notes,
                };
                parts.push((tag, part));
            }
            entries.push((joined, parts));
        }
        Ok(entries)
    }

    /// Notes that entries were put together from their languages as they are now.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn put_together(&mut self, joined: &[i64]) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for number in joined {
            transaction.prepare_cached("UPDATE joined SET touched = 0 WHERE id = ?1")?.execute([number])?;
        }
        Ok(transaction.commit()?)
    }

    /// Counts the entries that have languages as seen, but for those that are seen already.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn see_joined(&self, (system, kind): (&SystemName, &TypeName), seen: &mut Seen) -> Result<u64, StoreError> {
        let number = Self::type_number(&self.connection, system, kind)?;
        let mut all = self.connection.prepare_cached(
            "SELECT entry.id FROM joined JOIN entry ON entry.type = joined.type AND entry.source_id = joined.source_id
             WHERE joined.type = ?1 AND EXISTS (SELECT 1 FROM part WHERE part.joined = joined.id)",
        )?;
        let mut rows = all.query([number])?;
        let before = seen.count();
        while let Some(row) = rows.next()? {
            seen.0.insert(row.get::<_, i64>(0)?.unsigned_abs());
        }
        Ok(seen.count() - before)
    }
}

/// Durable with the change itself: should we be killed before the entry is put together, the next
/// pull does it.
fn touch(connection: &Connection, joined: i64) -> Result<(), StoreError> {
    connection.prepare_cached("UPDATE joined SET touched = 1 WHERE id = ?1")?.execute([joined])?;
    Ok(())
}

/// Takes in one language of an entry, and gives its number.
fn take_in_part(connection: &Connection, kind: i64, part: &Incoming) -> Result<i64, StoreError> {
    let joined: i64 = connection
        .prepare_cached(
            "INSERT INTO joined (type, source_id) VALUES (?1, ?2) ON CONFLICT (type, source_id) DO UPDATE SET source_id = excluded.source_id RETURNING id",
        )?
        .query_row(params![kind, part.id.as_str()], |row| row.get(0))?;
    let language = part.part.as_ref().map_or("", LanguageTag::as_str);
    let known = connection
        .prepare_cached("SELECT id, fingerprint, state, revision FROM part WHERE joined = ?1 AND language = ?2")?
        .query_row(params![joined, language], |row| {
            Ok((
                row.get::<_, i64>(0)?,
                row.get::<_, Vec<u8>>(1)?,
                row.get::<_, String>(2)?,
                row.get::<_, Option<String>>(3)?,
            ))
        })
        .optional()?;
    let revision = part.revision.as_ref().map(Revision::as_str);
    let id = match known {
        Some((id, content, word, mark))
            if content == part.fingerprint.as_bytes() && word == part.state.word() && mark.as_deref() == revision =>
        {
            id
        }
        _ => {
            touch(connection, joined)?;
            connection
                .prepare_cached(
                    "INSERT INTO part (joined, language, state, revision, fingerprint, content) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
                     ON CONFLICT (joined, language) DO UPDATE SET state = ?3, revision = ?4, fingerprint = ?5, content = ?6
                     RETURNING id",
                )?
                .query_row(
                    params![joined, language, part.state.word(), revision, part.fingerprint.as_bytes(), Content::write(part)?],
                    |row| row.get(0),
                )?
        }
    };
    Ok(id)
}
