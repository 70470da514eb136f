//! The memory: translations that are known from before.

use super::database::{OptionalRow, params};
use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::translate::{Inline, MemoryPair, Nearness, TextKey, nearness};
use diaporos_core::value::LanguageTag;
use jiff::Timestamp;

use super::row::millis;
use super::{Store, StoreError};

/// By what a text is known again.
fn hash(key: &TextKey) -> Fingerprint {
    fingerprint_texts([key.as_str()])
}

/// A translation that is known from before.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KnownTranslation {
    /// The translation.
    pub target: Inline,
    /// Whether it is of that very place.
    pub is_own: bool,
    /// From which language into which it is, where it is not of the very languages.
    pub of: Option<(LanguageTag, LanguageTag)>,
}

impl Store {
    /// The translation of a text that is known: of that very place, else the newest of any, else one of the
    /// same languages that says nothing of a region, or of which ours says nothing.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn known_translation(
        &self,
        (from, into): (&LanguageTag, &LanguageTag),
        text: &TextKey,
        place: &str,
    ) -> Result<Option<KnownTranslation>, StoreError> {
        if let Some((target, is_own)) = self.known_in((from, into), text, place)? {
            return Ok(Some(KnownTranslation { target, is_own, of: None }));
        }
        for (near_from, near_into) in self.near_languages(from, into)? {
            if let Some((target, _)) = self.known_in((&near_from, &near_into), text, place)? {
                return Ok(Some(KnownTranslation { target, is_own: false, of: Some((near_from, near_into)) }));
            }
        }
        Ok(None)
    }

    /// The pairs of languages of the memory that do for another, which they differ from by a region that one
    /// of them does not name; not the pair itself.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn near_languages(
        &self,
        from: &LanguageTag,
        into: &LanguageTag,
    ) -> Result<Vec<(LanguageTag, LanguageTag)>, StoreError> {
        let is_near = |one: &LanguageTag, other: &LanguageTag| {
            one == other || nearness(one.as_str(), other.as_str()) < Nearness::Other
        };
        let all = self.all_memory_languages()?;
        let near = |pair: &&(LanguageTag, LanguageTag)| {
            (&pair.0, &pair.1) != (from, into) && is_near(&pair.0, from) && is_near(&pair.1, into)
        };
        Ok(all.iter().filter(near).cloned().collect())
    }

    /// Hands over the texts of a language whose translation is known, each once, but no more than `most` of
    /// each of its varieties. Says how many more there may be.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn memory_texts(
        &self,
        from: &LanguageTag,
        most: usize,
        mut each: impl FnMut(Inline),
    ) -> Result<bool, StoreError> {
        let mut languages = vec![from.clone()];
        for (near, _) in self.all_memory_languages()? {
            if nearness(near.as_str(), from.as_str()) < Nearness::Other && !languages.contains(&near) {
                languages.push(near);
            }
        }
        let mut is_cut = false;
        for language in languages {
            let mut query = self
                .connection
                .prepare_cached("SELECT DISTINCT source FROM memory WHERE source_language = ?1 LIMIT ?2")?;
            let limit = i64::try_from(most.saturating_add(1)).unwrap_or(i64::MAX);
            let mut rows = query.query(params![language.as_str(), limit])?;
            let mut count = 0;
            while let Some(row) = rows.next()? {
                count += 1;
                if count > most {
                    is_cut = true;
                    break;
                }
                each(Inline::from_coded(&row.get::<_, String>(0)?));
            }
        }
        Ok(is_cut)
    }

    /// The newest translation of a text, and where it comes from.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn newest_translation(
        &self,
        (from, into): (&LanguageTag, &LanguageTag),
        text: &TextKey,
    ) -> Result<Option<(Inline, String)>, StoreError> {
        let near = self.near_languages(from, into)?;
        for (from, into) in std::iter::once((from, into)).chain(near.iter().map(|(from, into)| (from, into))) {
            let mut query = self.connection.prepare_cached(
                "SELECT target, origin FROM memory WHERE source_language = ?1 AND target_language = ?2 AND hash = ?3
                 ORDER BY at DESC LIMIT 1",
            )?;
            let hash = hash(text);
            let key = params![from.as_str(), into.as_str(), hash.as_bytes()];
            let found: Option<(String, String)> =
                query.query_row(key, |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
            if let Some((coded, origin)) = found {
                return Ok(Some((Inline::from_coded(&coded), origin)));
            }
        }
        Ok(None)
    }

    fn all_memory_languages(&self) -> Result<Vec<(LanguageTag, LanguageTag)>, StoreError> {
        let mut known = self.memory_languages.borrow_mut();
        if known.is_none() {
            *known = Some(self.memory_languages()?);
        }
        Ok(known.clone().unwrap_or_default())
    }

    /// Every pair of languages that something is known in.
    fn memory_languages(&self) -> Result<Vec<(LanguageTag, LanguageTag)>, StoreError> {
        let mut pairs = Vec::new();
        let mut next = self.connection.prepare_cached(
            "SELECT source_language, target_language FROM memory
             WHERE source_language > ?1 OR (source_language = ?1 AND target_language > ?2) ORDER BY 1, 2 LIMIT 1",
        )?;
        let (mut from, mut into) = (String::new(), String::new());
        loop {
            let row: Option<(String, String)> =
                next.query_row(params![from, into], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
            let Some(row) = row else { return Ok(pairs) };
            (from, into) = row;
            let language = |text: &str| text.parse().map_err(StoreError::content);
            pairs.push((language(&from)?, language(&into)?));
        }
    }

    fn known_in(
        &self,
        (from, into): (&LanguageTag, &LanguageTag),
        text: &TextKey,
        place: &str,
    ) -> Result<Option<(Inline, bool)>, StoreError> {
        let hash = hash(text);
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
        let is_new = |known: &Vec<(LanguageTag, LanguageTag)>, pair: &MemoryPair| {
            known.iter().all(|(from, into)| (from, into) != (&pair.from, &pair.into))
        };
        self.memory_languages.borrow_mut().take_if(|known| pairs.iter().any(|pair| is_new(known, pair)));
        let transaction = self.fence.begin(&mut self.connection)?;
        for pair in pairs {
            transaction
                .prepare_cached("INSERT INTO memory VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8) ON CONFLICT (source_language, target_language, hash, place)
                     DO UPDATE SET source = ?5, target = ?6, origin = ?7, at = ?8")?
                .execute(params![
                    pair.from.as_str(),
                    pair.into.as_str(),
                    hash(&TextKey::of(&pair.source, &pair.cases)).as_bytes(),
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
                cases: Vec::new(),
                place: Some(text(4)?).filter(|place| !place.is_empty()),
            })?;
        }
        Ok(())
    }
}
