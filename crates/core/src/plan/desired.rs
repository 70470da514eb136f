//! What a document is to be.

use crate::change::{Fingerprint, fingerprint_record};
use crate::value::{LanguageTag, Record};

/// One document for the destination.
#[derive(Debug, Clone, PartialEq)]
pub struct Document<F = Record> {
    /// Its language, where the destination has a document per language.
    pub language: Option<LanguageTag>,
    /// What its mapped fields are to be.
    pub fields: F,
    /// The value of the lane's key field.
    pub key: Option<String>,
}

impl Document {
    /// The fingerprint of the fields.
    #[must_use]
    pub fn fingerprint(&self) -> Fingerprint {
        fingerprint_record(&self.fields)
    }
}
