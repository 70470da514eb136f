//! By what the pages of listings are known again.

use super::database::{Connection, OptionalRow, params};
use diaporos_core::intake::{CacheValidators, PageCounts};
use diaporos_core::value::{SystemName, TypeName};
use jiff::Timestamp;

use super::apart::read_since;
use super::row::{fingerprint, millis};
use super::seen::Seen;
use super::{Store, StoreError};

impl Store {
    /// The mark that was left of a page, where what it shows was not read otherwise since.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn page_mark(
        &self,
        system: &SystemName,
        kind: &TypeName,
        place: &str,
    ) -> Result<Option<CacheValidators>, StoreError> {
        let mut find = self.connection.prepare_cached(
            "SELECT etag, last_modified, content, next, items, total, pages, seen, type FROM page_mark JOIN entry_type ON entry_type.id = page_mark.type
             WHERE system = ?1 AND name = ?2 AND place = ?3",
        )?;
        let row = find.query_row(params![system.as_str(), kind.as_str(), place], |row| {
            let count = |at| row.get::<_, Option<i64>>(at).map(|count| count.map(i64::unsigned_abs));
            let counts = PageCounts { items: count(4)?.unwrap_or_default(), total: count(5)?, pages: count(6)? };
            let known = (row.get(0)?, row.get(1)?, row.get::<_, Vec<u8>>(2)?, row.get(3)?, counts);
            Ok((known, row.get::<_, Vec<u8>>(7)?, row.get::<_, i64>(8)?))
        });
        let Some((known, seen, kind)) = row.optional()? else { return Ok(None) };
        // A page that comes back as it once was says nothing of entries that were read by themselves since.
        let apart = read_since(&self.connection, kind, Timestamp::UNIX_EPOCH)?;
        if !apart.is_empty() && !Seen::from_bytes(&seen)?.0.is_disjoint(&apart) {
            return Ok(None);
        }
        let (etag, last_modified, content, next, counts) = known;
        Ok(Some(CacheValidators { etag, last_modified, content: fingerprint(&content)?, next, counts }))
    }
}

/// Keeps by what a page is known again, and which entries, or languages of entries, it shows.
pub(super) fn keep_mark(
    connection: &Connection,
    page: (i64, &str),
    mark: &CacheValidators,
    on_page: &Seen,
    now: Timestamp,
) -> Result<(), StoreError> {
    let (kind, place) = page;
    let count = |count: u64| i64::try_from(count).unwrap_or(i64::MAX);
    let PageCounts { items, total, pages } = mark.counts;
    let mut keep = connection.prepare_cached(
        "INSERT INTO page_mark VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11) ON CONFLICT (type, place) DO UPDATE SET
             etag = ?3, last_modified = ?4, content = ?5, next = ?6, seen = ?7, used = ?8, items = ?9, total = ?10, pages = ?11",
    )?;
    keep.execute(params![
        kind,
        place,
        mark.etag,
        mark.last_modified,
        mark.content.as_bytes(),
        mark.next,
        on_page.bytes()?,
        millis(now),
        count(items),
        total.map(count),
        pages.map(count)
    ])?;
    Ok(())
}
