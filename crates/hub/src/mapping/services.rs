//! What services give an entry, before it is mapped.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::sync::Arc;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::expr::{EvalError, Library, Program, Sight, Subject, is_true};
use diaporos_core::value::{LanguageTag, Localised, Record, Value, languages_of, project, to_json};
use diaporos_store::{EntryRow, Store, StoreError};
use jiff::Timestamp;
use serde_json::{Map, Value as Json};

use crate::config::{ConfiguredLane, ServiceConfig};

/// What a service is to be asked about an entry.
#[derive(Debug, Clone)]
pub(crate) struct Question {
    /// The service.
    pub(crate) service: Arc<ServiceConfig>,
    /// The language of what is sent; none where it has no languages.
    pub(crate) language: Option<LanguageTag>,
    /// What is sent.
    pub(crate) members: Map<String, Json>,
    /// By what it is known again, with the way in which it is asked.
    pub(crate) content: Fingerprint,
}

/// What is known of a question.
#[derive(Debug, Clone)]
pub(crate) struct Known {
    /// The question.
    pub(crate) question: Question,
    /// What was given, and when; none where it was not asked yet.
    pub(crate) given: Option<(Value, Timestamp)>,
}

/// What is known of all that a service is asked about an entry; nothing where it is not asked. Else why it cannot be.
///
/// # Errors
/// Where the store fails.
pub(crate) fn known_of(
    store: &Store,
    service: &Arc<ServiceConfig>,
    library: &Library,
    row: &EntryRow,
) -> Result<Result<Vec<Known>, String>, StoreError> {
    let questions = match questions(store, service, library, row)? {
        Ok(questions) => questions,
        Err(why) => return Ok(Err(why)),
    };
    let known = questions.into_iter().map(|question| {
        let given = store.service_value(&service.name, &question.content)?;
        Ok(Known { question, given })
    });
    known.collect::<Result<Vec<_>, StoreError>>().map(Ok)
}

fn questions(
    store: &Store,
    service: &Arc<ServiceConfig>,
    library: &Library,
    row: &EntryRow,
) -> Result<Result<Vec<Question>, String>, StoreError> {
    let values = service.slots.resolve(&row.fields);
    let (address, state) = (&row.address, row.state);
    let subject = Subject { address, state, values: &values, now: row.changed, previous: None };
    let value = |program: &Program| {
        let evaluated = program.evaluate(Sight { subject, world: store, library });
        match evaluated {
            Ok(evaluated) => Ok(Ok(evaluated.value)),
            Err(EvalError { world: Some(error), .. }) => Err(StoreError::from(error)),
            Err(error) => Ok(Err(format!("what is sent to `{}` has no value: {}", service.name, error.message))),
        }
    };
    if let Some(holds) = &service.holds {
        match value(&holds.program)?.and_then(|value| is_true(&value)) {
            Ok(true) => {}
            Ok(false) => return Ok(Ok(Vec::new())),
            Err(why) => return Ok(Err(why)),
        }
    }
    let mut sent = Record::default();
    for (member, expression) in &service.send {
        match value(&expression.program)? {
            Ok(value) => drop(sent.insert(member.clone(), value)),
            Err(why) => return Ok(Err(why)),
        }
    }
    let languages: BTreeSet<&LanguageTag> = sent.values().flat_map(languages_of).collect();
    let question = |language: Option<&LanguageTag>| {
        let in_language = |value: &Value| match language {
            Some(language) => to_json(&project(value, language)),
            None => to_json(value),
        };
        let members: Map<String, Json> =
            sent.iter().map(|(member, value)| (member.clone(), in_language(value))).collect();
        // Nothing is asked about nothing: what is sent of the entry says something.
        let is_blank = |json: &Json| json.is_null() || json.as_str().is_some_and(|text| text.trim().is_empty());
        let of_entry = service.send.iter().filter(|(_, expression)| !expression.program.uses.fields.is_empty());
        let says = of_entry.filter_map(|(member, _)| members.get(member)).any(|json| !is_blank(json));
        let body = Json::Object(members.clone()).to_string();
        let content = fingerprint_texts([service.definition.to_string().as_str(), body.as_str()]);
        says.then(|| Question { service: Arc::clone(service), language: language.cloned(), members, content })
    };
    Ok(Ok(match service.field.localised {
        true => languages.into_iter().filter_map(|language| question(Some(language))).collect(),
        false => question(None).into_iter().collect(),
    }))
}

/// An entry's fields, with those that services give it as far as they were asked: what was not asked is what the
/// configuration says for a service that does not answer, or null.
///
/// # Errors
/// Where the store fails.
pub(super) fn with_given<'a>(
    store: &Store,
    lane: &ConfiguredLane,
    row: &'a EntryRow,
) -> Result<Cow<'a, Record>, StoreError> {
    if lane.services.is_empty() {
        return Ok(Cow::Borrowed(&row.fields));
    }
    let mut fields = row.fields.clone();
    for service in &lane.services {
        let known = known_of(store, service, &lane.lane.library, row)?.unwrap_or_default();
        fields.insert(service.name.clone(), value(service, known));
    }
    Ok(Cow::Owned(fields))
}

/// What a service gives an entry, of what is known.
pub(crate) fn value(service: &ServiceConfig, known: Vec<Known>) -> Value {
    let otherwise = || service.otherwise.clone().unwrap_or_default();
    let mut by_language = Localised::new();
    for Known { question, given } in known {
        let value = given.map_or_else(otherwise, |(value, _)| value);
        match question.language {
            None => return value,
            Some(language) => drop(by_language.insert(language, value)),
        }
    }
    if service.field.localised { Value::Localised(by_language) } else { Value::Null }
}

/// What is still to be asked about an entry, and why a service cannot be asked about it.
///
/// # Errors
/// Where the store fails.
pub(crate) fn still_to_ask(
    store: &Store,
    lane: &ConfiguredLane,
    row: &EntryRow,
) -> Result<(Vec<Question>, Option<String>), StoreError> {
    let (mut open, mut fault) = (Vec::new(), None);
    for service in &lane.services {
        match known_of(store, service, &lane.lane.library, row)? {
            Ok(known) => {
                let unknown = known.into_iter().filter(|known| known.given.is_none());
                open.extend(unknown.map(|known| known.question));
            }
            Err(why) => fault = fault.or(Some(why)),
        }
    }
    Ok((open, fault))
}
