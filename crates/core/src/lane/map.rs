//! What an entry becomes on a lane: documents, nothing, or faults.

use std::collections::{BTreeMap, BTreeSet};

use super::{Documents, Lane, Target};
use crate::change::{Fingerprint, fingerprint};
use crate::expr::{Evaluated, Follow, Subject, evaluate, is_true};
use crate::model::{Field, FieldKind, Misfit, fit};
use crate::plan::State;
use crate::text::clean;
use crate::value::{Address, LanguageTag, Record, Value, languages_of, project};

/// What an entry becomes on a lane, and what was looked at to find it.
#[derive(Debug, Clone, PartialEq)]
pub struct Mapping {
    /// What it becomes.
    pub mapped: Mapped,
    /// Other entries whose fields were read.
    pub reads: BTreeSet<Address>,
    /// References that lead nowhere.
    pub dead: BTreeSet<Address>,
}

/// What an entry becomes on a lane.
#[derive(Debug, Clone, PartialEq)]
pub enum Mapped {
    /// It does not go: it is gone, or the lane's condition does not hold.
    Outside,
    /// It goes, as these documents.
    Goes {
        /// The documents, one per language where the destination has it so.
        documents: Vec<Document>,
        /// Languages that are left as they are at the destination, with what they lack.
        incomplete: BTreeMap<LanguageTag, Vec<String>>,
    },
    /// It cannot go.
    Faulty(Vec<Fault>),
}

/// One document for the destination.
#[derive(Debug, Clone, PartialEq)]
pub struct Document {
    /// Its language, where the destination has a document per language.
    pub language: Option<LanguageTag>,
    /// What its mapped fields are to be.
    pub fields: Record,
    /// The fingerprint of the fields.
    pub fingerprint: Fingerprint,
    /// The value of the lane's key field.
    pub key: Option<String>,
}

/// Why an entry cannot go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// The destination field, or `when`.
    pub field: String,
    /// The language, where it is one language's fault.
    pub language: Option<LanguageTag>,
    /// What is wrong.
    pub message: String,
}

/// Faults in words, one of several languages told once: `byline@cy,en is required`.
#[must_use]
pub fn describe_faults(faults: &[Fault]) -> Vec<String> {
    let mut told: Vec<(&Fault, Vec<&str>)> = Vec::new();
    for fault in faults {
        let same =
            |(known, _): &&mut (&Fault, Vec<&str>)| (&known.field, &known.message) == (&fault.field, &fault.message);
        let language = fault.language.as_ref().map(LanguageTag::as_str);
        match told.iter_mut().find(same) {
            Some((_, languages)) => languages.extend(language),
            None => told.push((fault, language.into_iter().collect())),
        }
    }
    let words = |(fault, languages): &(&Fault, Vec<&str>)| match languages.as_slice() {
        [] => format!("{} {}", fault.field, fault.message),
        languages => format!("{}@{} {}", fault.field, languages.join(","), fault.message),
    };
    told.iter().map(words).collect()
}

/// Finds what an entry becomes on a lane.
#[must_use]
pub fn map_entry(lane: &Lane, target: &Target, subject: &Subject<'_>, follow: &dyn Follow) -> Mapping {
    let mut mapper = Mapper { subject, follow, reads: BTreeSet::new(), dead: BTreeSet::new(), faults: Vec::new() };
    let mapped = match mapper.goes(lane) {
        Some(false) => Mapped::Outside,
        None => Mapped::Faulty(std::mem::take(&mut mapper.faults)),
        Some(true) => mapper.documents(lane, target),
    };
    Mapping { mapped, reads: mapper.reads, dead: mapper.dead }
}

struct Mapper<'a> {
    subject: &'a Subject<'a>,
    follow: &'a dyn Follow,
    reads: BTreeSet<Address>,
    dead: BTreeSet<Address>,
    faults: Vec<Fault>,
}

impl Mapper<'_> {
    /// Whether the entry goes; none where its condition has no answer.
    fn goes(&mut self, lane: &Lane) -> Option<bool> {
        if self.subject.state == State::Gone {
            return Some(false);
        }
        let Some(when) = &lane.when else {
            return Some(self.subject.state == State::Live);
        };
        let value = self.evaluate("when", when)?;
        is_true(&value).map_err(|message| self.fault("when", None, message)).ok()
    }

    fn evaluate(&mut self, field: &str, expression: &super::FieldExpression) -> Option<Value> {
        match evaluate(&expression.tree, self.subject, self.follow) {
            Ok(Evaluated { value, reads, dead }) => {
                self.reads.extend(reads);
                self.dead.extend(dead);
                Some(value)
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

    fn documents(&mut self, lane: &Lane, target: &Target) -> Mapped {
        let mut whole = Record::default();
        for (name, expression) in &lane.fields {
            if let Some(value) = self.evaluate(name, expression) {
                whole.insert(name.clone(), value);
            }
        }
        if !self.faults.is_empty() {
            return Mapped::Faulty(std::mem::take(&mut self.faults));
        }
        let mut incomplete = BTreeMap::new();
        let mut documents = Vec::new();
        match &target.documents {
            Documents::One => documents.extend(self.document(lane, target, whole, None)),
            Documents::OneLanguage(language) => {
                let plain = in_language(&whole, language);
                documents.extend(self.document(lane, target, plain, None));
            }
            Documents::PerLanguage => {
                let record = Value::Record(whole);
                let mut languages: Vec<LanguageTag> = languages_of(&record).into_iter().cloned().collect();
                if languages.is_empty() {
                    languages.extend(lane.language.clone());
                }
                let Value::Record(whole) = record else {
                    return Mapped::Outside;
                };
                if languages.is_empty() {
                    self.fault(
                        "fields",
                        None,
                        "have no language, and the destination has a document per language; map a localised field, or say the lane's `language`",
                    );
                }
                for language in languages {
                    let missing = missing_in(&whole, &language, target);
                    let localised = whole.values().filter(|value| !languages_of(value).is_empty()).count();
                    if missing.is_empty() {
                        documents.extend(self.document(lane, target, in_language(&whole, &language), Some(language)));
                    } else if missing.len() < localised || localised == 1 {
                        incomplete.insert(language, missing);
                    }
                }
                if documents.is_empty() && self.faults.is_empty() {
                    self.blame_incomplete(&incomplete);
                }
            }
        }
        if self.faults.is_empty() {
            Mapped::Goes { documents, incomplete }
        } else {
            Mapped::Faulty(std::mem::take(&mut self.faults))
        }
    }

    /// An entry of which no language is complete does not go, and says what each lacks.
    fn blame_incomplete(&mut self, incomplete: &BTreeMap<LanguageTag, Vec<String>>) {
        for (language, missing) in incomplete {
            for field in missing {
                self.fault(field, Some(language), Misfit::Missing.to_string());
            }
        }
    }

    fn document(
        &mut self,
        lane: &Lane,
        target: &Target,
        mut fields: Record,
        language: Option<LanguageTag>,
    ) -> Option<Document> {
        let before = self.faults.len();
        for (name, value) in &mut fields {
            let Some(field) = target.fields.as_ref().and_then(|known| known.fields.get(name)) else {
                continue;
            };
            if field.kind == FieldKind::Html {
                clean_html(value);
            }
            self.fit(name, field, value, language.as_ref());
        }
        let key = match &lane.key {
            None => None,
            Some(key_field) => match fields.get(key_field).map(key_text) {
                Some(Some(key)) => Some(key),
                _ => {
                    self.fault(
                        key_field,
                        language.as_ref(),
                        "is the lane's `match` field and has no text or number in it",
                    );
                    None
                }
            },
        };
        if self.faults.len() > before {
            return None;
        }
        let fields_value = Value::Record(fields);
        let fingerprint = fingerprint(&fields_value);
        let Value::Record(fields) = fields_value else {
            return None;
        };
        Some(Document { language, fields, fingerprint, key })
    }

    fn fit(&mut self, name: &str, field: &Field, value: &Value, language: Option<&LanguageTag>) {
        match value {
            Value::Localised(by_language) if field.localised => {
                for (tag, inner) in by_language {
                    if let Err(misfit) = fit(field, inner) {
                        self.fault(name, Some(tag), misfit.to_string());
                    }
                }
                if by_language.is_empty() && field.required {
                    self.fault(name, None, Misfit::Missing.to_string());
                }
            }
            plain => {
                if let Err(misfit) = fit(field, plain) {
                    let dead: Vec<String> = self.dead.iter().map(|address| format!("`{address}`")).collect();
                    let cause = match misfit {
                        Misfit::Missing if !dead.is_empty() => {
                            format!(" ({} is referred to and not in the store)", dead.join(", "))
                        }
                        _ => String::new(),
                    };
                    self.fault(name, language, format!("{misfit}{cause}"));
                }
            }
        }
    }
}

/// The required fields that are localised and that this language lacks.
fn missing_in(whole: &Record, language: &LanguageTag, target: &Target) -> Vec<String> {
    let required = |name: &str| {
        target.fields.as_ref().and_then(|known| known.fields.get(name)).is_some_and(|field| field.required)
    };
    let lacking = |value: &Value| !languages_of(value).is_empty() && project(value, language).is_blank();
    whole.iter().filter(|(name, value)| required(name) && lacking(value)).map(|(name, _)| name.clone()).collect()
}

fn in_language(whole: &Record, language: &LanguageTag) -> Record {
    whole.iter().map(|(name, value)| (name.clone(), project(value, language).into_owned())).collect()
}

fn clean_html(value: &mut Value) {
    match value {
        Value::Text(html) => *html = clean(html),
        Value::List(items) => items.iter_mut().for_each(clean_html),
        Value::Localised(by_language) => by_language.values_mut().for_each(clean_html),
        _ => {}
    }
}

fn key_text(value: &Value) -> Option<String> {
    match value {
        Value::Text(text) if !text.is_empty() => Some(text.clone()),
        Value::Integer(whole) => Some(whole.to_string()),
        _ => None,
    }
}

#[cfg(test)]
mod tests;
