//! From an item of a listing to an entry, by a profile.

mod embedded;

use diaporos_core::change::fingerprint_without;
use diaporos_core::intake::Incoming;
use diaporos_core::model::FieldKind;
use diaporos_core::value::{
    Address, EntryId, Localised, Record, Revision, State, SystemName, TypeName, Value, from_json,
};
use indexmap::IndexMap;
use jiff::fmt::rfc2822;
use rayon::prelude::*;
use serde_json::{Value as Json, json};

use crate::Problem;
use crate::elements::plain;
use crate::languages::{LanguageCodes, LanguageShape, UnknownCode};
use crate::profile::{Id, ProfileField, ReadType};
use crate::query::{Query, scalar_text};
use embedded::open_up;

/// Items that one thread reads in a row.
pub(crate) const SHARE: usize = 32;

/// What is needed to read an item.
pub(crate) struct Decoder<'a> {
    pub(crate) system: &'a SystemName,
    pub(crate) languages: &'a LanguageCodes,
    pub(crate) read: &'a ReadType,
    pub(crate) fields: Option<&'a IndexMap<String, ProfileField>>,
}

impl Decoder<'_> {
    /// Reads every entry of an answer: those that can be read, and what is wrong with the others.
    pub(crate) fn entries(&self, answer: &Json) -> (Vec<Incoming>, Vec<Problem>) {
        let read = |(place, item): (usize, &&Json)| {
            let place = format!("item {}", place + 1);
            match &self.read.each {
                None => vec![self.incoming(&place, item, item.to_string())],
                Some(each) => {
                    let inner = each.all(item).into_iter().enumerate();
                    let read = |(number, inner): (usize, &Json)| {
                        let whole = json!({ "outer": item, "inner": inner });
                        self.incoming(&format!("{place}, entry {}", number + 1), &whole, inner.to_string())
                    };
                    inner.map(read).collect()
                }
            }
        };
        let items = self.read.items.all(answer);
        let read: Vec<_> = items.par_iter().enumerate().with_min_len(SHARE).flat_map_iter(read).collect();
        let (mut entries, mut problems) = (Vec::new(), Vec::new());
        for one in read {
            match one {
                Ok(entry) => entries.push(entry),
                Err(problem) => problems.push(problem),
            }
        }
        (entries, problems)
    }

    /// Reads an item, which came as `raw`, or says what is wrong with it.
    pub(crate) fn incoming(&self, place: &str, item: &Json, raw: String) -> Result<Incoming, Problem> {
        let problem = |item: &str, message: String| Problem::unnamed(item, message);
        let opened;
        let item = if self.read.embedded.is_empty() {
            item
        } else {
            opened = open_up(item, &self.read.embedded).map_err(|message| problem(place, message))?;
            &opened
        };
        let id = match &self.read.id {
            Id::Alone(id) => id.clone(),
            Id::At(queries) => id_at(queries, item).map_err(|message| problem(place, message))?,
            Id::File => {
                EntryId::new(place).map_err(|error| problem(place, format!("its name cannot be an id: {error}")))?
            }
        };
        let named = |message: String| Problem::of(&id, message);
        let state = self.state(item).map_err(named)?;
        let part = match &self.read.languages {
            LanguageShape::Items { language, .. } => {
                let code = language.first(item).and_then(scalar_text);
                let code = code.ok_or_else(|| named(format!("has no language at `{}`", language.as_str())))?;
                let unreadable = |error: UnknownCode| named(format!("cannot be read: {error}"));
                Some(self.languages.tag(&code).map_err(unreadable)?)
            }
            _ => None,
        };
        let revision = self.read.revision.as_ref().and_then(|query| query.first(item)).and_then(scalar_text);
        let revision = match revision.map(Revision::new).transpose() {
            Ok(revision) => revision,
            Err(error) => return Err(named(format!("its revision cannot be used: {error}"))),
        };
        let fields = Value::Record(self.record(item).map_err(named)?);
        let fingerprint = fingerprint_without(&fields, &self.read.ignore);
        let Value::Record(fields) = fields else { return Err(named("has no fields".to_owned())) };
        Ok(Incoming { id, part, state, revision, fields, fingerprint, raw: Some(raw), notes: Vec::new() })
    }

    /// A source without states has live entries. A word that is not in the table is used as it is
    /// where it is one of ours, and is a fault where it is not.
    fn state(&self, item: &Json) -> Result<State, String> {
        let Some(query) = &self.read.state else { return Ok(State::Live) };
        let Some(found) = query.first(item) else {
            return self.read.state_missing.ok_or_else(|| format!("has no state at `{}`", query.as_str()));
        };
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
            let of = |json: &Json| if self.read.elements { from_json(&plain(json, false)) } else { from_json(json) };
            return Ok(members.iter().map(|(name, json)| (name.clone(), of(json))).collect());
        };
        let mut record = Record::default();
        for (name, field) in fields {
            let value = match &field.at {
                at if self.read.elements => {
                    let found = match at {
                        None => members.get(name).cloned(),
                        Some(query) if query.as_str().contains("[*]") => {
                            Some(query.all(item).into_iter().cloned().collect())
                        }
                        Some(query) => query.first(item).cloned(),
                    };
                    let is_nodes = field.node_language.is_some();
                    let plain = found.map(|found| if is_nodes { found } else { plain(&found, field.field.many) });
                    self.value(field, plain.as_ref())
                }
                None => self.value(field, members.get(name)),
                Some(query) if field.field.many || field.node_language.is_some() => {
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
        // Of languages that are listed one by one, each item has its own value only.
        if !field.field.localised || self.read.languages.parts(self.languages).is_some() {
            return self.plain(field, json);
        }
        let tag = |code: &str| self.languages.tag(code).map_err(|error| format!("cannot be read: {error}"));
        let mut localised = Localised::new();
        match (json, &field.node_language) {
            (Json::Array(nodes), Some(member)) => {
                for node in nodes {
                    let code = node.get(member).and_then(scalar_text).ok_or("has a node without a language")?;
                    localised.insert(tag(&code)?, self.plain(field, node.get("#text").unwrap_or(&Json::Null))?);
                }
            }
            (Json::Object(by_code), _) => {
                for (code, inner) in by_code.iter().filter(|(_, inner)| !inner.is_null()) {
                    localised.insert(tag(code)?, self.plain(field, inner)?);
                }
            }
            _ => return Err("should have a value per language, and has not".to_owned()),
        }
        Ok(Value::Localised(localised))
    }

    fn plain(&self, field: &ProfileField, json: &Json) -> Result<Value, String> {
        match (&field.field.kind, json) {
            (FieldKind::Reference(to), Json::Array(items)) => {
                items.iter().map(|item| self.reference(field, to, item)).collect::<Result<_, _>>().map(Value::List)
            }
            (FieldKind::Reference(to), one) => self.reference(field, to, one),
            (_, Json::Array(items)) if field.field.many => {
                Ok(Value::List(items.iter().map(|item| one_of_kind(&field.field.kind, item)).collect()))
            }
            (kind, other) => Ok(one_of_kind(kind, other)),
        }
    }

    /// A reference is an id, or the other entry written out with its id in it.
    fn reference(&self, field: &ProfileField, to: &TypeName, json: &Json) -> Result<Value, String> {
        let found = field.id.as_ref().filter(|_| json.is_object()).map_or(Some(json), |query| query.first(json));
        let id = found.and_then(scalar_text).ok_or("should be the id of another entry, and is not")?;
        let id = EntryId::new(id).map_err(|error| format!("refers to an id that cannot be used: {error}"))?;
        Ok(Value::Reference(Address { system: self.system.clone(), kind: to.clone(), id }))
    }
}

/// A value of a declared kind, item by item of a list.
pub(crate) fn of_kind(kind: &FieldKind, json: &Json) -> Value {
    match json {
        Json::Array(items) => Value::List(items.iter().map(|item| one_of_kind(kind, item)).collect()),
        one => one_of_kind(kind, one),
    }
}

/// A value of a declared kind. A text that is one of it without doubt is read as one: `"14.00"` where
/// a number is declared; any other value stays what it is, and is told where it does not fit.
fn one_of_kind(kind: &FieldKind, json: &Json) -> Value {
    let Json::String(text) = json else { return from_json(json) };
    let trimmed = text.trim();
    let read = match kind {
        FieldKind::Integer => number(trimmed).and_then(|number| match number {
            Value::Number(fraction) if fraction.fract() == 0.0 => {
                trimmed.split('.').next()?.parse().ok().map(Value::Integer)
            }
            Value::Integer(_) => Some(number),
            _ => None,
        }),
        FieldKind::Number => number(trimmed),
        FieldKind::Boolean => match trimmed.to_ascii_lowercase().as_str() {
            "true" => Some(Value::Boolean(true)),
            "false" => Some(Value::Boolean(false)),
            _ => None,
        },
        FieldKind::Instant => rfc2822::parse(trimmed).ok().map(|moment| Value::Text(moment.timestamp().to_string())),
        _ => return from_json(json),
    };
    // An empty text where a number is declared is none.
    read.unwrap_or_else(|| if trimmed.is_empty() { Value::Null } else { from_json(json) })
}

/// A number as JSON, CSV and most programs write one: no thousands, no commas, no zeros before it,
/// which an identifier has.
fn number(text: &str) -> Option<Value> {
    let digits = text.strip_prefix('-').unwrap_or(text);
    let plain = !digits.is_empty() && digits.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.');
    let has_zeros = digits.len() > 1 && digits.starts_with('0') && !digits.starts_with("0.");
    if !plain || has_zeros || digits.starts_with('.') || digits.ends_with('.') {
        return None;
    }
    if let Ok(whole) = text.parse() {
        return Some(Value::Integer(whole));
    }
    text.parse().ok().map(Value::Number)
}

/// The id that stands at one place, or is joined from several by slashes.
pub(crate) fn id_at(queries: &[Query], item: &Json) -> Result<EntryId, String> {
    let part = |query: &Query| {
        query.first(item).and_then(scalar_text).ok_or_else(|| format!("has no id at `{}`", query.as_str()))
    };
    let parts = queries.iter().map(part).collect::<Result<Vec<_>, _>>()?;
    EntryId::new(parts.join("/")).map_err(|error| format!("its id cannot be used: {error}"))
}
