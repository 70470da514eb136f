//! Lanes: one way from a source type to a destination type, and what an entry becomes on it.

mod amendment;
mod check;
mod coverage;
mod explain;
mod line;
mod map;
mod target;

use std::sync::Arc;

use indexmap::IndexMap;
use jiff::{RoundMode, Timestamp, TimestampRound, Unit};

use crate::change::{Fingerprint, MergePolicies, fingerprint_texts};
use crate::expr::{Expression, Library, Program, Slots, Uses};
use crate::plan::GonePolicy;
use crate::value::{LaneName, LanguageTag, SystemName, TypeName};

pub use amendment::{Amend, Amendment, Amendments, Counts};
pub use check::check_field;
pub use coverage::{Coverage, coverage};
pub use explain::{Clause, Explanation, Ruling, Steps, explain, steps};
pub use line::{Line, LineReader};
pub use map::{Borrowed, Fault, Mapped, Mapping, describe_faults, map_borrowed, map_entry};
pub use target::{Documents, Target};

/// A type in a system: one end of a lane.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TypeRef {
    /// The system.
    pub system: SystemName,
    /// The type in it.
    pub kind: TypeName,
}

impl std::fmt::Display for TypeRef {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(&format!("{}/{}", self.system, self.kind))
    }
}

/// What becomes of an entry that refers to one which does not go.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum ReferencePolicy {
    /// It goes without the reference, and says so.
    #[default]
    LeaveOut,
    /// It is held till the other is there.
    Hold,
}

impl ReferencePolicy {
    /// Every policy with its word.
    pub const WORDS: [(&str, ReferencePolicy); 2] =
        [("leave-out", ReferencePolicy::LeaveOut), ("hold", ReferencePolicy::Hold)];

    /// The policy's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, policy)| *policy == self).map_or("", |(word, _)| word)
    }
}

/// An expression with the text it was read from.
#[derive(Debug, Clone)]
pub struct FieldExpression {
    /// The text.
    pub text: String,
    /// The tree.
    pub tree: Expression,
    /// The program.
    pub program: Program,
}

impl PartialEq for FieldExpression {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

/// A condition with what to say where it decides.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// Its name in the configuration.
    pub name: String,
    /// The condition.
    pub condition: FieldExpression,
    /// What to say.
    pub message: String,
}

/// One way from a source type to a destination type.
#[derive(Debug, Clone)]
pub struct Lane {
    /// Its name.
    pub name: LaneName,
    /// Where entries come from.
    pub from: TypeRef,
    /// Where they go.
    pub to: TypeRef,
    /// The destination field by which a document that exists there already is recognised.
    pub key: Option<String>,
    /// The language of entries that have none, for destinations with a document per language.
    pub language: Option<LanguageTag>,
    /// Who goes. Without one, entries that are live.
    pub when: Option<FieldExpression>,
    /// What must hold for an entry that goes; one that breaks a rule is held with its message.
    pub require: Vec<Rule>,
    /// Entries for which one of these holds are never withdrawn or overwritten.
    pub protect: Vec<Rule>,
    /// What happens to those that no longer go.
    pub gone: GonePolicy,
    /// What becomes of fields that somebody else changed at the destination.
    pub changed_there: MergePolicies,
    /// What becomes of references to entries that do not go.
    pub references: ReferencePolicy,
    /// What each destination field is.
    pub fields: IndexMap<String, FieldExpression>,
    /// What a destination field is where its expression says nothing.
    pub defaults: IndexMap<String, FieldExpression>,
    /// The source fields that the programs read.
    pub slots: Slots,
    /// What the expressions of the hub share.
    pub library: Arc<Library>,
}

impl Lane {
    /// Every expression of the lane, with what it is for.
    pub fn expressions(&self) -> impl Iterator<Item = (&str, &FieldExpression)> {
        let when = self.when.iter().map(|when| ("when", when));
        let rules = self.require.iter().chain(&self.protect).map(|rule| (rule.name.as_str(), &rule.condition));
        let fields = self.fields.iter().chain(&self.defaults).map(|(name, field)| (name.as_str(), field));
        when.chain(rules).chain(fields)
    }

    /// Whether who goes depends on the time alone, so that every push has to ask again.
    #[must_use]
    pub fn depends_on_time(&self) -> bool {
        let rules = self.require.iter().chain(&self.protect).map(|rule| &rule.condition);
        self.when.iter().chain(rules).any(|condition| condition.program.uses.now)
    }

    /// What all expressions of the lane look at.
    #[must_use]
    pub fn uses(&self) -> Uses {
        let mut uses = Uses::default();
        self.expressions().for_each(|(_, expression)| uses.extend(&expression.program.uses));
        uses
    }

    /// Changes when anything changes that could alter what the lane delivers; where that depends on
    /// the time, with every minute.
    #[must_use]
    pub fn definition(&self, target: &Target, now: Timestamp) -> Fingerprint {
        let mut texts = vec![
            self.from.to_string(),
            self.to.to_string(),
            self.key.clone().unwrap_or_default(),
            self.when.as_ref().map_or(String::new(), |when| when.text.clone()),
            self.language.as_ref().map_or(String::new(), ToString::to_string),
            self.gone.word().to_owned(),
            format!("{:?}", target.documents),
        ];
        if self.references != ReferencePolicy::default() {
            texts.push(self.references.word().to_owned());
        }
        if self.changed_there != MergePolicies::default() {
            texts.push(self.changed_there.otherwise.word().to_owned());
            texts.push(format!("on adopt {}", self.changed_there.on_adopt.word()));
            texts.extend(self.changed_there.fields.iter().map(|(name, policy)| format!("{name} {}", policy.word())));
        }
        for rule in self.require.iter().chain(&self.protect) {
            texts.extend(["rule".to_owned(), rule.name.clone(), rule.condition.text.clone(), rule.message.clone()]);
        }
        for (name, expression) in self.fields.iter().chain(&self.defaults) {
            texts.push(name.clone());
            texts.push(expression.text.clone());
        }
        for (name, field) in target.fields.iter().flat_map(|fields| &fields.fields) {
            texts.push(format!("{name} {}", field.signature()));
        }
        let uses = self.uses();
        for (name, table) in &self.library.tables {
            if uses.tables.contains(name) {
                texts.extend([name.clone(), table.fingerprint().to_string()]);
            }
        }
        for (name, rendition) in &self.library.renditions {
            if uses.renditions.contains(name) {
                texts.push(format!("{name} {rendition:?}"));
            }
        }
        if !uses.functions.is_empty() {
            texts.extend(self.library.functions.iter().flat_map(|(name, own)| [name.clone(), own.text.clone()]));
        }
        texts.extend(self.library.languages.iter().chain(&self.library.fallback).map(ToString::to_string));
        if self.depends_on_time() {
            let minute = TimestampRound::new().smallest(Unit::Minute).mode(RoundMode::Trunc);
            texts.push(now.round(minute).unwrap_or(now).to_string());
        }
        fingerprint_texts(texts.iter().map(String::as_str))
    }
}
