//! Lanes: one way from a source type to a destination type, and what an entry becomes on it.

mod map;

use indexmap::IndexMap;

use crate::change::{Fingerprint, fingerprint_texts};
use crate::expr::Expression;
use crate::model::EntryType;
use crate::value::{LaneName, LanguageTag, SystemName, TypeName};

pub use map::{Document, Fault, Mapped, Mapping, describe_faults, map_entry};

/// A type in a system: one end of a lane.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LaneEnd {
    /// The system.
    pub system: SystemName,
    /// The type in it.
    pub kind: TypeName,
}

impl std::fmt::Display for LaneEnd {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(&format!("{}/{}", self.system, self.kind))
    }
}

/// What happens at the destination when an entry no longer goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum GonePolicy {
    /// It is taken off view.
    #[default]
    Withdraw,
    /// It is deleted.
    Delete,
    /// It stays as it is.
    Keep,
}

impl GonePolicy {
    /// Every policy with its word.
    pub const WORDS: [(&str, GonePolicy); 3] =
        [("withdraw", GonePolicy::Withdraw), ("delete", GonePolicy::Delete), ("keep", GonePolicy::Keep)];

    /// The policy's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, policy)| *policy == self).map_or("", |(word, _)| word)
    }
}

/// An expression with the text it was read from.
#[derive(Debug, Clone, PartialEq)]
pub struct FieldExpression {
    /// The text.
    pub text: String,
    /// The tree.
    pub tree: Expression,
}

/// One way from a source type to a destination type.
#[derive(Debug, Clone, PartialEq)]
pub struct Lane {
    /// Its name.
    pub name: LaneName,
    /// Where entries come from.
    pub from: LaneEnd,
    /// Where they go.
    pub to: LaneEnd,
    /// The destination field by which a document that exists there already is recognised.
    pub key: Option<String>,
    /// The language of entries that have none, for destinations with a document per language.
    pub language: Option<LanguageTag>,
    /// Who goes. Without one, entries that are live.
    pub when: Option<FieldExpression>,
    /// What happens to those that no longer go.
    pub gone: GonePolicy,
    /// What each destination field is.
    pub fields: IndexMap<String, FieldExpression>,
}

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
}

impl Lane {
    /// Changes when anything changes that could alter what the lane delivers.
    #[must_use]
    pub fn definition(&self, target: &Target) -> Fingerprint {
        let mut texts = vec![
            self.from.to_string(),
            self.to.to_string(),
            self.key.clone().unwrap_or_default(),
            self.when.as_ref().map_or(String::new(), |when| when.text.clone()),
            self.language.as_ref().map_or(String::new(), ToString::to_string),
            self.gone.word().to_owned(),
            format!("{:?}", target.documents),
        ];
        for (name, expression) in &self.fields {
            texts.push(name.clone());
            texts.push(expression.text.clone());
        }
        for (name, field) in target.fields.iter().flat_map(|fields| &fields.fields) {
            texts.push(format!(
                "{name} {} {} {} {:?}",
                field.kind.word(),
                field.many,
                field.required,
                field.max_length
            ));
        }
        fingerprint_texts(texts.iter().map(String::as_str))
    }
}
