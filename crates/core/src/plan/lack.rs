//! What a destination must have before anything is written, and lacks.

use std::collections::BTreeSet;

use crate::value::{LanguageTag, TypeName};

/// What a destination has, as it says itself.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct HasThere {
    /// Whether the type is there.
    pub has_type: bool,
    /// The type's fields.
    pub fields: BTreeSet<String>,
    /// Its languages; none where it does not say.
    pub languages: Option<BTreeSet<LanguageTag>>,
}

/// Something that a destination lacks.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Lack {
    /// A language.
    Language(LanguageTag),
    /// The type.
    Type(TypeName),
    /// A field of the type.
    Field(String),
}

impl std::fmt::Display for Lack {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Lack::Language(tag) => write!(f, "the language `{tag}`"),
            Lack::Type(kind) => write!(f, "the type `{kind}`"),
            Lack::Field(name) => write!(f, "the field `{name}`"),
        }
    }
}

/// What of the fields and languages that are needed is not there, in the order in which it can be
/// made: languages, the type, its fields.
#[must_use]
pub fn lacks<'a>(
    kind: &TypeName,
    fields: impl Iterator<Item = &'a str>,
    languages: &[LanguageTag],
    there: &HasThere,
) -> Vec<Lack> {
    let known = there.languages.as_ref();
    let missing = |tag: &&LanguageTag| known.is_some_and(|known| !known.contains(*tag));
    let mut lacks: Vec<Lack> = languages.iter().filter(missing).cloned().map(Lack::Language).collect();
    if !there.has_type {
        lacks.push(Lack::Type(kind.clone()));
    }
    let missing = fields.filter(|name| !there.fields.contains(*name));
    lacks.extend(missing.map(|name| Lack::Field(name.to_owned())));
    lacks
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn in_the_order_in_which_they_can_be_made() {
        let kind = TypeName::new("page").unwrap();
        let tags: Vec<LanguageTag> = ["en", "cy"].map(|tag| tag.parse().unwrap()).to_vec();
        let drawn = |there: &HasThere| {
            let found = lacks(&kind, ["slug", "heading"].into_iter(), &tags, there);
            found.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
        };
        let nothing = HasThere { languages: Some(BTreeSet::new()), ..HasThere::default() };
        assert_eq!(
            drawn(&nothing),
            "the language `en`, the language `cy`, the type `page`, the field `slug`, the field `heading`"
        );
        let some = HasThere { has_type: true, fields: ["slug".to_owned()].into(), languages: None };
        assert_eq!(drawn(&some), "the field `heading`", "of languages that are not told nothing is said");
    }
}
