//! A REST system's documents: as its bodies take them, and as the hub sees them.

use diaporos_core::change::alike;
use diaporos_core::lane::Documents;
use diaporos_core::plan::{Existing, Order, Presence, Written};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, TypeName, Value, from_json};
use serde_json::{Map, Value as Json};

use super::write::{RestWriter, filled};
use crate::decode::of_kind;
use crate::elements;
use crate::http::{Answer, Body, Request};
use crate::languages::{LanguageShape, UnknownCode};
use crate::profile::{Call, Filled, RevisionPlace, WriteType};
use crate::query::scalar_text;
use crate::{ErrorKind, SystemError, Write};

impl RestWriter {
    pub(super) fn code(&self, language: Option<&LanguageTag>) -> Result<Option<String>, SystemError> {
        language.map(|tag| self.languages.code(tag)).transpose().map_err(|error| self.error(error.to_string()))
    }

    /// Puts what a call says, and fields as the system takes them, into a document: a field where the call's body has
    /// a place for it, else in its own. A localised one is a map by the system's own codes, or an element for each.
    pub(super) fn put_fields(
        &self,
        write: &WriteType,
        (call, filled): (&Call, Filled<'_>),
        fields: &Record,
        document: &mut Map<String, Json>,
    ) -> Result<(), SystemError> {
        let mut encoded = Map::new();
        for (name, value) in fields {
            let json = self.encoded(write, name, value).map_err(|error| self.error(error.to_string()))?;
            encoded.insert(name.clone(), json);
        }
        let placed = call.placed();
        if !placed.is_empty() && !document.is_empty() {
            // What an order does not name stays as it is there.
            let now = write.layout.members(&Json::Object(document.clone()));
            for name in placed.iter().filter(|name| !fields.contains_key(**name)) {
                encoded.insert((*name).to_owned(), now.get(*name).cloned().unwrap_or_default());
            }
        }
        document.extend(call.members_with(filled, &encoded));
        for (name, json) in encoded.into_iter().filter(|(name, _)| !placed.contains(name.as_str())) {
            write.layout.place(&name).put(document, json);
        }
        Ok(())
    }

    /// A field's value as it stands in documents.
    fn encoded(&self, write: &WriteType, name: &str, value: &Value) -> Result<Json, UnknownCode> {
        if !write.elements {
            return write.languages.encode(value, &self.languages);
        }
        if let (Value::Localised(by_language), Some(member)) = (value, write.layout.node_languages.get(name)) {
            return elements::of_languages(by_language, member, &self.languages);
        }
        let json = write.languages.encode(value, &self.languages)?;
        let is_text = write.layout.place(name).last().is_some_and(|last| last.starts_with('@') || last == "#text");
        Ok(if is_text { json } else { elements::of_value(&json) })
    }

    /// A field's value as a document has it.
    fn decoded(&self, kind: &TypeName, write: &WriteType, (name, json): (&str, &Json)) -> Value {
        let known = self.profile.model().get(kind).and_then(|known| known.fields.get(name));
        let is_localised = known.is_some_and(|field| field.localised) && write.languages.documents() == Documents::One;
        if !write.elements {
            return if is_localised { write.languages.decode(json, &self.languages) } else { from_json(json) };
        }
        let node = write.layout.node_languages.get(name).filter(|_| is_localised);
        if let Some(value) = node.and_then(|member| elements::by_language(json, member, &self.languages)) {
            return value;
        }
        let plain = elements::plain(json, known.is_some_and(|field| field.many));
        match known {
            _ if is_localised => write.languages.decode(&plain, &self.languages),
            Some(field) => of_kind(&field.kind, &plain),
            None => from_json(&plain),
        }
    }

    /// The document that an order to create or update sends, with the call's fixed members.
    pub(super) fn document(
        &self,
        write: &WriteType,
        call: &Call,
        order: &Order,
    ) -> Result<Map<String, Json>, SystemError> {
        let code = match order {
            Order::Create { language, .. } => self.code(language.as_ref())?.unwrap_or_default(),
            _ => String::new(),
        };
        let filled = match order {
            Order::Create { key, item, .. } => Filled {
                key: key.as_deref().unwrap_or_default(),
                language: &code,
                item: item.as_ref().map_or("", EntryId::as_str),
                ..Filled::default()
            },
            Order::Update { id, revision, .. } => {
                Filled { revision: revision.as_ref().map_or("", Revision::as_str), ..filled(write, id) }
            }
            _ => Filled::default(),
        };
        let mut document = Map::new();
        self.put_fields(write, (call, filled), order.fields().unwrap_or(&Record::default()), &mut document)?;
        if let Order::Create { language, item, .. } = order {
            let code = self.code(language.as_ref())?;
            write.languages.name(&mut document, code, item.as_ref().map(super::write::identifier));
        }
        Ok(document)
    }

    /// A document as the body of a call.
    pub(super) fn body(
        &self,
        write: &WriteType,
        call: &Call,
        document: Map<String, Json>,
    ) -> Result<Body, SystemError> {
        let whole = match &write.document {
            Some(at) => at.wrap(document),
            None => document,
        };
        call.body_of(whole).map_err(|kind| self.failed(kind))
    }

    /// Puts a document into the body of a request.
    pub(super) fn put_document(
        &self,
        request: &mut Request,
        write: &WriteType,
        call: &Call,
        document: Map<String, Json>,
    ) -> Result<(), SystemError> {
        match (&call.operation, &mut request.body) {
            (Some(operation), Some(Body::Json(body, _))) => operation.put_document(body, document),
            _ => request.body = Some(self.body(write, call, document)?),
        }
        Ok(())
    }

    /// The document in an answer.
    pub(super) fn in_answer<'a>(write: &WriteType, answer: &'a Json) -> &'a Json {
        write.document.as_ref().map_or(answer, |at| at.get(answer).unwrap_or(&Json::Null))
    }

    /// A document as the hub sees it: localised fields told by the type, the rest as they are.
    pub(super) fn existing(
        &self,
        kind: &TypeName,
        write: &WriteType,
        (document, code): (&Json, &str),
        etag: Option<&str>,
    ) -> Result<Existing, SystemError> {
        let id = self.document_id(write, document, code)?;
        let id = id.ok_or_else(|| self.error(format!("a `{kind}` has no id at `{}`", write.id.as_str())))?;
        if !document.is_object() {
            return Err(self.error(format!("a `{kind}` is not an object")));
        }
        let mut fields = Record::default();
        for (name, json) in &write.layout.members(document) {
            fields.insert(name.clone(), self.decoded(kind, write, (name, json)));
        }
        let withdrawn = write.withdrawn.as_ref().is_some_and(|(at, words)| {
            at.first(document).and_then(scalar_text).is_some_and(|word| words.contains(&word))
        });
        Ok(Existing {
            id,
            item: self.item(write, document),
            language: write.languages.language_of(document, code).and_then(|code| self.languages.tag(&code).ok()),
            revision: self.revision(write, document, etag),
            fields,
            presence: if withdrawn { Presence::Withdrawn } else { Presence::Present },
        })
    }

    fn document_id(&self, write: &WriteType, document: &Json, code: &str) -> Result<Option<EntryId>, SystemError> {
        let text = write.id.first(document).and_then(scalar_text);
        let text = text.map(|id| write.languages.id(id, code));
        text.map(EntryId::new)
            .transpose()
            .map_err(|error| self.error(format!("a document's id cannot be used: {error}")))
    }

    fn item(&self, write: &WriteType, document: &Json) -> Option<EntryId> {
        if matches!(write.languages, LanguageShape::Addresses) {
            return write.id.first(document).and_then(scalar_text).and_then(|text| EntryId::new(text).ok());
        }
        let LanguageShape::Rows { item: Some(member), .. } = &write.languages else { return None };
        document.get(member).and_then(scalar_text).and_then(|text| EntryId::new(text).ok())
    }

    pub(super) fn revision(&self, write: &WriteType, document: &Json, etag: Option<&str>) -> Option<Revision> {
        let text = match write.revision.as_ref()? {
            RevisionPlace::Etag => etag.map(str::to_owned),
            RevisionPlace::Body(query) => query.first(document).and_then(scalar_text),
        };
        text.and_then(|text| Revision::new(text).ok())
    }

    /// What an answer says of a document that was written.
    ///
    /// # Errors
    /// Where it does not show that the work was done: a page of HTML, nothing, another document. The
    /// destination is then asked what became of it.
    pub(super) fn written(
        &self,
        kind: &TypeName,
        write: &WriteType,
        order: &Order,
        answer: &Answer,
    ) -> Result<Written, SystemError> {
        let doubt = |message: String| {
            self.error(format!("it answered {}, and that does not show that it was done: {message}", answer.status))
        };
        let code = match order {
            Order::Create { language, .. } => self.code(language.as_ref())?.unwrap_or_default(),
            _ => order.id().map_or("", |id| write.languages.split(id).1).to_owned(),
        };
        // Where the identifier is ours to choose, the answer need not repeat it.
        let chosen = match order {
            // A language that was added belongs to the document that it was added to.
            Order::Create { item: Some(item), .. } if matches!(write.languages, LanguageShape::Addresses) => {
                EntryId::new(write.languages.id(item.to_string(), &code)).ok()
            }
            Order::Create { key: Some(key), .. } if write.create.has("key") => EntryId::new(key.clone()).ok(),
            _ => None,
        };
        let expected = order.id().cloned().or(chosen);
        let etag = answer.header("etag");
        let nothing = |id| {
            let revision = self.revision(write, &Json::Null, etag);
            Written { id, item: None, revision, fields: None, presence: Presence::Present, status: answer.status }
        };
        // No Content says that it was done (RFC 9110 §15.3.5), and of what only if that is known.
        if matches!(answer.status, 204 | 205) && expected.is_some() {
            return Ok(nothing(expected));
        }
        let json = match answer.json() {
            Ok(json) => json,
            // Created, at an address that is ours.
            Err(_) if answer.status == 201 && answer.body.is_empty() && expected.is_some() => {
                return Ok(nothing(expected));
            }
            Err(kind) => return Err(doubt(kind.to_string())),
        };
        let document = Self::in_answer(write, &json);
        let Some(id) = self.document_id(write, document, &code)? else {
            return Err(doubt(format!("there is no document with an id at `{}`", write.id.as_str())));
        };
        let existing = self.existing(kind, write, (document, &code), etag)?;
        if let Some(expected) = expected.filter(|expected| *expected != id && !shows_what_was_sent(order, &existing)) {
            return Err(doubt(format!("it is about `{id}`, and `{expected}` was asked for")));
        }
        // An object with no more than the id says nothing of what is stored.
        let shows_fields =
            order.fields().is_some_and(|sent| sent.keys().any(|name| existing.fields.contains_key(name)));
        let Existing { item, revision, fields, .. } = existing;
        let fields = shows_fields.then_some(fields);
        Ok(Written { id: Some(id), item, revision, fields, presence: Presence::Present, status: answer.status })
    }
}

/// Whether a new document that the system calls otherwise than we do shows something that we sent.
fn shows_what_was_sent(order: &Order, existing: &Existing) -> bool {
    let sent = order.fields().into_iter().flatten().filter(|(_, value)| !value.is_null());
    let mut shown = sent.filter_map(|(name, value)| Some((value, existing.fields.get(name)?)));
    order.id().is_none() && shown.any(|(ours, shown)| alike(ours, shown))
}

/// An error whose request may have been carried out.
pub(super) fn is_accepted(answer: &Answer) -> bool {
    answer.status == 202
}

/// What is said where an answer only promises.
pub(super) fn only_promised() -> ErrorKind {
    ErrorKind::Content("it answered 202: it will be done, and there is no telling when".to_owned())
}
