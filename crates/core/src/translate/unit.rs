//! Units: blocks on their way to a translator and back.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::case::Case;
use super::key::TextKey;
use super::{Inline, NearMatch, Tag};
use crate::change::fingerprint_texts;
use crate::value::Address;

/// What a unit is called in every file: the same for the same place, whatever the batch.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct UnitId(String);

/// A text that cannot name a unit.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not the id of a unit of ours")]
pub struct UnitIdError(pub String);

impl UnitId {
    /// The id of the unit at a place: `u` and the first 64 bits of the place's fingerprint.
    #[must_use]
    pub fn of(place: &UnitPlace) -> UnitId {
        let print = fingerprint_texts([place.to_string().as_str()]).to_string();
        UnitId(format!("u{}", print.get(..16).unwrap_or(&print)))
    }

    /// The id as text; a name token of XML.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for UnitId {
    type Err = UnitIdError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let digits = text.strip_prefix('u').unwrap_or_default();
        let sound = digits.len() == 16 && digits.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b'a'..=b'f'));
        let shown = || text.chars().take(40).filter(|c| !c.is_control()).collect();
        if sound { Ok(UnitId(text.to_owned())) } else { Err(UnitIdError(shown())) }
    }
}

impl fmt::Display for UnitId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl Unit {
    /// By what its text is known again.
    #[must_use]
    pub fn key(&self) -> TextKey {
        TextKey::of(&self.source, &self.context.cases)
    }
}

/// Where a unit stands.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct UnitPlace {
    /// The entry.
    pub address: Address,
    /// The field.
    pub field: String,
    /// The block within the field, from 1.
    pub block: u32,
}

impl fmt::Display for UnitPlace {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&format!("{}#{}.{}", self.address, self.field, self.block))
    }
}

/// A text that goes to a translator.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Unit {
    /// What it is called.
    pub id: UnitId,
    /// Where it stands, for people: `catalogue/plant-profile/p-001#description.2`.
    pub name: String,
    /// The text.
    pub source: Inline,
    /// Its tags, by number from 1.
    pub tags: Vec<Tag>,
    /// What helps to translate it.
    pub context: UnitContext,
}

/// What helps to translate a unit.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct UnitContext {
    /// The entry, by its address.
    pub entry: String,
    /// What the entry is called.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// The element that the text stands in.
    #[serde(default)]
    pub within: String,
    /// In which cases it counts; of a message alone.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub cases: Vec<Case>,
    /// The text before it in the same field.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// The text after it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
    /// The most characters that its translation may have.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub limit: Option<usize>,
    /// What translators should know.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub notes: Vec<String>,
    /// Where it can be seen, by what is there: the page, a picture of the screen.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub references: Vec<(String, String)>,
    /// What it said before it changed, and how that was translated.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub earlier: Option<(Inline, Inline)>,
    /// Texts that are nearly the same, with their translations, the nearest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub near: Vec<NearMatch>,
    /// What a machine made of it, for people to mend.
    #[serde(skip)]
    pub machine: Option<Inline>,
}

impl Serialize for Inline {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&self.coded())
    }
}

impl<'de> Deserialize<'de> for Inline {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let coded: std::borrow::Cow<'de, str> = Deserialize::deserialize(from)?;
        Ok(Inline::from_coded(&coded))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_pinned_to_places() {
        let place = |block| UnitPlace {
            address: "catalogue/plant-profile/p-001".parse().unwrap(),
            field: "description".into(),
            block,
        };
        // Files that are out for months are read by these.
        assert_eq!(place(2).to_string(), "catalogue/plant-profile/p-001#description.2");
        assert_eq!(UnitId::of(&place(2)).as_str(), "u7b8f8cb2074fa009");
        assert_ne!(UnitId::of(&place(2)), UnitId::of(&place(3)));
        let id = UnitId::of(&place(1));
        assert_eq!(id.as_str().parse::<UnitId>().unwrap(), id);
        for bad in ["", "u", "u12", "42", "uABCDEF0123456789", "u0123456789abcdef0"] {
            assert_eq!(bad.parse::<UnitId>(), Err(UnitIdError(bad.to_owned())));
        }
    }
}
