//! From an item of a listing to an entry.

use diaporos_core::change::fingerprint;
use diaporos_core::intake::Incoming;
use diaporos_core::model::FieldKind;
use diaporos_core::plan::State;
use diaporos_core::value::{Address, EntryId, Localised, Record, Revision, SystemName, TypeName, Value, from_json};
use indexmap::IndexMap;
use serde_json::Value as Json;

use super::LanguageCodes;
use super::profile::{ProfileField, ReadType, scalar_text};
use crate::Problem;

/// What is needed to read an item.
pub(super) struct Decoder<'a> {
    pub(super) system: &'a SystemName,
    pub(super) languages: &'a LanguageCodes,
    pub(super) read: &'a ReadType,
    pub(super) fields: Option<&'a IndexMap<String, ProfileField>>,
}

impl Decoder<'_> {
    /// Reads an item, or says what is wrong with it.
    pub(super) fn incoming(&self, place: usize, item: &Json) -> Result<Incoming, Problem> {
        let unnamed = || format!("item {}", place + 1);
        let problem = |item: String, message: String| Problem { item, message };
        let id = self.read.id.first(item).and_then(scalar_text);
        let id = id.ok_or_else(|| problem(unnamed(), format!("has no id at `{}`", self.read.id.as_str())))?;
        let id = EntryId::new(id).map_err(|error| problem(unnamed(), format!("its id cannot be used: {error}")))?;
        let named = |message: String| problem(id.to_string(), message);
        let state = self.state(item).map_err(named)?;
        let revision = self.read.revision.as_ref().and_then(|query| query.first(item)).and_then(scalar_text);
        let revision = match revision.map(Revision::new).transpose() {
            Ok(revision) => revision,
            Err(error) => return Err(named(format!("its revision cannot be used: {error}"))),
        };
        let fields = Value::Record(self.record(item).map_err(named)?);
        let fingerprint = fingerprint(&fields);
        let Value::Record(fields) = fields else { return Err(named("has no fields".to_owned())) };
        Ok(Incoming { id, state, revision, fields, fingerprint })
    }

    /// A source without states has live entries. A word that is not in the table is used as it is
    /// where it is one of ours, and is a fault where it is not.
    fn state(&self, item: &Json) -> Result<State, String> {
        let Some(query) = &self.read.state else { return Ok(State::Live) };
        let Some(found) = query.first(item) else { return Err(format!("has no state at `{}`", query.as_str())) };
        let word = match found {
            Json::Bool(truth) => truth.to_string(),
            other => scalar_text(other).unwrap_or_default(),
        };
        self.read.states.get(&word).copied().or_else(|| State::from_word(&word)).ok_or_else(|| {
            format!("its state `{word}` is not known; say in the profile's `states` table what it stands for")
        })
    }

    fn record(&self, item: &Json) -> Result<Record, String> {
        let whole = match &self.read.fields_at {
            None => item,
            Some(query) => query.first(item).ok_or_else(|| format!("has no fields at `{}`", query.as_str()))?,
        };
        let Json::Object(members) = whole else { return Err("its fields are not an object".to_owned()) };
        let Some(fields) = self.fields else {
            return Ok(members.iter().map(|(name, json)| (name.clone(), from_json(json.clone()))).collect());
        };
        let mut record = Record::new();
        for (name, field) in fields {
            let value = match &field.at {
                None => self.value(field, members.get(name)),
                Some(query) if field.field.many => {
                    let found: Vec<Json> = query.all(item).into_iter().cloned().collect();
                    match found.as_slice() {
                        [list @ Json::Array(_)] => self.value(field, Some(list)),
                        _ => self.value(field, Some(&Json::Array(found))),
                    }
                }
                Some(query) => self.value(field, query.first(item)),
            };
            let value = value.map_err(|message| format!("its field `{name}` {message}"))?;
            if !value.is_null() {
                record.insert(name.clone(), value);
            }
        }
        Ok(record)
    }

    fn value(&self, field: &ProfileField, json: Option<&Json>) -> Result<Value, String> {
        let Some(json) = json.filter(|json| !json.is_null()) else { return Ok(Value::Null) };
        if !field.field.localised {
            return self.plain(field, json);
        }
        let Json::Object(by_code) = json else {
            return Err("should have a value per language, and has not".to_owned());
        };
        let mut localised = Localised::new();
        for (code, inner) in by_code.iter().filter(|(_, inner)| !inner.is_null()) {
            let tag = self.languages.tag(code).map_err(|error| format!("cannot be read: {error}"))?;
            localised.insert(tag, self.plain(field, inner)?);
        }
        Ok(Value::Localised(localised))
    }

    fn plain(&self, field: &ProfileField, json: &Json) -> Result<Value, String> {
        match (&field.field.kind, json) {
            (FieldKind::Reference(to), Json::Array(items)) => {
                items.iter().map(|item| self.reference(to, item)).collect::<Result<_, _>>().map(Value::List)
            }
            (FieldKind::Reference(to), one) => self.reference(to, one),
            (_, other) => Ok(from_json(other.clone())),
        }
    }

    fn reference(&self, to: &TypeName, json: &Json) -> Result<Value, String> {
        let id = scalar_text(json).ok_or("should be the id of another entry, and is not")?;
        let id = EntryId::new(id).map_err(|error| format!("refers to an id that cannot be used: {error}"))?;
        Ok(Value::Reference(Address { system: self.system.clone(), kind: to.clone(), id }))
    }
}
