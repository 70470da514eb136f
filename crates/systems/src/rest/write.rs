//! Writing to a REST system.

use async_trait::async_trait;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::{Existing, Order, Presence, Written};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, SystemName, TypeName, Value, from_json, to_json};
use serde_json::{Map, Value as Json};
use url::Url;

use crate::decode::LanguageCodes;
use crate::http::{Answer, Client, Credential, HeaderText, Limits, Method, Request, join_url, shown_url};
use crate::profile::{Call, Filled, Profile, RevisionPlace, WriteType, scalar_text};
use crate::{ErrorKind, SystemError, Write};

/// Writes to a REST system by its profile.
#[derive(Debug)]
pub struct RestWriter {
    client: Client,
    base: Url,
    profile: Profile,
    languages: LanguageCodes,
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
        Ok(RestWriter { client: Client::new(system, limits, credential)?, base, profile, languages })
    }

    fn error(&self, message: impl Into<String>) -> SystemError {
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

    fn call(&self, call: &Call, filled: Filled<'_>) -> Result<Request, SystemError> {
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
        let mut request = self.call(call, Filled { id: id.as_str(), ..Filled::default() })?;
        if let (Some(template), Some(revision)) = (&write.if_match, revision) {
            request = request.header("if-match", template.replace("{revision}", revision.as_str()));
        }
        if !call.body.is_empty() {
            request.body = Some(Json::Object(call.body.clone()));
        }
        Ok(request)
    }

    /// Fields as the system takes them: a localised one as a map by its own codes.
    fn body(&self, call: &Call, fields: &Record) -> Result<Map<String, Json>, SystemError> {
        let mut body = call.body.clone();
        for (name, value) in fields {
            let json = match value {
                Value::Localised(by_language) => {
                    let code = |tag| self.languages.code(tag).map_err(|error| self.error(error.to_string()));
                    let by_code = by_language.iter().map(|(tag, inner)| Ok((code(tag)?, to_json(inner))));
                    Json::Object(by_code.collect::<Result<_, SystemError>>()?)
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
        document: &Json,
        etag: Option<&str>,
    ) -> Result<Existing, SystemError> {
        let id = self.document_id(write, document)?;
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

    fn document_id(&self, write: &WriteType, document: &Json) -> Result<Option<EntryId>, SystemError> {
        let text = write.id.first(document).and_then(scalar_text);
        text.map(EntryId::new)
            .transpose()
            .map_err(|error| self.error(format!("a document's id cannot be used: {error}")))
    }

    fn item(&self, write: &WriteType, document: &Json) -> Option<EntryId> {
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
        let reading = self.call(&write.read, Filled { id: id.as_str(), ..Filled::default() })?;
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
        if let Some(Json::Object(members)) = request.body.take() {
            whole.extend(members);
        }
        request.body = Some(Json::Object(whole));
        Ok(())
    }

    fn written(&self, kind: &TypeName, order: &Order, answer: &Answer) -> Result<Written, SystemError> {
        let write = self.write_type(kind)?;
        let known = order.id().cloned();
        let etag = answer.header("etag");
        // 204, or a body that is no document: what we asked for is done all the same.
        let document = answer.json().unwrap_or(Json::Null);
        let id = self.document_id(write, &document)?.or(known);
        let revision = self.revision(write, &document, etag);
        let fields = self.existing(kind, write, &document, etag).ok().map(|shown| shown.fields);
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

    fn at_once(&self, _: &TypeName) -> usize {
        self.client.limits().concurrency
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
        let request = self.call(call, Filled { key, language: &code, id: "" })?;
        let answer = match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(Vec::new()),
            answer => answer?,
        };
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        write.found.all(&json).into_iter().map(|document| self.existing(kind, write, document, None)).collect()
    }

    async fn read(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError> {
        let write = self.write_type(kind)?;
        let request = self.call(&write.read, Filled { id: id.as_str(), ..Filled::default() })?;
        let answer = match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(None),
            answer => answer?,
        };
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        self.existing(kind, write, &json, answer.header("etag")).map(Some)
    }

    fn request(&self, kind: &TypeName, order: &Order) -> Result<Request, SystemError> {
        let write = self.write_type(kind)?;
        match order {
            Order::Create { fields, language, item } => {
                let mut request = self.call(&write.create, Filled::default())?;
                let mut body = self.body(&write.create, fields)?;
                if let Some(rows) = &write.rows {
                    if let Some(code) = self.code(language.as_ref())? {
                        body.insert(rows.language.clone(), Json::String(code));
                    }
                    if let (Some(member), Some(item)) = (&rows.item, item) {
                        body.insert(member.clone(), identifier(item));
                    }
                }
                request.body = Some(Json::Object(body));
                Ok(request)
            }
            Order::Update { id, revision, fields } => {
                let mut request = self.on_document(write, &write.update, id, revision.as_ref())?;
                request.body = Some(Json::Object(self.body(&write.update, fields)?));
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

    async fn write(&self, kind: &TypeName, order: &Order) -> Result<Written, SystemError> {
        let write = self.write_type(kind)?;
        let mut request = self.request(kind, order)?;
        if request.within_whole {
            self.complete(write, order, &mut request).await?;
        }
        let answer = self.client.write(&request).await?;
        let written = self.written(kind, order, &answer)?;
        if matches!(order, Order::Create { .. }) && written.id.is_none() {
            let message = format!("the document was written, and the answer has no id at `{}`", write.id.as_str());
            return Err(self.client.error(&request, ErrorKind::Content(message)));
        }
        Ok(written)
    }
}

/// An identifier as it was given: a number goes back as a number.
fn identifier(id: &EntryId) -> Json {
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
        let text = format!(
            "[types.page.fields]\nheading = {{ kind = \"text\", localised = true }}\n[types.page.write]\n{CALLS}{languages}\n"
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
                let body = request.body.as_ref().map_or(String::new(), ToString::to_string);
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
            drawn(&row, &Order::Update { id: id.clone(), revision: revision.clone(), fields: plain.clone() }),
            drawn(&row, &Order::Update { id: id.clone(), revision: None, fields: plain }),
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
        let existing = map.existing(&kind(), write, &document, None).unwrap();
        assert_eq!((existing.id.as_str(), existing.revision.unwrap().as_str()), ("7", "3"));
        assert_eq!(existing.presence, Presence::Withdrawn);
        let localised = fields(json!({ "h": { "@languages": { "en": "Fern", "fr": "Fougère" } } }));
        assert_eq!(existing.fields["heading"], localised["h"]);
        assert!(
            matches!(existing.fields["banner"], Value::Record(_)),
            "what is not localised by the type is not read so"
        );
        for broken in [json!({}), json!([]), json!({ "id": { "a": 1 } })] {
            assert!(map.existing(&kind(), write, &broken, None).is_err(), "{broken}");
        }
    }
}
