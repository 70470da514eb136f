//! Language tags (BCP 47, RFC 5646).

use std::fmt;
use std::str::FromStr;

use smol_str::SmolStr;

/// A well-formed BCP 47 language tag in its normal case: `en`, `cy`, `fr-CA`. Short ones, which are
/// nearly all, are copied without memory of their own.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LanguageTag(SmolStr);

/// A text that is not a BCP 47 language tag.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a BCP 47 language tag")]
pub struct LanguageError(pub String);

impl LanguageTag {
    /// The tag as text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for LanguageTag {
    type Err = LanguageError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        oxilangtag::LanguageTag::parse_and_normalize(text)
            .map(|tag| LanguageTag(tag.as_str().into()))
            .map_err(|_| LanguageError(text.to_owned()))
    }
}

impl fmt::Display for LanguageTag {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_are_normalised_and_checked() {
        for (given, expected) in [("EN", "en"), ("fr-ca", "fr-CA"), ("zh-hant-tw", "zh-Hant-TW"), ("cy", "cy")] {
            assert_eq!(given.parse::<LanguageTag>().unwrap().as_str(), expected);
        }
        for bad in ["", "english language", "e", "en_GB", "en-"] {
            assert_eq!(bad.parse::<LanguageTag>(), Err(LanguageError(bad.to_owned())));
        }
    }
}
