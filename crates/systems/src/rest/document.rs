//! A REST system's documents: as its bodies take them, and as the hub sees them.

use diaporos_core::change::alike;
use diaporos_core::lane::Documents;
use diaporos_core::plan::{Existing, Order, Presence, Written};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, TypeName, Value, from_json, to_json};
use serde_json::{Map, Value as Json};

use super::languages::{from_nodes, split, to_nodes};
use super::write::RestWriter;
use crate::http::{Answer, Body};
use crate::profile::{Call, RevisionPlace, WriteType, scalar_text};
use crate::{ErrorKind, SystemError};

impl RestWriter {
    pub(super) fn code(&self, language: Option<&LanguageTag>) -> Result<Option<String>, SystemError> {
        language.map(|tag| self.languages.code(tag)).transpose().map_err(|error| self.error(error.to_string()))
    }

    /// Puts fields into a document as the system takes them, each in its place: a localised one as a
    /// map by the system's own codes.
    pub(super) fn put_fields(
        &self,
        write: &WriteType,
        fields: &Record,
        document: &mut Map<String, Json>,
    ) -> Result<(), SystemError> {
        for (name, value) in fields {
            let json = match value {
                Value::Localised(by_language) => {
                    let code = |tag| self.languages.code(tag).map_err(|error| self.error(error.to_string()));
                    let by_code = by_language.iter().map(|(tag, inner)| Ok((code(tag)?, to_json(inner))));
                    match &write.nodes {
                        None => Json::Object(by_code.collect::<Result<_, SystemError>>()?),
                        Some(nodes) => {
                            let by_code = by_code.collect::<Result<Vec<_>, SystemError>>()?;
                            Json::String(to_nodes(nodes, &by_code))
                        }
                    }
                }
                other => to_json(other),
            };
            write.layout.place(name).put(document, json);
        }
        Ok(())
    }

    /// The document that an order to create or update sends, with the call's fixed members.
    pub(super) fn document(
        &self,
        write: &WriteType,
        call: &Call,
        order: &Order,
    ) -> Result<Map<String, Json>, SystemError> {
        let mut document = call.body.clone();
        self.put_fields(write, order.fields().unwrap_or(&Record::default()), &mut document)?;
        if let (Order::Create { language, item, .. }, Some(rows)) = (order, &write.rows) {
            if let Some(code) = self.code(language.as_ref())? {
                document.insert(rows.language.clone(), Json::String(code));
            }
            if let (Some(member), Some(item)) = (&rows.item, item) {
                document.insert(member.clone(), super::write::identifier(item));
            }
        }
        Ok(document)
    }

    /// A document as the body of a call.
    pub(super) fn body(write: &WriteType, call: &Call, document: Map<String, Json>) -> Body {
        call.json(write.document.as_ref().map_or_else(|| document.clone(), |at| at.wrap(document.clone())))
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
        let localised = |name: &str| {
            let known = self.profile.model().get(kind).and_then(|known| known.fields.get(name));
            known.is_some_and(|field| field.localised) && write.documents == Documents::One
        };
        let mut fields = Record::default();
        for (name, json) in &write.layout.members(document) {
            let value = match json {
                Json::Object(by_code) if localised(name) => {
                    let tagged =
                        by_code.iter().map(|(code, inner)| Some((self.languages.tag(code).ok()?, from_json(inner))));
                    tagged.collect::<Option<_>>().map_or_else(|| from_json(json), Value::Localised)
                }
                Json::String(text) if localised(name) => {
                    let nodes = write.nodes.as_ref();
                    nodes.and_then(|nodes| from_nodes(nodes, &self.languages, text)).unwrap_or_else(|| from_json(json))
                }
                other => from_json(other),
            };
            fields.insert(name.clone(), value);
        }
        let withdrawn = write.withdrawn.as_ref().is_some_and(|(at, words)| {
            at.first(document).and_then(scalar_text).is_some_and(|word| words.contains(&word))
        });
        Ok(Existing {
            id,
            item: self.item(write, document),
            revision: self.revision(write, document, etag),
            fields,
            presence: if withdrawn { Presence::Withdrawn } else { Presence::Present },
        })
    }

    fn document_id(&self, write: &WriteType, document: &Json, code: &str) -> Result<Option<EntryId>, SystemError> {
        let text = write.id.first(document).and_then(scalar_text);
        let text = text.map(|id| if write.by_address { format!("{id}/{code}") } else { id });
        text.map(EntryId::new)
            .transpose()
            .map_err(|error| self.error(format!("a document's id cannot be used: {error}")))
    }

    fn item(&self, write: &WriteType, document: &Json) -> Option<EntryId> {
        if write.by_address {
            return write.id.first(document).and_then(scalar_text).and_then(|text| EntryId::new(text).ok());
        }
        let member = write.rows.as_ref()?.item.as_ref()?;
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
            _ => order.id().map_or("", |id| split(write, id).1).to_owned(),
        };
        // Where the identifier is ours to choose, the answer need not repeat it.
        let chosen = match order {
            // A language that was added belongs to the document that it was added to.
            Order::Create { item: Some(item), .. } if write.by_address => EntryId::new(format!("{item}/{code}")).ok(),
            Order::Create { key: Some(key), .. } if write.create.has("key") => EntryId::new(key.clone()).ok(),
            _ => None,
        };
        let expected = order.id().cloned().or(chosen);
        let etag = answer.header("etag");
        let nothing = |id| {
            let revision = self.revision(write, &Json::Null, etag);
            Written { id, item: None, revision, fields: None, status: answer.status }
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
        if let Some(expected) = expected.filter(|expected| *expected != id) {
            // A new document that the system calls otherwise than we do is ours where it shows what we sent.
            let sent = order.fields().into_iter().flatten();
            let shows =
                |(name, value): (&String, &Value)| existing.fields.get(name).is_some_and(|shown| alike(value, shown));
            if order.id().is_some() || !sent.filter(|(_, value)| !value.is_null()).any(shows) {
                return Err(doubt(format!("it is about `{id}`, and `{expected}` was asked for")));
            }
        }
        // An object with no more than the id says nothing of what is stored.
        let shows_fields =
            order.fields().is_some_and(|sent| sent.keys().any(|name| existing.fields.contains_key(name)));
        let Existing { item, revision, fields, .. } = existing;
        Ok(Written { id: Some(id), item, revision, fields: shows_fields.then_some(fields), status: answer.status })
    }
}

/// An error whose request may have been carried out.
pub(super) fn is_accepted(answer: &Answer) -> bool {
    answer.status == 202
}

/// What is said where an answer only promises.
pub(super) fn only_promised() -> ErrorKind {
    ErrorKind::Content("it answered 202: it will be done, and there is no telling when".to_owned())
}
