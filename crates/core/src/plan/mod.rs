//! What is owed: deciding without doing.
//!
//! [`decide`] is one flat table from what a document should be, what is known of its counterpart
//! and what was found at the destination, to a [`Step`]. An [`Errand`] carries a step out, as a
//! conversation in which somebody else does the talking. [`settle`] reads an answer that was lost in
//! an earlier run.

mod decide;
mod document;
mod errand;
mod hold;
mod lack;
mod order;
mod settle;
mod state;

pub use decide::{Found, Step, Wanted, decide};
pub use document::DocumentPlan;
pub use errand::{Act, Ending, Errand, Reply};
pub use hold::{Hold, HoldReason};
pub use lack::{HasThere, Lack, lacks};
pub use order::{Order, Written};
pub use settle::{Intended, Settled, settle, settle_new};
pub use state::State;

use crate::change::{Aparts, Base, Fingerprint};
use crate::value::{EntryId, Record, Revision, Value};

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
    pub apart: Aparts,
}

impl Counterpart {
    /// What merges with it start from.
    #[must_use]
    pub fn base(&self) -> Base<'_> {
        Base { delivered: &self.fields, apart: &self.apart }
    }

    /// The mapped fields as they are known to be there.
    #[must_use]
    pub fn there(&self) -> Record {
        let mut there = self.fields.clone();
        there.extend(self.apart.iter().map(|(name, apart)| (name.clone(), apart.value().clone())));
        there
    }

    /// The mapped fields that are not as we last knew them.
    #[must_use]
    pub fn changed_in(&self, now: &Existing) -> Vec<String> {
        if self.wrote(now) {
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
    /// Taken off view.
    Withdrawn,
    /// Deleted; what comes back is another document.
    Deleted,
}

impl Presence {
    /// Every presence with its word.
    pub const WORDS: [(&str, Presence); 3] =
        [("present", Presence::Present), ("withdrawn", Presence::Withdrawn), ("deleted", Presence::Deleted)];

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
    /// Its version there.
    pub revision: Option<Revision>,
    /// Its fields.
    pub fields: Record,
    /// Whether it is on view.
    pub presence: Presence,
}

impl Existing {
    /// Whether every one of our fields has the same value there; a missing field is null.
    #[must_use]
    pub fn holds(&self, ours: &Record) -> bool {
        ours.iter().all(|(name, value)| match self.fields.get(name) {
            Some(theirs) => theirs == value || (theirs.is_null() && value.is_null()),
            None => value.is_null(),
        })
    }
}
