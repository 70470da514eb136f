//! Where batches and their texts stand, by words.

use crate::StoreError;

/// Where a batch stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BatchStanding {
    /// It is made, and not sent.
    Made,
    /// It is being sent; whether it is ordered is not known yet.
    Sending,
    /// It is with the translators.
    Sent,
    /// All of it was known from before; it was never sent.
    Filled,
    /// Nothing of it is waited for any more.
    Cancelled,
}

impl BatchStanding {
    pub(super) const WORDS: [(&str, BatchStanding); 5] = [
        ("made", BatchStanding::Made),
        ("sending", BatchStanding::Sending),
        ("sent", BatchStanding::Sent),
        ("filled", BatchStanding::Filled),
        ("cancelled", BatchStanding::Cancelled),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, self)
    }
}

/// Why a text is in a batch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// It has no translation.
    New,
    /// It has one of what it said before.
    Changed,
    /// It stands in the batch once already; it is not sent, and has the other's translation.
    Repeated,
}

impl Origin {
    pub(in crate::store) const WORDS: [(&str, Origin); 3] =
        [("new", Origin::New), ("changed", Origin::Changed), ("repeated", Origin::Repeated)];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, self)
    }
}

/// How a text stands in a language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum UnitStanding {
    /// It has not come back.
    Out,
    /// Its translation is taken.
    Accepted,
    /// Its translation came back, and waits for a person, or for a later state.
    Pending,
    /// Its translation has defects, and goes back.
    Rejected,
    /// Its translation is sound, of a text that has changed since.
    Outdated,
}

impl UnitStanding {
    pub(super) const WORDS: [(&str, UnitStanding); 5] = [
        ("out", UnitStanding::Out),
        ("accepted", UnitStanding::Accepted),
        ("pending", UnitStanding::Pending),
        ("rejected", UnitStanding::Rejected),
        ("outdated", UnitStanding::Outdated),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, self)
    }
}

fn word_of<T: PartialEq>(words: &[(&'static str, T)], of: T) -> &'static str {
    words.iter().find(|(_, known)| *known == of).map_or("", |(word, _)| *word)
}

pub(in crate::store) fn of_word<T: Copy>(words: &[(&'static str, T)], word: &str) -> Result<T, StoreError> {
    let found = words.iter().find(|(known, _)| *known == word).map(|(_, of)| *of);
    found.ok_or_else(|| StoreError::Content(format!("the standing `{word}`")))
}
