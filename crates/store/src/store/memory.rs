//! The memory: translations that are known from before.

use super::database::{OptionalRow, params};
use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::translate::{Inline, MemoryPair};
use diaporos_core::value::LanguageTag;
use jiff::Timestamp;

use super::row::millis;
use super::{Store, StoreError};

/// By what a text is known again.
fn hash(source: &Inline) -> Fingerprint {
    fingerprint_texts([source.coded().as_str()])
}

impl Store {
    /// The translation of a text that is known, and whether it is of that very place; else it is the
    /// newest of any.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn known_translation(
        &self,
        (from, into): (&LanguageTag, &LanguageTag),
        source: &Inline,
        place: &str,
    ) -> Result<Option<(Inline, bool)>, StoreError> {
        let hash = hash(source);
        let key = params![from.as_str(), into.as_str(), hash.as_bytes(), place];
        let mut own = self.connection.prepare_cached(
            "SELECT target FROM memory WHERE source_language = ?1 AND target_language = ?2 AND hash = ?3 AND place = ?4",
        )?;
        if let Some(coded) = own.query_row(key, |row| row.get::<_, String>(0)).optional()? {
            return Ok(Some((Inline::from_coded(&coded), true)));
        }
        // A text may stand in very many places: the newest is found without looking at all.
        let mut any = self.connection.prepare_cached(
            "SELECT target FROM memory INDEXED BY memory_newest WHERE source_language = ?1 AND target_language = ?2 AND hash = ?3
             ORDER BY at DESC LIMIT 1",
        )?;
        let key = params![from.as_str(), into.as_str(), hash.as_bytes()];
        let found: Option<String> = any.query_row(key, |row| row.get(0)).optional()?;
        Ok(found.map(|coded| (Inline::from_coded(&coded), false)))
    }

    /// Keeps translations, in one commit; a newer one of the same text in the same place counts.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn remember(&mut self, pairs: &[MemoryPair], origin: &str, now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for pair in pairs {
            transaction
                .prepare_cached("INSERT INTO memory VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8) ON CONFLICT (source_language, target_language, hash, place)
                     DO UPDATE SET source = ?5, target = ?6, origin = ?7, at = ?8")?
                .execute(params![
                    pair.from.as_str(),
                    pair.into.as_str(),
                    hash(&pair.source).as_bytes(),
                    pair.place.as_deref().unwrap_or_default(),
                    pair.source.coded(),
                    pair.target.coded(),
                    origin,
                    millis(now)
                ])?;
        }
        Ok(transaction.commit()?)
    }

    /// Hands over all that is known.
    ///
    /// # Errors
    /// Where the store or the receiver fails.
    pub fn memory<E: From<StoreError>>(&self, mut each: impl FnMut(MemoryPair) -> Result<(), E>) -> Result<(), E> {
        let mut query = self
            .connection
            .prepare_cached("SELECT source_language, target_language, source, target, place FROM memory")
            .map_err(StoreError::from)?;
        let mut rows = query.query(params![]).map_err(StoreError::from)?;
        while let Some(row) = rows.next().map_err(StoreError::from)? {
            let text = |at: usize| row.get::<_, String>(at).map_err(StoreError::from);
            let language = |at: usize| text(at)?.parse::<LanguageTag>().map_err(StoreError::content);
            each(MemoryPair {
                from: language(0)?,
                into: language(1)?,
                source: Inline::from_coded(&text(2)?),
                target: Inline::from_coded(&text(3)?),
                place: Some(text(4)?).filter(|place| !place.is_empty()),
            })?;
        }
        Ok(())
    }
}
