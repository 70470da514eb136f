//! Writing to a REST system.

use std::collections::HashMap;
use std::time::Duration;

use async_trait::async_trait;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::{Existing, HasThere, Lack, Order, Written};
use diaporos_core::value::{EntryId, LanguageTag, Revision, TypeName};
use serde_json::Value as Json;
use url::Url;

use crate::asset::{Asset, Fetcher};
use crate::gather::Gatherer;
use crate::http::{Answer, Body, Client, LookUpRequest, Method, Request, join_url, shown_url};
use crate::languages::LanguageCodes;
use crate::profile::{BatchCall, Call, FOUND, Filled, Profile, ProfileType, RevisionPlace, WriteType};
use crate::search::searched;
use crate::{ErrorKind, HttpSystem, ListedPage, SystemError, Write};

/// What became of one document of a batch: its status and as it is now, or what was wrong.
pub(super) type BatchResult = Result<(u16, Json), ErrorKind>;

/// An order that is carried out.
#[derive(Clone, Copy)]
pub(super) struct Saving<'a> {
    pub(super) order: &'a Order,
    /// What is the same where the order is sent again.
    pub(super) attempt: &'a str,
    /// Whether what is saved goes on view.
    pub(super) shows: bool,
}

/// Writes to a REST system by its profile.
#[derive(Debug)]
pub struct RestWriter {
    pub(super) client: Client,
    pub(super) base: Url,
    pub(super) profile: Profile,
    pub(super) languages: LanguageCodes,
    /// What waits to be sent in one call with others, by type.
    pub(super) batches: HashMap<TypeName, Gatherer<Json, BatchResult>>,
    /// What waits to be put on view in one call with others, by type.
    pub(super) shows: HashMap<TypeName, Gatherer<Json, BatchResult>>,
}

impl RestWriter {
    /// A writer with the credential for writing.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: HttpSystem) -> Result<Self, SystemError> {
        let client = system.client()?;
        let HttpSystem { url: base, profile, languages, .. } = system;
        let gatherers = |batch: fn(&WriteType) -> Option<&BatchCall>| {
            let of = |known: &ProfileType| Some(Gatherer::new(batch(known.write.as_ref()?)?.size));
            profile.types.iter().filter_map(|(kind, known)| Some((kind.clone(), of(known)?))).collect()
        };
        let (batches, shows) =
            (gatherers(|write| write.batch.as_ref()), gatherers(|write| write.publish_batch.as_ref()));
        Ok(RestWriter { client, base, profile, languages, batches, shows })
    }

    pub(super) fn error(&self, message: impl Into<String>) -> SystemError {
        SystemError {
            system: self.client.system().clone(),
            url: shown_url(&self.base),
            kind: ErrorKind::Content(message.into()),
        }
    }

    pub(super) fn write_type(&self, kind: &TypeName) -> Result<&WriteType, SystemError> {
        let known = self.profile.types.get(kind).and_then(|known| known.write.as_ref());
        known.ok_or_else(|| self.error(format!("the profile does not say how to write `{kind}`")))
    }

    pub(super) fn call(&self, call: &Call, filled: Filled<'_>) -> Result<Request, SystemError> {
        let url = join_url(&self.base, &call.path(filled)).map_err(|error| self.error(error.to_string()))?;
        let mut request = self.client.request(call.method, url);
        if let Some(look_up) = &call.look_up {
            let url = join_url(&self.base, &look_up.path(filled)).map_err(|error| self.error(error.to_string()))?;
            let (first, at) = (self.client.request(Method::Get, url), look_up.at.clone());
            request.look_up = Some(Box::new(LookUpRequest { request: first, at, place: FOUND }));
        }
        request.body = call.operation.as_ref().map(|operation| Body::json(operation.body(filled)));
        Ok(request)
    }

    /// Reads a document; none where it is not there.
    pub(super) async fn read_document(
        &self,
        write: &WriteType,
        id: &EntryId,
    ) -> Result<Option<(Request, Answer)>, SystemError> {
        let request = strongly_tagged(write, self.call(&write.read, filled(write, id))?);
        let answer = self.client.read(&request).await;
        let shown = |answer| write.read.shown(answer).map_err(|kind| self.client.error(&request, kind));
        match answer.and_then(shown) {
            Err(SystemError { kind: ErrorKind::NotFound | ErrorKind::GoneForGood, .. }) => Ok(None),
            // An operation says so by showing null.
            Ok(answer) if write.read.operation.is_some() && answer.body == b"null" => Ok(None),
            answer => answer.map(|answer| Some((request, answer))),
        }
    }

    /// A call on a document that is there, with the version it is based on.
    pub(super) fn on_document(
        &self,
        write: &WriteType,
        call: &Call,
        id: &EntryId,
        revision: Option<&Revision>,
    ) -> Result<Request, SystemError> {
        let revision_text = revision.map_or("", Revision::as_str);
        let filled = Filled { revision: revision_text, ..filled(write, id) };
        let mut request = self.call(call, filled)?;
        if let Some(value) = if_match(write, revision) {
            request = request.header("if-match", value);
        }
        if !call.body.is_empty() {
            self.put_document(&mut request, write, call, call.members(filled))?;
        }
        Ok(strongly_tagged(write, request))
    }
}

#[async_trait]
impl Write for RestWriter {
    fn documents(&self, kind: &TypeName) -> Option<Documents> {
        self.write_type(kind).ok().map(|write| write.languages.documents())
    }

    fn finds_by_language(&self, kind: &TypeName) -> bool {
        self.write_type(kind).is_ok_and(|write| write.find.as_ref().is_some_and(Call::asks_language))
    }

    fn fields(&self, kind: &TypeName) -> Option<&EntryType> {
        self.profile.model().get(kind)
    }

    fn max_in_flight(&self, kind: &TypeName) -> usize {
        let batch = self.write_type(kind).ok().and_then(|write| write.batch.as_ref());
        batch.map_or(self.client.limits().concurrency, |batch| batch.size.max(self.client.limits().concurrency))
    }

    fn max_handed_over(&self, kind: &TypeName) -> usize {
        // Where turns are rare, who is asked to end would wait for all that were handed over.
        let waits_for_others = if self.client.limits().rate.is_none() { 2 } else { 1 };
        self.max_in_flight(kind) * waits_for_others
    }

    fn failure_limit(&self) -> u32 {
        self.client.limits().failures
    }

    fn place(&self) -> String {
        shown_url(&self.base)
    }

    fn failed(&self, kind: ErrorKind) -> SystemError {
        SystemError { system: self.client.system().clone(), url: shown_url(&self.base), kind }
    }

    fn settles_within(&self) -> Duration {
        self.client.limits().settles_within
    }

    fn guards(&self, kind: &TypeName, revision: Option<&Revision>) -> bool {
        let Ok(write) = self.write_type(kind) else { return false };
        // A replacing write compares by itself.
        let compares = write.update.method == Method::Put && revision.is_some();
        let in_batch = write.batch.as_ref().is_some_and(|batch| batch.revision.is_some()) && revision.is_some();
        compares || in_batch || (write.tells_revision() && revision.is_some()) || if_match(write, revision).is_some()
    }

    fn repeats(&self, kind: &TypeName) -> bool {
        self.write_type(kind).is_ok_and(|write| write.idempotency_key.is_some() && write.batch.is_none())
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
        let Some(json) = searched(&self.client, call, &request).await? else { return Ok(Vec::new()) };
        write.found.all(&json).into_iter().map(|document| self.existing(kind, write, (document, &code), None)).collect()
    }

    async fn read(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError> {
        let write = self.write_type(kind)?;
        let Some((request, answer)) = self.read_document(write, id).await? else { return Ok(None) };
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        let document = Self::in_answer(write, &json);
        let existing = self.existing(kind, write, (document, write.languages.split(id).1), answer.header("etag"))?;
        if existing.id != *id {
            let message = format!("the answer is about `{}`, and `{id}` was asked for", existing.id);
            return Err(self.client.error(&request, ErrorKind::Content(message)));
        }
        Ok(Some(existing))
    }

    async fn listed(&self, kind: &TypeName, cursor: Option<&str>) -> Result<Option<ListedPage>, SystemError> {
        self.listed_page(kind, cursor).await
    }

    fn request(&self, kind: &TypeName, order: &Order) -> Result<Request, SystemError> {
        let write = self.write_type(kind)?;
        match order {
            Order::Create { language, item, key, .. } => {
                let code = self.code(language.as_ref())?.unwrap_or_default();
                let id = item.as_ref().map_or("", EntryId::as_str);
                let filled = Filled {
                    key: key.as_deref().unwrap_or_default(),
                    language: &code,
                    id,
                    item: id,
                    ..Filled::default()
                };
                let call = write.add.as_ref().filter(|_| item.is_some()).unwrap_or(&write.create);
                let mut request = self.call(call, filled)?;
                if write.create.method == Method::Put {
                    // Nothing that is there already is replaced (RFC 9110 §13.1.2).
                    request = request.header("if-none-match", "*");
                }
                self.put_document(&mut request, write, call, self.document(write, call, order)?)?;
                let request = strongly_tagged(write, request);
                Ok(request)
            }
            Order::Update { id, revision, .. } => {
                let mut request = self.on_document(write, &write.update, id, revision.as_ref())?;
                let document = self.document(write, &write.update, order)?;
                self.put_document(&mut request, write, &write.update, document)?;
                // PUT replaces (RFC 9110 §9.3.4), and so may anything else that takes a member with others in
                // it: what is not sent would be lost.
                let is_operation = write.update.operation.is_some();
                let has_places = !write.update.placed().is_empty();
                request.within_whole =
                    !is_operation && (write.update.method == Method::Put || write.layout.is_nested() || has_places);
                Ok(request)
            }
            Order::Show { id, revision } => {
                let call = write
                    .publish
                    .as_ref()
                    .ok_or_else(|| self.error(format!("the profile has no `publish` for `{kind}`")))?;
                self.on_document(write, call, id, revision.as_ref())
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
        self.write_locked(kind, Saving { order, attempt, shows: true }).await
    }

    fn shows_apart(&self, kind: &TypeName) -> bool {
        self.write_type(kind).is_ok_and(|write| write.publish.is_some())
    }

    async fn save_unseen(&self, kind: &TypeName, order: &Order, attempt: &str) -> Result<Written, SystemError> {
        self.write_locked(kind, Saving { order, attempt, shows: false }).await
    }

    fn asset_fetcher(&self, kind: &TypeName) -> Option<Result<Fetcher, SystemError>> {
        let calls = self.write_type(kind).ok()?.assets.as_ref()?;
        Some(Fetcher::new(self.client.system().clone(), self.client.limits().clone(), calls.limits.clone()))
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

    fn creation_request(&self, kind: &TypeName, lack: &Lack) -> Result<Option<Request>, SystemError> {
        let Some(calls) = &self.profile.model_calls else { return Ok(None) };
        let field = match lack {
            Lack::Field(name) => self.fields(kind).and_then(|known| known.fields.get(name)),
            Lack::Language(_) | Lack::Type(_) => None,
        };
        self.making(calls, kind, lack, field)
    }

    async fn make(&self, kind: &TypeName, lack: &Lack) -> Result<(), SystemError> {
        let Some(request) = self.creation_request(kind, lack)? else {
            return Err(self.error(format!("the profile does not say how to make {lack}")));
        };
        self.client.write(&request).await.map(drop)
    }

    async fn locked_by(&self, kind: &TypeName, id: &EntryId) -> Result<Option<String>, SystemError> {
        let write = self.write_type(kind)?;
        let Some(calls) = &write.lock else { return Ok(None) };
        let whole = EntryId::new(write.languages.split(id).0).map_err(|error| self.error(error.to_string()))?;
        self.others_lock(calls, &whole).await
    }

    async fn release_stale_lock(&self, kind: &TypeName, id: &EntryId) -> Result<(), SystemError> {
        match &self.write_type(kind)?.lock {
            Some(calls) => self.release_ours(calls, id).await,
            None => Ok(()),
        }
    }
}

/// What goes into `If-Match` for a version; nothing where it would guard nothing: a weak tag never
/// matches there (RFC 9110 §13.1.1).
fn if_match(write: &WriteType, revision: Option<&Revision>) -> Option<String> {
    let value = write.if_match.as_ref()?.replace("{revision}", revision?.as_str());
    (!value.trim_start().starts_with("W/")).then_some(value)
}

/// A request whose answer's tag guards a later write: compressed on its way it would be a weak one.
fn strongly_tagged(write: &WriteType, request: Request) -> Request {
    match write.revision {
        Some(RevisionPlace::Etag) => request.header("accept-encoding", "identity"),
        _ => request,
    }
}

/// An identifier as it was given: a number goes back as a number.
pub(super) fn identifier(id: &EntryId) -> Json {
    id.as_str().parse::<i64>().map_or_else(|_| Json::String(id.to_string()), |number| Json::Number(number.into()))
}

#[cfg(test)]
mod tests;

/// What fills a call on a document.
pub(super) fn filled<'a>(write: &WriteType, id: &'a EntryId) -> Filled<'a> {
    let (id, language) = write.languages.split(id);
    Filled { id, language, ..Filled::default() }
}
