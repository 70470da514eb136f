//! What became of an entry on a lane.

use std::collections::BTreeSet;

use diaporos_core::plan::Counterpart;
use diaporos_core::value::{Address, LanguageTag};

use super::Standing;

/// A document that is at the destination as it should be.
#[derive(Debug, Clone, PartialEq)]
pub struct Delivered {
    /// Its language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// What it is there.
    pub counterpart: Counterpart,
}

/// A document that somebody else changed at the destination.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HandEdit {
    /// Its language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// The fields.
    pub fields: Vec<String>,
}

/// Where an entry stands after it was looked at.
#[derive(Debug, Clone, PartialEq)]
pub struct Verdict {
    /// The entry's number.
    pub entry: i64,
    /// How often it was made owed a look when it was looked at.
    pub touched: i64,
    /// Where it stands.
    pub standing: Standing,
    /// Why it is held, or a word for why it failed.
    pub reason: Option<String>,
    /// What exactly.
    pub message: Option<String>,
    /// The fields for which it is held, where it is for any.
    pub fields: Vec<String>,
    /// Documents that somebody else changed there.
    pub edited: Vec<HandEdit>,
    /// Documents that were written, adopted or withdrawn.
    pub delivered: Vec<Delivered>,
    /// The other entries that were read to find what it becomes.
    pub reads: BTreeSet<Address>,
}

impl Verdict {
    /// A verdict, without more to say, on an entry that was looked at when it had been made owed a look so
    /// often.
    #[must_use]
    pub fn new((entry, touched): (i64, i64), standing: Standing) -> Self {
        Verdict {
            entry,
            touched,
            standing,
            reason: None,
            message: None,
            fields: Vec::new(),
            edited: Vec::new(),
            delivered: Vec::new(),
            reads: BTreeSet::new(),
        }
    }

    /// Says why.
    #[must_use]
    pub fn because(mut self, reason: &str, message: impl Into<String>) -> Self {
        self.reason = Some(reason.to_owned());
        self.message = Some(message.into());
        self
    }
}
