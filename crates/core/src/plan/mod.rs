//! What is owed: deciding without doing.
//!
//! [`decide`] is one flat table from what a document should be, what is known of its counterpart
//! and what was found at the destination, to a [`Step`]. A [`DeliveryMachine`] carries a step out, as a
//! conversation in which somebody else does the talking. [`settle`] reads an answer that was lost in
//! an earlier run.
//!
//! ```
//! use diaporos_core::change::fingerprint_record;
//! use diaporos_core::plan::{DesiredState, FoundDocument, GonePolicy, Step, decide};
//! use diaporos_core::value::Record;
//!
//! let wanted = DesiredState::There(fingerprint_record(&Record::default()));
//! // Nothing was delivered before, and nothing there has its key.
//! assert_eq!(decide(wanted, None, FoundDocument::Nothing, GonePolicy::Withdraw), Step::Create);
//! // Two documents there have its key: nobody can tell which it is.
//! assert!(matches!(decide(wanted, None, FoundDocument::Several(2), GonePolicy::Withdraw), Step::Hold(_)));
//! ```

mod decide;
mod delivery_machine;
mod desired;
mod document;
mod gone;
mod hold;
mod lack;
mod order;
mod settle;

pub use decide::{DesiredState, FoundDocument, Step, decide};
pub use delivery_machine::{DeliveryMachine, Effect, Ending, Response, Safeguards};
pub use desired::Document;
pub use document::DocumentPlan;
pub use gone::GonePolicy;
pub use hold::{Hold, HoldReason};
pub use lack::{HasThere, Lack, lacks};
pub use order::{Order, Written};
pub use settle::{Intended, Settled, settle, settle_new};

use crate::change::{
    Base, Divergence, Divergences, Fingerprint, Merge, MergePolicies, fingerprint_record, found_base, merge,
    merge_found,
};
use crate::value::{EntryId, LanguageTag, Record, Revision, Value};

/// What an entry has become at a destination, as far as the hub knows.
#[derive(Debug, Clone, PartialEq)]
pub struct Counterpart {
    /// What the destination calls it.
    pub id: EntryId,
    /// What joins it to its other languages there.
    pub item: Option<EntryId>,
    /// The destination's mark of the version that we wrote or accepted.
    pub revision: Option<Revision>,
    /// The fingerprint of what was last delivered.
    pub fingerprint: Fingerprint,
    /// Whether it is on view there.
    pub presence: Presence,
    /// What was last delivered.
    pub fields: Record,
    /// The fields of which something else is known to be there.
    pub divergences: Divergences,
    /// What was there after earlier deliveries, the newest last: a request that arrives late brings it
    /// back, and it is nobody else's.
    pub past: Vec<Fingerprint>,
}

/// How many earlier deliveries are known again.
const PAST: usize = 5;

impl Counterpart {
    /// A document that was found by our key and is another's so far: bound to its entry, with nothing in
    /// it that we wrote.
    #[must_use]
    pub fn undecided(found: &Existing, ours: &Record) -> Counterpart {
        let fields = found_base(ours);
        Counterpart {
            id: found.id.clone(),
            item: found.item.clone(),
            revision: None,
            fingerprint: fingerprint_record(&fields),
            presence: found.presence,
            fields,
            divergences: Divergences::new(),
            past: Vec::new(),
        }
    }

    /// The same, of a document that was found written where saving and putting on view are two calls: whether it
    /// is on view is not known, and it is put there once more.
    #[must_use]
    pub fn found_saved(self) -> Counterpart {
        let presence = if self.presence == Presence::Present { Presence::Unseen } else { self.presence };
        Counterpart { presence, ..self }
    }

    /// Whether nobody has said yet whose the document is.
    #[must_use]
    pub fn is_undecided(&self) -> bool {
        !self.fields.is_empty() && self.divergences.is_empty() && self.fields.values().all(Value::is_null)
    }

    /// The earlier deliveries, with this one added, unless somebody else's is part of what is there.
    pub(crate) fn past_with_this(&self) -> Vec<Fingerprint> {
        let mut past = self.past.clone();
        if !self.is_undecided() && self.kept().next().is_none() {
            past.push(fingerprint_record(&self.there()));
        }
        past.drain(..past.len().saturating_sub(PAST));
        past
    }

    /// Whether what is there now is, in all that we map, what was there after an earlier delivery.
    #[must_use]
    pub fn wrote_before(&self, now: &Existing) -> bool {
        if self.past.is_empty() || self.wrote(now) {
            return false;
        }
        let value = |name: &String| now.fields.get(name).cloned().unwrap_or_default();
        let there: Record = self.fields.keys().map(|name| (name.clone(), value(name))).collect();
        let there = fingerprint_record(&there);
        // An earlier delivery may have been as the last one is.
        there != fingerprint_record(&self.there()) && self.past.contains(&there)
    }

    /// Merges what is to be there with what is there now.
    #[must_use]
    pub fn merge(&self, ours: &Record, now: &Existing, policies: &MergePolicies) -> Merge {
        if self.is_undecided() {
            return merge_found(ours, &now.fields, policies);
        }
        if self.wrote_before(now) {
            // All of it is ours, but for what was somebody else's already.
            let (mut delivered, mut divergences) = (now.fields.clone(), Divergences::new());
            for name in self.kept() {
                let theirs = now.fields.get(name).cloned().unwrap_or_default();
                divergences.insert(name.clone(), Divergence::Kept(theirs));
                delivered.insert(name.clone(), self.fields.get(name).cloned().unwrap_or_default());
            }
            let base = Base { delivered: &delivered, divergences: &divergences };
            return merge(base, ours, &now.fields, false, policies);
        }
        merge(self.base(), ours, &now.fields, self.wrote(now), policies)
    }

    /// The fields that are somebody else's there, and stay so.
    fn kept(&self) -> impl Iterator<Item = &String> {
        let is_kept = |(_, divergence): &(&String, &Divergence)| matches!(divergence, Divergence::Kept(_));
        self.divergences.iter().filter(is_kept).map(|(name, _)| name)
    }

    /// What merges with it start from.
    #[must_use]
    pub fn base(&self) -> Base<'_> {
        Base { delivered: &self.fields, divergences: &self.divergences }
    }

    /// The mapped fields as they are known to be there.
    #[must_use]
    pub fn there(&self) -> Record {
        let mut there = self.fields.clone();
        there.extend(self.divergences.iter().map(|(name, divergences)| (name.clone(), divergences.value().clone())));
        there
    }

    /// The mapped fields that are not as we last knew them.
    #[must_use]
    pub fn changed_in(&self, now: &Existing) -> Vec<String> {
        if self.wrote(now) || self.wrote_before(now) {
            return Vec::new();
        }
        let differs = |(name, value): &(&String, &Value)| {
            now.fields.get(*name).is_some_and(|now| now != *value && !(now.is_null() && value.is_null()))
        };
        self.there().iter().filter(differs).map(|(name, _)| name.clone()).collect()
    }

    /// Whether the document is as it was when we last wrote or read it, by the destination's mark.
    #[must_use]
    pub fn wrote(&self, now: &Existing) -> bool {
        self.revision.is_some() && self.revision == now.revision
    }
}

/// Whether a counterpart is on view.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Presence {
    /// On view.
    Present,
    /// Saved, and not on view as it was saved; an earlier version of it may be.
    Unseen,
    /// Taken off view.
    Withdrawn,
    /// Deleted; what comes back is another document.
    Deleted,
}

impl Presence {
    /// Every presence with its word.
    pub const WORDS: [(&str, Presence); 4] = [
        ("present", Presence::Present),
        ("unseen", Presence::Unseen),
        ("withdrawn", Presence::Withdrawn),
        ("deleted", Presence::Deleted),
    ];

    /// Whether the document is there for others to refer to: on view, or saved to be.
    #[must_use]
    pub fn is_there(self) -> bool {
        matches!(self, Presence::Present | Presence::Unseen)
    }

    /// The presence's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, presence)| *presence == self).map_or("", |(word, _)| word)
    }

    /// The presence of that word.
    #[must_use]
    pub fn from_word(word: &str) -> Option<Presence> {
        Self::WORDS.iter().find(|(name, _)| *name == word).map(|(_, presence)| *presence)
    }
}

/// A document that was found at the destination.
#[derive(Debug, Clone, PartialEq)]
pub struct Existing {
    /// What the destination calls it.
    pub id: EntryId,
    /// What joins it to its other languages.
    pub item: Option<EntryId>,
    /// Its language, where it shows one.
    pub language: Option<LanguageTag>,
    /// Its version there.
    pub revision: Option<Revision>,
    /// Its fields.
    pub fields: Record,
    /// Whether it is on view.
    pub presence: Presence,
}

impl Existing {
    /// Whether the document has that key: none where it does not show it.
    #[must_use]
    pub fn has_key(&self, field: &str, key: &str) -> Option<bool> {
        if self.id.as_str() == key {
            return Some(true);
        }
        match self.fields.get(field).filter(|value| !value.is_null())? {
            Value::Localised(by_language) => {
                Some(by_language.values().any(|value| value.scalar_text().is_some_and(|text| text == key)))
            }
            value => Some(value.scalar_text().is_some_and(|text| text == key)),
        }
    }

    /// Whether every one of our fields has the same value there; a missing field is null.
    #[must_use]
    pub fn holds(&self, ours: &Record) -> bool {
        ours.iter().all(|(name, value)| match self.fields.get(name) {
            Some(theirs) => theirs == value || (theirs.is_null() && value.is_null()),
            None => value.is_null(),
        })
    }
}
