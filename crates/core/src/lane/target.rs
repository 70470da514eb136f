//! What a destination type takes.

use crate::model::EntryType;
use crate::value::LanguageTag;

/// How many documents an entry becomes at a destination, and in what form languages go there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Documents {
    /// One, and a localised field is a map by language.
    One,
    /// One, in one language.
    OneLanguage(LanguageTag),
    /// One per language.
    PerLanguage,
}

/// What a destination type takes.
#[derive(Debug, Clone, PartialEq)]
pub struct Target {
    /// How languages go there.
    pub documents: Documents,
    /// Its fields, where they are known.
    pub fields: Option<EntryType>,
    /// The languages that it takes; any, where none is named.
    pub languages: Vec<LanguageTag>,
}
