//! What is owed: deciding without doing.
//!
//! [`decide`] is one flat table from what a document should be, what is known of its counterpart
//! and what was found at the destination, to a [`Step`]. [`settle`] reads an answer that was lost.

mod decide;
mod hold;
mod settle;
mod state;

pub use decide::{Found, Step, Wanted, decide};
pub use hold::{Hold, HoldReason};
pub use settle::{Intended, Settled, settle};
pub use state::State;

use crate::change::Fingerprint;
use crate::value::{EntryId, Record, Revision};

/// What an entry has become at a destination, as far as the hub knows.
#[derive(Debug, Clone, PartialEq)]
pub struct Counterpart {
    /// What the destination calls it.
    pub id: EntryId,
    /// What joins it to its other languages there.
    pub item: Option<EntryId>,
    /// The destination's mark of the version that we wrote or accepted.
    pub revision: Option<Revision>,
    /// What was last delivered.
    pub fingerprint: Fingerprint,
    /// Whether it is on view there.
    pub presence: Presence,
}

/// Whether a counterpart is on view.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Presence {
    /// On view.
    Present,
    /// Taken off view, or deleted.
    Withdrawn,
}

impl Presence {
    /// Every presence with its word.
    pub const WORDS: [(&str, Presence); 2] = [("present", Presence::Present), ("withdrawn", Presence::Withdrawn)];

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
