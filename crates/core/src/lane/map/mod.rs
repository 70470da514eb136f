//! What an entry becomes on a lane: documents, nothing, or faults.

mod documents;
mod fault;

use std::borrow::Cow;
use std::collections::BTreeMap;

use jiff::Timestamp;

use super::{FieldExpression, Lane, Rule, Target};
use crate::expr::{Dependencies, EvalError, Evaluated, Sight, Subject, World, WorldError, is_true};
use crate::plan::Document;
use crate::value::{LanguageTag, Record, State, Value};

pub use fault::{Fault, describe_faults};

/// Fields by name, of which those that are the entry's own are borrowed from it.
pub type Borrowed<'a> = Vec<(&'a str, Cow<'a, Value>)>;

/// What an entry becomes on a lane, and what was looked at to find it.
#[derive(Debug, Clone, PartialEq)]
pub struct Mapping<F = Record> {
    /// What it becomes.
    pub mapped: Mapped<F>,
    /// Other entries that were looked at.
    pub dependencies: Dependencies,
    /// Why nothing of it is withdrawn or overwritten.
    pub protected: Option<String>,
}

/// What an entry becomes on a lane.
#[derive(Debug, Clone, PartialEq)]
pub enum Mapped<F = Record> {
    /// It does not go: it is gone, or the lane's condition does not hold.
    Outside,
    /// It goes, as these documents.
    Goes {
        /// The documents, one per language where the destination has it so.
        documents: Vec<Document<F>>,
        /// Languages that are left as they are at the destination, with what they lack.
        incomplete: BTreeMap<LanguageTag, Vec<String>>,
    },
    /// It breaks rules that the lane requires.
    Broken(Vec<String>),
    /// It cannot go.
    Faulty(Vec<Fault>),
}

impl<F> Mapped<F> {
    /// The same with the fields of each document in another form.
    fn with_fields<G>(self, form: impl Fn(F) -> G) -> Mapped<G> {
        match self {
            Mapped::Outside => Mapped::Outside,
            Mapped::Broken(messages) => Mapped::Broken(messages),
            Mapped::Faulty(faults) => Mapped::Faulty(faults),
            Mapped::Goes { documents, incomplete } => {
                let formed = |Document { language, fields, key }| Document { language, fields: form(fields), key };
                Mapped::Goes { documents: documents.into_iter().map(formed).collect(), incomplete }
            }
        }
    }
}

/// Finds what an entry becomes on a lane. In fields `now` is when the entry last changed, so that
/// the same entry always becomes the same; in conditions it is the time given.
///
/// # Errors
/// Where other entries cannot be looked at: then nothing is known of what it becomes.
pub fn map_entry(
    lane: &Lane,
    target: &Target,
    subject: Subject<'_>,
    world: &dyn World,
    now: Timestamp,
) -> Result<Mapping, WorldError> {
    let Mapping { mapped, dependencies, protected } = map_borrowed(lane, target, subject, world, now)?;
    let owned = |fields: Borrowed<'_>| {
        fields.into_iter().map(|(name, value)| (name.to_owned(), value.into_owned())).collect::<Record>()
    };
    Ok(Mapping { mapped: mapped.with_fields(owned), dependencies, protected })
}

/// The same without copying what an entry's fields hold, for what is written out at once.
///
/// # Errors
/// As above.
pub fn map_borrowed<'a>(
    lane: &'a Lane,
    target: &Target,
    subject: Subject<'a>,
    world: &'a dyn World,
    now: Timestamp,
) -> Result<Mapping<Borrowed<'a>>, WorldError> {
    let mut mapper =
        Mapper { lane, subject, world, now, dependencies: Dependencies::default(), faults: Vec::new(), unseen: None };
    let protected = mapper.protected();
    let mapped = match mapper.goes() {
        Some(false) => Mapped::Outside,
        None => Mapped::Faulty(std::mem::take(&mut mapper.faults)),
        Some(true) => match mapper.broken() {
            _ if !mapper.faults.is_empty() => Mapped::Faulty(std::mem::take(&mut mapper.faults)),
            broken if broken.is_empty() => mapper.documents(lane, target),
            broken => Mapped::Broken(broken),
        },
    };
    mapper.unseen.map_or(Ok(Mapping { mapped, dependencies: mapper.dependencies, protected }), Err)
}

struct Mapper<'a> {
    lane: &'a Lane,
    subject: Subject<'a>,
    world: &'a dyn World,
    now: Timestamp,
    dependencies: Dependencies,
    faults: Vec<Fault>,
    /// Why other entries could not be looked at.
    unseen: Option<WorldError>,
}

impl<'a> Mapper<'a> {
    /// Whether the entry goes; none where its condition has no answer.
    fn goes(&mut self) -> Option<bool> {
        if self.subject.state == State::Gone {
            return Some(false);
        }
        match &self.lane.when {
            None => Some(self.subject.state == State::Live),
            Some(when) => self.holds("when", when),
        }
    }

    /// What the entry says to the rules that it breaks.
    fn broken(&mut self) -> Vec<String> {
        let mut broken = Vec::new();
        for Rule { name, condition, message } in &self.lane.require {
            if self.holds(name, condition) == Some(false) {
                broken.push(message.clone());
            }
        }
        broken
    }

    /// Why the entry is protected. A rule that has no answer protects, for nothing is removed on a
    /// guess.
    fn protected(&mut self) -> Option<String> {
        self.lane.protect.iter().find_map(|Rule { name, condition, message }| {
            let before = self.faults.len();
            match self.holds(name, condition) {
                Some(true) => Some(message.clone()),
                Some(false) => None,
                None => {
                    let fault = self.faults.drain(before..).next();
                    Some(fault.map_or_else(String::new, |fault| format!("`{name}` {}", fault.message)))
                }
            }
        })
    }

    fn holds(&mut self, name: &str, condition: &FieldExpression) -> Option<bool> {
        let value = self.evaluate(name, condition, self.now)?;
        is_true(&value).map_err(|message| self.fault(name, None, message)).ok()
    }

    fn evaluate(&mut self, field: &str, expression: &FieldExpression, now: Timestamp) -> Option<Cow<'a, Value>> {
        if let Some(lent) = expression.program.lent(self.subject) {
            return Some(Cow::Borrowed(lent));
        }
        let subject = Subject { now, ..self.subject };
        match expression.program.evaluate(Sight { subject, world: self.world, library: &self.lane.library }) {
            Ok(Evaluated { value, dependencies }) => {
                self.dependencies.extend(dependencies);
                Some(Cow::Owned(value))
            }
            Err(EvalError { world: Some(error), .. }) => {
                self.unseen.get_or_insert(error);
                None
            }
            Err(error) => {
                let place = expression.text.get(error.span).unwrap_or_default();
                self.fault(field, None, format!("has no value: {} (at `{place}`)", error.message));
                None
            }
        }
    }

    fn fault(&mut self, field: &str, language: Option<&LanguageTag>, message: impl Into<String>) {
        self.faults.push(Fault { field: field.to_owned(), language: language.cloned(), message: message.into() });
    }
}

#[cfg(test)]
mod tests;
