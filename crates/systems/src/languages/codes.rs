//! A system's own language codes.

use std::collections::BTreeMap;

use diaporos_core::value::LanguageTag;

/// A system's codes with the BCP 47 tags they stand for. Without any, its codes are the tags.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct LanguageCodes(BTreeMap<String, LanguageTag>);

/// A code or tag that the system's table does not have.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum UnknownCode {
    /// Not in the table.
    #[error("the language code `{0}` is not in the system's `languages` table")]
    Unmapped(String),
    /// There is no table, and the code is no tag.
    #[error("the language code `{0}` is not a BCP 47 tag; say in the system's `languages` table what it stands for")]
    NoTag(String),
    /// The destination has no code for it.
    #[error("the system has no code for the language `{0}`; add one to its `languages` table")]
    NoCode(LanguageTag),
}

impl LanguageCodes {
    /// A table of codes.
    #[must_use]
    pub fn new(codes: BTreeMap<String, LanguageTag>) -> Self {
        LanguageCodes(codes)
    }

    /// The tags in the table; none where there is no table.
    #[must_use]
    pub fn tags(&self) -> Vec<LanguageTag> {
        self.0.values().cloned().collect()
    }

    /// The codes in the table.
    pub(crate) fn codes(&self) -> Vec<String> {
        self.0.keys().cloned().collect()
    }

    /// Whether a code stands for a language; any of two letters where there is no table.
    pub(crate) fn knows(&self, code: &str) -> bool {
        match self.0.is_empty() {
            true => code.split(['-', '_']).next().is_some_and(|first| first.len() == 2),
            false => self.0.contains_key(code),
        }
    }

    /// The tag that a code stands for.
    ///
    /// # Errors
    /// Where that is not known.
    pub fn tag(&self, code: &str) -> Result<LanguageTag, UnknownCode> {
        if self.0.is_empty() {
            return code.parse().map_err(|_| UnknownCode::NoTag(code.to_owned()));
        }
        self.0.get(code).cloned().ok_or_else(|| UnknownCode::Unmapped(code.to_owned()))
    }

    /// The code that stands for a tag.
    ///
    /// # Errors
    /// Where there is none.
    pub fn code(&self, tag: &LanguageTag) -> Result<String, UnknownCode> {
        if self.0.is_empty() {
            return Ok(tag.to_string());
        }
        let found = self.0.iter().find(|(_, known)| *known == tag).map(|(code, _)| code.clone());
        found.ok_or_else(|| UnknownCode::NoCode(tag.clone()))
    }
}
