//! Writing to a REST system.

use async_trait::async_trait;
use diaporos_core::change::fingerprint_texts;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::{Existing, HasThere, Lack, Order, Presence, Written};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, SystemName, TypeName, Value, from_json, to_json};
use serde_json::{Map, Value as Json};
use url::Url;

use std::collections::HashMap;

use super::batch::Row;
use super::languages::{filled, from_nodes, split, to_nodes};
use super::lock::Held;
use crate::asset::{Asset, Fetcher};
use crate::decode::LanguageCodes;
use crate::gather::Gatherer;
use crate::http::{Answer, Body, Client, Credential, HeaderText, Limits, Method, Request, join_url, shown_url};
use crate::profile::{Call, Filled, Profile, ProfileType, RevisionPlace, WriteType, scalar_text};
use crate::{ErrorKind, SystemError, Write};

/// Writes to a REST system by its profile.
#[derive(Debug)]
pub struct RestWriter {
    pub(super) client: Client,
    base: Url,
    profile: Profile,
    pub(super) languages: LanguageCodes,
    /// What waits to be sent in one call with others, by type.
    batches: HashMap<TypeName, Gatherer<Json, Row>>,
}

impl RestWriter {
    /// A writer with the credential for writing.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(
        system: SystemName,
        base: Url,
        profile: Profile,
        languages: LanguageCodes,
        credential: Option<Credential>,
        limits: Limits,
    ) -> Result<Self, SystemError> {
        let size = |known: &ProfileType| Some(known.write.as_ref()?.batch.as_ref()?.size);
        let batches =
            profile.types.iter().filter_map(|(kind, known)| Some((kind.clone(), Gatherer::new(size(known)?))));
        let batches = batches.collect();
        Ok(RestWriter { client: Client::new(system, limits, credential)?, base, profile, languages, batches })
    }

    pub(super) fn error(&self, message: impl Into<String>) -> SystemError {
        SystemError {
            system: self.client.system().clone(),
            url: shown_url(&self.base),
            kind: ErrorKind::Content(message.into()),
        }
    }

    fn write_type(&self, kind: &TypeName) -> Result<&WriteType, SystemError> {
        let known = self.profile.types.get(kind).and_then(|known| known.write.as_ref());
        known.ok_or_else(|| self.error(format!("the profile does not say how to write `{kind}`")))
    }

    pub(super) fn call(&self, call: &Call, filled: Filled<'_>) -> Result<Request, SystemError> {
        let url = join_url(&self.base, &call.path(filled)).map_err(|error| self.error(error.to_string()))?;
        Ok(self.client.request(call.method, url))
    }

    fn code(&self, language: Option<&LanguageTag>) -> Result<Option<String>, SystemError> {
        language.map(|tag| self.languages.code(tag)).transpose().map_err(|error| self.error(error.to_string()))
    }

    /// A call on a document that is there, with the version it is based on.
    fn on_document(
        &self,
        write: &WriteType,
        call: &Call,
        id: &EntryId,
        revision: Option<&Revision>,
    ) -> Result<Request, SystemError> {
        let mut request = self.call(call, filled(write, id))?;
        if let (Some(template), Some(revision)) = (&write.if_match, revision) {
            request = request.header("if-match", template.replace("{revision}", revision.as_str()));
        }
        if !call.body.is_empty() {
            request.body = Some(call.json(call.body.clone()));
        }
        Ok(request)
    }

    /// Fields as the system takes them: a localised one as a map by its own codes.
    fn body(&self, write: &WriteType, call: &Call, fields: &Record) -> Result<Map<String, Json>, SystemError> {
        let mut body = call.body.clone();
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
            body.insert(name.clone(), json);
        }
        Ok(body)
    }

    /// A document as the hub sees it: localised fields told by the type, the rest as they are.
    fn existing(
        &self,
        kind: &TypeName,
        write: &WriteType,
        (document, code): (&Json, &str),
        etag: Option<&str>,
    ) -> Result<Existing, SystemError> {
        let id = self.document_id(write, document, code)?;
        let id = id.ok_or_else(|| self.error(format!("a `{kind}` has no id at `{}`", write.id.as_str())))?;
        let Json::Object(members) = document else { return Err(self.error(format!("a `{kind}` is not an object"))) };
        let localised = |name: &str| {
            self.fields(kind).and_then(|known| known.fields.get(name)).is_some_and(|field| field.localised)
                && write.documents == Documents::One
        };
        let mut fields = Record::default();
        for (name, json) in members {
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

    fn revision(&self, write: &WriteType, document: &Json, etag: Option<&str>) -> Option<Revision> {
        let text = match write.revision.as_ref()? {
            RevisionPlace::Etag => etag.map(str::to_owned),
            RevisionPlace::Body(query) => query.first(document).and_then(scalar_text),
        };
        text.and_then(|text| Revision::new(text).ok())
    }

    /// Puts a replacing request's members into the document as it is there now. Where that is not
    /// the version the order is based on, nothing is sent.
    async fn complete(&self, write: &WriteType, order: &Order, request: &mut Request) -> Result<(), SystemError> {
        let Order::Update { id, revision, .. } = order else { return Ok(()) };
        let reading = self.call(&write.read, filled(write, id))?;
        let answer = self.client.read(&reading).await?;
        let document = answer.json().map_err(|kind| self.client.error(&reading, kind))?;
        let now = self.revision(write, &document, answer.header("etag"));
        if revision.is_some() && now.is_some() && now != *revision {
            return Err(self.client.error(request, ErrorKind::Differs { status: 412, message: String::new() }));
        }
        // What is sent back whole is based on what was just read, so nothing newer may be replaced.
        if let (Some(template), Some(now), None) = (&write.if_match, &now, revision) {
            let value = template.replace("{revision}", now.as_str());
            request.headers.push(("if-match".to_owned(), HeaderText::Plain(value)));
        }
        let Json::Object(mut whole) = document else {
            return Err(self.client.error(&reading, ErrorKind::Content("the document is not an object".to_owned())));
        };
        if let Some(Body::Json(Json::Object(members), _)) = request.body.take() {
            whole.extend(members);
        }
        request.body = Some(write.update.json(whole));
        Ok(())
    }

    fn written(&self, kind: &TypeName, order: &Order, answer: &Answer) -> Result<Written, SystemError> {
        let write = self.write_type(kind)?;
        let known = order.id().cloned();
        let etag = answer.header("etag");
        // 204, or a body that is no document: what we asked for is done all the same.
        let document = answer.json().unwrap_or(Json::Null);
        // Where the identifier is ours to choose, the answer need not repeat it.
        let chosen = match order {
            Order::Create { key: Some(key), .. } if write.create.has("key") => EntryId::new(key.clone()).ok(),
            _ => None,
        };
        let code = match order {
            Order::Create { language, .. } => self.code(language.as_ref())?.unwrap_or_default(),
            _ => order.id().map_or("", |id| split(write, id).1).to_owned(),
        };
        // A language that was added belongs to the document that it was added to.
        let added = match order {
            Order::Create { item: Some(item), .. } if write.by_address => EntryId::new(format!("{item}/{code}")).ok(),
            _ => None,
        };
        let id = self.document_id(write, &document, &code)?.or(known).or(chosen).or(added);
        let revision = self.revision(write, &document, etag);
        let fields = self.existing(kind, write, (&document, &code), etag).ok().map(|shown| shown.fields);
        Ok(Written { id, item: self.item(write, &document), revision, fields, status: answer.status })
    }
}

#[async_trait]
impl Write for RestWriter {
    fn documents(&self, kind: &TypeName) -> Option<&Documents> {
        self.write_type(kind).ok().map(|write| &write.documents)
    }

    fn fields(&self, kind: &TypeName) -> Option<&EntryType> {
        self.profile.model().get(kind)
    }

    fn at_once(&self, kind: &TypeName) -> usize {
        let batch = self.write_type(kind).ok().and_then(|write| write.batch.as_ref());
        batch.map_or(self.client.limits().concurrency, |batch| batch.size.max(self.client.limits().concurrency))
    }

    fn failures_borne(&self) -> u32 {
        self.client.limits().failures
    }

    async fn find(
        &self,
        kind: &TypeName,
        key: &str,
        language: Option<&LanguageTag>,
    ) -> Result<Vec<Existing>, SystemError> {
        let write = self.write_type(kind)?;
        let Some(call) = &write.find else { return Ok(Vec::new()) };
        let code = self.code(language)?.unwrap_or_default();
        let request = self.call(call, Filled { key, language: &code, ..Filled::default() })?;
        let answer = match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(Vec::new()),
            answer => answer?,
        };
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        write.found.all(&json).into_iter().map(|document| self.existing(kind, write, (document, &code), None)).collect()
    }

    async fn read(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError> {
        let write = self.write_type(kind)?;
        let request = self.call(&write.read, filled(write, id))?;
        let answer = match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(None),
            answer => answer?,
        };
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        self.existing(kind, write, (&json, split(write, id).1), answer.header("etag")).map(Some)
    }

    fn request(&self, kind: &TypeName, order: &Order) -> Result<Request, SystemError> {
        let write = self.write_type(kind)?;
        match order {
            Order::Create { fields, language, item, key } => {
                let code = self.code(language.as_ref())?.unwrap_or_default();
                let id = item.as_ref().map_or("", EntryId::as_str);
                let filled =
                    Filled { key: key.as_deref().unwrap_or_default(), language: &code, id, ..Filled::default() };
                let call = write.add.as_ref().filter(|_| item.is_some()).unwrap_or(&write.create);
                let mut request = self.call(call, filled)?;
                if write.create.method == Method::Put {
                    // Nothing that is there already is replaced (RFC 9110 §13.1.2).
                    request = request.header("if-none-match", "*");
                }
                let mut body = self.body(write, call, fields)?;
                if let Some(rows) = &write.rows {
                    if let Some(code) = self.code(language.as_ref())? {
                        body.insert(rows.language.clone(), Json::String(code));
                    }
                    if let (Some(member), Some(item)) = (&rows.item, item) {
                        body.insert(member.clone(), identifier(item));
                    }
                }
                request.body = Some(call.json(body));
                Ok(request)
            }
            Order::Update { id, revision, fields, .. } => {
                let mut request = self.on_document(write, &write.update, id, revision.as_ref())?;
                request.body = Some(write.update.json(self.body(write, &write.update, fields)?));
                // PUT replaces (RFC 9110 §9.3.4): what is not sent would be lost.
                request.within_whole = write.update.method == Method::Put;
                Ok(request)
            }
            Order::Withdraw { id, revision } => {
                let call = write
                    .withdraw
                    .as_ref()
                    .ok_or_else(|| self.error(format!("the profile has no `withdraw` for `{kind}`")))?;
                self.on_document(write, call, id, revision.as_ref())
            }
            Order::Delete { id, revision } => {
                let call = write
                    .delete
                    .as_ref()
                    .ok_or_else(|| self.error(format!("the profile has no `delete` for `{kind}`")))?;
                self.on_document(write, call, id, revision.as_ref())
            }
        }
    }

    async fn write(&self, kind: &TypeName, order: &Order, attempt: &str) -> Result<Written, SystemError> {
        let write = self.write_type(kind)?;
        let Some((calls, id)) = write.lock.as_ref().zip(order.id()) else {
            return self.save(kind, write, order, attempt, None).await;
        };
        let whole = EntryId::new(split(write, id).0).map_err(|error| self.error(error.to_string()))?;
        let held = self.lock(calls, &whole).await?;
        let written = tokio::select! {
            written = self.save(kind, write, order, attempt, Some(&held)) => written,
            () = self.keep(&held) => Err(self.error("a lock's renewal ended, which it never does")),
        };
        let is_deleted = matches!(order, Order::Delete { .. }) && written.is_ok();
        if !is_deleted && let Err(error) = self.release(&held).await {
            // What was written stands; the lock is known as ours when the document is next written.
            tracing::warn!(%error, "a lock could not be given back");
        }
        written
    }

    fn asset_fetcher(&self, kind: &TypeName) -> Option<Result<Fetcher, SystemError>> {
        let calls = self.write_type(kind).ok()?.assets.as_ref()?;
        Some(Fetcher::new(self.client.system().clone(), *self.client.limits(), calls.limits.clone()))
    }

    async fn deliver_asset(&self, kind: &TypeName, asset: &Asset) -> Result<EntryId, SystemError> {
        match &self.write_type(kind)?.assets {
            Some(calls) => self.deliver_asset_by(calls, asset).await,
            None => Err(self.error(format!("the profile does not say how to deliver files for `{kind}`"))),
        }
    }

    async fn has(&self, kind: &TypeName) -> Result<Option<HasThere>, SystemError> {
        match &self.profile.model_calls {
            Some(calls) => self.ask_model(calls, kind).await.map(Some),
            None => Ok(None),
        }
    }

    fn making_of(&self, kind: &TypeName, lack: &Lack) -> Result<Option<Request>, SystemError> {
        let Some(calls) = &self.profile.model_calls else { return Ok(None) };
        let field = match lack {
            Lack::Field(name) => self.fields(kind).and_then(|known| known.fields.get(name)),
            Lack::Language(_) | Lack::Type(_) => None,
        };
        self.making(calls, kind, lack, field)
    }

    async fn make(&self, kind: &TypeName, lack: &Lack) -> Result<(), SystemError> {
        let Some(request) = self.making_of(kind, lack)? else {
            return Err(self.error(format!("the profile does not say how to make {lack}")));
        };
        self.client.write(&request).await.map(drop)
    }

    async fn let_go(&self, kind: &TypeName, id: &EntryId) -> Result<(), SystemError> {
        match &self.write_type(kind)?.lock {
            Some(calls) => self.release_ours(calls, id).await,
            None => Ok(()),
        }
    }
}

impl RestWriter {
    /// Saves a document and puts it on view.
    async fn save(
        &self,
        kind: &TypeName,
        write: &WriteType,
        order: &Order,
        attempt: &str,
        held: Option<&Held<'_>>,
    ) -> Result<Written, SystemError> {
        let mut request = self.request(kind, order)?;
        if request.within_whole {
            self.complete(write, order, &mut request).await?;
        }
        if let (Some(batch), Some(gatherer), None) = (&write.batch, self.batches.get(kind), held)
            && let Some(Body::Json(Json::Object(body), _)) = &request.body
            && let Some(item) = self.batch_item(write, batch, order, body)
        {
            let row = gatherer.send(item, |items| self.send_batch(batch, items)).await;
            let lost = || Err(ErrorKind::Broken("the call it was in was given up".to_owned()));
            let (status, document) = row.unwrap_or_else(lost).map_err(|kind| self.client.error(&request, kind))?;
            let answer = Answer { status, headers: Vec::new(), body: document.to_string().into_bytes(), moved: None };
            return self.written(kind, order, &answer);
        }
        if let Some(held) = held {
            request = held.bearing(request);
        }
        if let Some(header) = &write.idempotency_key {
            // The same request of the same intent has the same key, and any other another.
            let body = request.body.as_ref().map_or_else(String::new, |body| format!("{body:?}"));
            let key = fingerprint_texts([attempt, request.method.word(), request.url.as_str(), &body]);
            request = request.header(header, key.to_string());
        }
        let answer = self.client.write(&request).await?;
        let written = self.written(kind, order, &answer)?;
        if matches!(order, Order::Create { .. }) && written.id.is_none() {
            let message = format!("the document was written, and the answer has no id at `{}`", write.id.as_str());
            return Err(self.client.error(&request, ErrorKind::Content(message)));
        }
        let Some((publish, id)) = write.publish.as_ref().zip(written.id.as_ref()).filter(|_| !order.removes()) else {
            return Ok(written);
        };
        let mut request = self.on_document(write, publish, id, written.revision.as_ref())?;
        if let Some(held) = held {
            request = held.bearing(request);
        }
        match self.client.write(&request).await {
            Ok(answer) => {
                let published = self.written(kind, order, &answer)?;
                let revision = published.revision.or(if write.if_match.is_none() { written.revision } else { None });
                let fields = published.fields.or(written.fields);
                Ok(Written { id: written.id, item: published.item.or(written.item), revision, fields, ..published })
            }
            // What was created is there, and must not be forgotten because it is not on view.
            Err(error) if order.id().is_none() => {
                let message = format!("it was saved, and could not be put on view: {}", error.kind);
                Err(SystemError { kind: ErrorKind::Content(message), ..error })
            }
            Err(error) => Err(error),
        }
    }
}

/// An identifier as it was given: a number goes back as a number.
pub(super) fn identifier(id: &EntryId) -> Json {
    id.as_str().parse::<i64>().map_or_else(|_| Json::String(id.to_string()), |number| Json::Number(number.into()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{ProfileKind, Secret, SecretReference, read_profile};
    use diaporos_core::diagnostic::Source;
    use diaporos_core::value::from_stored;
    use serde_json::json;

    const CALLS: &str = r#"find = "GET /pages?slug={key}&lang={language}"
found = "$.pages[*]"
read = "GET /pages/{id}"
create = { call = "POST /pages", body = { status = "live" } }
update = "PUT /pages/{id}"
withdraw = { call = "POST /pages/{id}/hide", body = { why = "gone" } }
delete = "DELETE /pages/{id}"
id = "$.id"
revision = "$.version"
if_match = '"{revision}"'
withdrawn = { at = "$.status", words = ["hidden"] }
"#;

    fn writer(languages: &str) -> RestWriter {
        writer_by(CALLS, languages)
    }

    fn writer_by(calls: &str, languages: &str) -> RestWriter {
        let text = format!(
            "[types.page.fields]\nheading = {{ kind = \"text\", localised = true }}\n[types.page.write]\n{calls}{languages}\n"
        );
        let (profile, report) = read_profile(Source { name: "p".into(), text }, ProfileKind::Rest);
        assert_eq!(report.findings, []);
        let codes = [("eng", "en"), ("fra", "fr")].map(|(code, tag)| (code.to_owned(), tag.parse().unwrap()));
        let secret = Secret::new(SecretReference::Variable("T".into()), "hush".into());
        let system = SystemName::new("site").unwrap();
        let base = "http://site.example/api/".parse().unwrap();
        let languages = LanguageCodes::new(codes.into());
        RestWriter::new(system, base, profile.unwrap(), languages, Some(Credential::Bearer(secret)), Limits::default())
            .unwrap()
    }

    fn kind() -> TypeName {
        TypeName::new("page").unwrap()
    }

    fn drawn(writer: &RestWriter, order: &Order) -> String {
        match writer.request(&kind(), order) {
            Err(error) => error.to_string(),
            Ok(request) => {
                let headers: Vec<&str> = request.headers.iter().map(|(name, _)| name.as_str()).collect();
                let body = match &request.body {
                    Some(Body::Json(json, _)) => json.to_string(),
                    _ => String::new(),
                };
                format!("{} {} {} {body}", request.method.word(), request.url, headers.join(" "))
            }
        }
    }

    fn fields(json: Json) -> Record {
        let Ok(Value::Record(record)) = from_stored(json) else { panic!() };
        record
    }

    #[test]
    fn orders_as_requests_in_each_shape_of_languages() {
        let id = EntryId::new("a b/7").unwrap();
        let revision = Revision::new("3").ok();
        let plain = fields(json!({ "heading": "Fern" }));
        let localised = fields(json!({ "heading": { "@languages": { "en": "Fern", "fr": "Fougère" } } }));
        let welsh = fields(json!({ "heading": { "@languages": { "cy": "Rhedyn" } } }));
        let create = |fields: &Record, language: Option<&str>, item: Option<&str>| Order::Create {
            key: None,
            fields: fields.clone(),
            language: language.map(|tag| tag.parse().unwrap()),
            item: item.map(|item| EntryId::new(item).unwrap()),
        };
        let (map, row) = (writer(""), writer("languages = { shape = \"row\", language = \"lang\", item = \"item\" }"));
        let drawn = [
            drawn(&map, &create(&localised, None, None)),
            drawn(&map, &create(&welsh, None, None)),
            drawn(&row, &create(&plain, Some("fr"), None)),
            drawn(&row, &create(&plain, Some("fr"), Some("12"))),
            drawn(&row, &create(&plain, Some("cy"), None)),
            drawn(
                &row,
                &Order::Update { id: id.clone(), revision: revision.clone(), fields: plain.clone(), language: None },
            ),
            drawn(&row, &Order::Update { id: id.clone(), revision: None, fields: plain, language: None }),
            drawn(&row, &Order::Withdraw { id: id.clone(), revision: revision.clone() }),
            drawn(&row, &Order::Delete { id, revision }),
        ];
        insta::assert_snapshot!(drawn.join("\n"));
    }

    #[test]
    fn documents_as_the_hub_sees_them() {
        let map = writer("");
        let write = map.write_type(&kind()).unwrap();
        let document = json!({ "id": 7, "version": 3, "status": "hidden", "heading": { "eng": "Fern", "fra": "Fougère" }, "banner": { "x": 1 } });
        let existing = map.existing(&kind(), write, (&document, ""), None).unwrap();
        assert_eq!((existing.id.as_str(), existing.revision.unwrap().as_str()), ("7", "3"));
        assert_eq!(existing.presence, Presence::Withdrawn);
        let localised = fields(json!({ "h": { "@languages": { "en": "Fern", "fr": "Fougère" } } }));
        assert_eq!(existing.fields["heading"], localised["h"]);
        assert!(
            matches!(existing.fields["banner"], Value::Record(_)),
            "what is not localised by the type is not read so"
        );
        for broken in [json!({}), json!([]), json!({ "id": { "a": 1 } })] {
            assert!(map.existing(&kind(), write, (&broken, ""), None).is_err(), "{broken}");
        }
    }

    #[test]
    fn languages_at_addresses_of_their_own_and_as_elements() {
        let calls = r#"find = "GET /pages?slug={key}&lang={language}"
found = "$[*]"
read = "GET /pages/{id}/{language}"
create = "POST /pages?lang={language}"
add = "PUT /pages/{id}/{language}"
update = "PATCH /pages/{id}/{language}"
id = "$.id"
"#;
        let address = writer_by(calls, "languages = { shape = \"address\" }");
        let french = Some("fr".parse().unwrap());
        let plain = fields(json!({ "heading": "Fougère" }));
        let create = |item: Option<&str>| Order::Create {
            fields: plain.clone(),
            language: french.clone(),
            item: item.map(|item| EntryId::new(item).unwrap()),
            key: None,
        };
        let update = Order::Update {
            id: EntryId::new("7/fra").unwrap(),
            revision: None,
            fields: plain.clone(),
            language: french.clone(),
        };
        for (order, expected) in [
            (create(None), "POST http://site.example/api/pages?lang=fra"),
            (create(Some("7")), "PUT http://site.example/api/pages/7/fra"),
            (update, "PATCH http://site.example/api/pages/7/fra"),
        ] {
            let request = address.request(&kind(), &order).unwrap();
            assert_eq!(format!("{} {}", request.method.word(), request.url), expected);
        }
        let write = address.write_type(&kind()).unwrap();
        let found = address.existing(&kind(), write, (&json!({ "id": 7, "heading": "Fougère" }), "fra"), None).unwrap();
        assert_eq!((found.id.as_str(), found.item.unwrap().as_str()), ("7/fra", "7"));

        let nodes = writer("languages = { shape = \"xml\", element = \"t\", attribute = \"l\" }");
        let localised = fields(json!({ "heading": { "@languages": { "en": "Fern & moss", "fr": "Fougère" } } }));
        let order = Order::Create { fields: localised.clone(), language: None, item: None, key: None };
        let Some(Body::Json(body, _)) = nodes.request(&kind(), &order).unwrap().body else { panic!("a body") };
        assert_eq!(body["heading"], "<t l=\"eng\">Fern &amp; moss</t><t l=\"fra\">Fougère</t>");
        let write = nodes.write_type(&kind()).unwrap();
        let found =
            nodes.existing(&kind(), write, (&json!({ "id": 7, "heading": body["heading"] }), ""), None).unwrap();
        assert_eq!(found.fields["heading"], localised["heading"]);
    }
}
