//! Which entries of a push want which keys and documents: one document belongs to one entry.

use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasher, RandomState};

use diaporos_core::lane::Mapped;
use diaporos_core::plan::Presence;
use diaporos_core::value::{Address, EntryId, LanguageTag};
use diaporos_store::{DueFilter, Store, StoreError};
use jiff::Timestamp;

use super::WINDOW;
use crate::config::ConfiguredLane;
use crate::mapping::map_as_it_is;

/// Keys and documents that entries of a push want.
#[derive(Debug, Default)]
pub(crate) struct Claims {
    /// Keys that entries are going to create.
    keys: HashMap<(String, Option<LanguageTag>), Address>,
    /// Documents that entries are going to adopt.
    documents: HashMap<EntryId, (Address, Option<LanguageTag>)>,
    hasher: RandomState,
    /// The entries that share a key, by the hash of it: a million keys are too many to keep.
    shared: HashMap<u64, Vec<i64>>,
}

impl Claims {
    /// Finds the keys that several new entries of a lane share, before any of them is sent: which of
    /// them a document is to be is not for us to choose.
    ///
    /// # Errors
    /// Where the store fails.
    pub(super) fn of_lane(
        store: &Store,
        lane: &ConfiguredLane,
        filter: DueFilter,
        now: Timestamp,
    ) -> Result<Claims, StoreError> {
        let mut claims = Claims::default();
        let (mut first, mut from) = (HashMap::<u64, i64>::new(), 0);
        loop {
            let due = store.due(&lane.lane.name, filter, from, WINDOW)?;
            let Some(last) = due.last() else { return Ok(claims) };
            from = last.number;
            for due in due.iter().filter(|due| !due.taken_off && due.undone.is_none()) {
                let is_new = |language: Option<&LanguageTag>| {
                    let own = due.counterparts.iter().find(|row| row.language.as_ref() == language);
                    own.is_none_or(|row| row.counterpart.presence == Presence::Deleted)
                };
                // What is known there in all its languages needs no key.
                if !due.counterparts.is_empty() && due.counterparts.iter().all(|row| !is_new(row.language.as_ref())) {
                    continue;
                }
                let Mapped::Goes { documents, .. } = map_as_it_is(store, lane, due, now)?.mapped else { continue };
                let mut own = HashSet::new();
                for document in documents.iter().filter(|document| is_new(document.language.as_ref())) {
                    let Some(key) = &document.key else { continue };
                    let hash = claims.hasher.hash_one((key, document.language.as_ref()));
                    if !own.insert(hash) {
                        continue;
                    }
                    match first.get(&hash) {
                        None => drop(first.insert(hash, due.number)),
                        Some(other) => {
                            let sharing = claims.shared.entry(hash).or_insert_with(|| vec![*other]);
                            sharing.push(due.number);
                        }
                    }
                }
            }
        }
    }

    pub(super) fn take_key(&mut self, key: &str, language: Option<&LanguageTag>, by: &Address) {
        self.keys.insert((key.to_owned(), language.cloned()), by.clone());
    }

    pub(super) fn take_document(&mut self, id: &EntryId, by: &Address, language: Option<&LanguageTag>) {
        self.documents.insert(id.clone(), (by.clone(), language.cloned()));
    }

    /// Another entry that wants the key, where there is one.
    pub(super) fn other_with_key(
        &self,
        store: &Store,
        key: &str,
        language: Option<&LanguageTag>,
        address: &Address,
    ) -> Result<Option<Address>, StoreError> {
        if let Some(by) = self.keys.get(&(key.to_owned(), language.cloned())).filter(|by| *by != address) {
            return Ok(Some(by.clone()));
        }
        let sharing = self.shared.get(&self.hasher.hash_one((key, language)));
        for number in sharing.into_iter().flatten() {
            let other = store.address(*number)?;
            if other != *address {
                return Ok(Some(other));
            }
        }
        Ok(None)
    }

    /// The entry that wants a document, and for which of its languages, where there is one.
    pub(super) fn of_document(&self, id: &EntryId) -> Option<&(Address, Option<LanguageTag>)> {
        self.documents.get(id)
    }
}
