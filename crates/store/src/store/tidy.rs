//! Taking out what is no longer needed, in small steps, each whole. What settling, merging, undoing and
//! translating still need stays.

use super::database::params;
use diaporos_core::value::{SystemName, TypeName};
use jiff::Timestamp;

use super::row::millis;
use super::{SourceType, Store, StoreError};

/// Whether it is done, or only counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tidying {
    /// It is counted.
    Count,
    /// At most so many are taken out.
    TakeOut(u32),
}

/// Versions that newer ones replaced before a moment. The newest, the one before it, and those that texts out
/// for translation are of stay.
const OLD_VERSIONS: &str = "FROM version JOIN entry ON entry.id = version.entry
     WHERE entry.type = (SELECT id FROM entry_type WHERE system = ?1 AND name = ?2) AND version.number < entry.version - 1
       AND (SELECT at FROM version AS next WHERE next.entry = version.entry AND next.number > version.number ORDER BY next.number LIMIT 1) < ?3
       AND NOT EXISTS (SELECT 1 FROM batch_text WHERE batch_text.entry = version.entry AND batch_text.version = version.number)";

/// What still ties an entry to something.
const NOTHING_NEEDS: &str = "NOT EXISTS (SELECT 1 FROM counterpart WHERE counterpart.entry = entry.id AND presence <> 'deleted')
       AND NOT EXISTS (SELECT 1 FROM delivery WHERE delivery.entry = entry.id AND standing NOT IN ('outside', 'withdrawn'))
       AND NOT EXISTS (SELECT 1 FROM intent WHERE intent.entry = entry.id)
       AND NOT EXISTS (SELECT 1 FROM taken_off WHERE taken_off.entry = entry.id)
       AND NOT EXISTS (SELECT 1 FROM batch_text WHERE batch_text.entry = entry.id)
       AND NOT EXISTS (SELECT 1 FROM translation WHERE translation.entry = entry.id)";

impl Store {
    /// Versions of a type that were replaced before a moment.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn tidy_versions(
        &mut self,
        of: SourceType<'_>,
        before: Timestamp,
        tidying: Tidying,
    ) -> Result<u64, StoreError> {
        let names = params![of.0.as_str(), of.1.as_str(), millis(before)];
        let Tidying::TakeOut(most) = tidying else {
            let sql = format!("SELECT count(*) {OLD_VERSIONS}");
            return Ok(self.connection.query_row(&sql, names, |row| row.get::<_, i64>(0))?.unsigned_abs());
        };
        let transaction = self.fence.begin(&mut self.connection)?;
        let taken = transaction.execute(
            &format!(
                "DELETE FROM version WHERE (entry, number) IN (SELECT version.entry, version.number {OLD_VERSIONS} LIMIT {most})"
            ),
            names,
        )?;
        transaction.commit()?;
        Ok(taken as u64)
    }

    /// Entries of a type that are gone since before a moment, or, where they are `never` delivered, did not
    /// change since; nothing needs them.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn tidy_entries(
        &mut self,
        of: SourceType<'_>,
        is_gone: bool,
        before: Timestamp,
        tidying: Tidying,
    ) -> Result<u64, StoreError> {
        let state = if is_gone { "=" } else { "<>" };
        // What was delivered once and is off view again is no entry that was never delivered.
        let never =
            if is_gone { "" } else { "AND NOT EXISTS (SELECT 1 FROM counterpart WHERE counterpart.entry = entry.id)" };
        let what = format!(
            "FROM entry WHERE type = (SELECT id FROM entry_type WHERE system = ?1 AND name = ?2)
                 AND state {state} 'gone' AND changed < ?3 {never} AND {NOTHING_NEEDS}"
        );
        let Tidying::TakeOut(most) = tidying else {
            let names = params![of.0.as_str(), of.1.as_str(), millis(before)];
            let sql = format!("SELECT count(*) {what}");
            return Ok(self.connection.query_row(&sql, names, |row| row.get::<_, i64>(0))?.unsigned_abs());
        };
        let transaction = self.fence.begin(&mut self.connection)?;
        let ids: Vec<i64> = {
            let mut query = transaction.prepare_cached(&format!("SELECT entry.id {what} LIMIT {most}"))?;
            query.query_all(params![of.0.as_str(), of.1.as_str(), millis(before)], |row| row.get(0))?
        };
        for id in &ids {
            for sql in [
                "DELETE FROM part WHERE joined IN (SELECT joined.id FROM joined JOIN entry
                     ON entry.type = joined.type AND entry.source_id = joined.source_id WHERE entry.id = ?1)",
                "DELETE FROM joined WHERE (type, source_id) = (SELECT type, source_id FROM entry WHERE id = ?1)",
                "DELETE FROM delivery WHERE entry = ?1",
                "DELETE FROM counterpart WHERE entry = ?1",
                "DELETE FROM reading WHERE entry = ?1",
                "DELETE FROM occurrence WHERE entry = ?1",
                "DELETE FROM undone WHERE entry = ?1",
                "DELETE FROM slate_entry WHERE entry = ?1",
                "DELETE FROM refers WHERE entry = ?1",
                "DELETE FROM read_apart WHERE entry = ?1",
                "DELETE FROM entry_text WHERE rowid = ?1",
                "DELETE FROM version WHERE entry = ?1",
                "DELETE FROM entry WHERE id = ?1",
            ] {
                transaction.prepare_cached(sql)?.execute([id])?;
            }
        }
        if !ids.is_empty() && !is_gone {
            // A page that comes back as it was shows entries that are no longer known.
            transaction.execute(
                "DELETE FROM page_mark WHERE type = (SELECT id FROM entry_type WHERE system = ?1 AND name = ?2)",
                params![of.0.as_str(), of.1.as_str()],
            )?;
        }
        transaction.commit()?;
        Ok(ids.len() as u64)
    }

    /// The types of which entries are known, by system and name.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn known_types(&self) -> Result<Vec<(SystemName, TypeName)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, name FROM entry_type WHERE EXISTS (SELECT 1 FROM entry WHERE entry.type = entry_type.id) ORDER BY system, name",
        )?;
        let mut rows = query.query(params![])?;
        let mut types = Vec::new();
        while let Some(row) = rows.next()? {
            let system = SystemName::new(row.get::<_, String>(0)?).map_err(StoreError::content)?;
            types.push((system, TypeName::new(row.get::<_, String>(1)?).map_err(StoreError::content)?));
        }
        Ok(types)
    }

    /// How many rows of the ledger were written before a moment and can be taken out.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn count_old_ledger(&self, before: Timestamp) -> Result<u64, StoreError> {
        let count = self.connection.query_row(
            "SELECT count(*) FROM intent WHERE at < ?1 AND id NOT IN (SELECT intent FROM open_intent)
                 AND NOT EXISTS (SELECT 1 FROM outcome WHERE outcome.intent = intent.id AND outcome.at >= ?1)",
            [millis(before)],
            |row| row.get::<_, i64>(0),
        )?;
        Ok(count.unsigned_abs())
    }

    /// Bytes of the file, and how many of them hold nothing.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn size(&self) -> Result<(u64, u64), StoreError> {
        let Some(file) = self.connection.file() else {
            let whole = "SELECT coalesce(sum(pg_total_relation_size(oid)), 0)::BIGINT FROM pg_class
                 WHERE relkind = 'r' AND relnamespace = current_schema()::REGNAMESPACE";
            return Ok((self.connection.query_row(whole, params![], |row| row.get::<_, i64>(0))?.unsigned_abs(), 0));
        };
        let number = |name: &str| -> Result<u64, StoreError> {
            Ok(file.pragma_query_value(None, name, |row| row.get::<_, i64>(0))?.unsigned_abs())
        };
        let page = number("page_size")?;
        Ok((number("page_count")? * page, number("freelist_count")? * page))
    }

    /// Writes the file anew without what holds nothing. Others wait meanwhile.
    ///
    /// # Errors
    /// Where another process uses it, or the disk is too full.
    pub fn shrink(&mut self) -> Result<(), StoreError> {
        // A server uses its space again by itself.
        if let Some(file) = self.connection.file() {
            file.execute_batch("VACUUM; PRAGMA wal_checkpoint(TRUNCATE);")?;
        }
        Ok(())
    }
}
