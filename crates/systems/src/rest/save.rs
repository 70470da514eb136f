//! Saving a document and putting it on view.

use diaporos_core::change::fingerprint_texts;
use diaporos_core::plan::{Order, Presence, Written};
use diaporos_core::value::{EntryId, Revision, TypeName};
use serde_json::{Map, Value as Json};
use tokio::time::Instant;

use super::document::{is_accepted, only_promised};
use super::lock::Held;
use super::write::{RestWriter, Saving, filled};
use crate::http::{Answer, HeaderText, LookUpRequest, Method, Request};
use crate::profile::{Call, Filled, WriteType};
use crate::query::scalar_text;
use crate::{ErrorKind, SystemError};

/// The first pause before it is looked whether what was promised is done; each further one is twice as
/// long.
const FIRST_PAUSE: std::time::Duration = std::time::Duration::from_millis(50);

impl RestWriter {
    /// Carries out an order, with the document locked where the system has locks.
    pub(super) async fn write_locked(&self, kind: &TypeName, saving: Saving<'_>) -> Result<Written, SystemError> {
        let write = self.write_type(kind)?;
        let Some((calls, id)) = write.lock.as_ref().zip(saving.order.id()) else {
            return self.save(kind, write, saving, None).await;
        };
        let whole = EntryId::new(write.languages.split(id).0).map_err(|error| self.error(error.to_string()))?;
        let held = self.lock(calls, &whole).await?;
        let written = tokio::select! {
            written = self.save(kind, write, saving, Some(&held)) => written,
            () = self.keep(&held) => Err(self.error("a lock's renewal ended, which it never does")),
        };
        let is_deleted = matches!(saving.order, Order::Delete { .. }) && written.is_ok();
        if !is_deleted && let Err(error) = self.release(&held).await {
            // What was written stands; the lock is known as ours when the document is next written.
            tracing::warn!(%error, "a lock could not be given back");
        }
        written
    }

    /// Saves a document, and puts it on view where that is asked for.
    async fn save(
        &self,
        kind: &TypeName,
        write: &WriteType,
        Saving { order, attempt, shows }: Saving<'_>,
        held: Option<&Held<'_>>,
    ) -> Result<Written, SystemError> {
        let mut request = crate::Write::request(self, kind, order)?;
        if request.within_whole {
            self.complete(write, order, &mut request).await?;
        }
        if held.is_none()
            && let Some(written) = self.save_in_batch(kind, write, (order, shows), &request).await
        {
            return written;
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
        let answer = self.send(&request).await?;
        let call = call_of(write, order).ok_or_else(|| self.error("the profile has no call for this"))?;
        let answer = call.shown(answer).map_err(|kind| self.client.error(&request, kind))?;
        let written = self.written(kind, write, order, &answer).map_err(|error| about(&request, error))?;
        if !shows || order.fields().is_none() {
            return Ok(written);
        }
        self.publish(kind, write, written, held).await
    }

    /// Sends a document together with others, where the system takes several in one call.
    async fn save_in_batch(
        &self,
        kind: &TypeName,
        write: &WriteType,
        (order, shows): (&Order, bool),
        request: &Request,
    ) -> Option<Result<Written, SystemError>> {
        let (batch, gatherer, document) = match order {
            Order::Show { .. } => (write.publish_batch.as_ref()?, self.shows.get(kind)?, Ok(Map::new())),
            _ => {
                let fields = Some(order).filter(|order| order.fields().is_some())?;
                let call = if order.id().is_some() { &write.update } else { &write.create };
                (write.batch.as_ref()?, self.batches.get(kind)?, self.document(write, call, fields))
            }
        };
        let item = match document {
            Ok(document) => self.batch_item(write, batch, (order, shows), document)?,
            Err(error) => return Some(Err(error)),
        };
        let row = gatherer.send(item, |items| self.send_batch(batch, items)).await;
        let lost = || Err(ErrorKind::Broken("the call it was in was given up".to_owned()));
        Some(row.unwrap_or_else(lost).map_err(|kind| self.client.error(request, kind)).and_then(
            |(status, document)| {
                // A row's own status says that it was done, also where it shows no document.
                let status = if document.is_null() && order.id().is_some() { 204 } else { status };
                let answer = Answer::new(status, Vec::new(), document.to_string().into_bytes());
                let unwrapped = WriteType { document: None, ..write.clone() };
                self.written(kind, &unwrapped, order, &answer).map_err(|error| about(request, error))
            },
        ))
    }

    /// Puts a document on view that was written, where that is a call of its own.
    async fn publish(
        &self,
        kind: &TypeName,
        write: &WriteType,
        written: Written,
        held: Option<&Held<'_>>,
    ) -> Result<Written, SystemError> {
        let Some((publish, id)) = write.publish.as_ref().zip(written.id.as_ref()) else {
            return Ok(written);
        };
        let mut request = self.on_document(write, publish, id, written.revision.as_ref())?;
        if let Some(held) = held {
            request = held.bearing(request);
        }
        let shown = |answer| publish.shown(answer).map_err(|kind| self.client.error(&request, kind));
        let published = match self.send(&request).await.and_then(shown) {
            // What is on view is the document that was just written, whatever it is called.
            Ok(answer) => {
                let now = Order::Withdraw { id: id.clone(), revision: None };
                self.written(kind, write, &now, &answer).map_err(|error| about(&request, error))
            }
            Err(error) => Err(error),
        };
        match published {
            Ok(published) => {
                let revision = published.revision.or(if write.if_match.is_none() { written.revision } else { None });
                Ok(Written { revision, item: published.item.or(written.item), ..written })
            }
            // What was saved is there: it is put on view next, and whatever speaks against that is told then.
            Err(error) => {
                tracing::debug!(%error, "what was saved could not be put on view");
                Ok(Written { presence: Presence::Unseen, ..written })
            }
        }
    }

    /// Sends a write. Where the answer only promises that it will be done, and says where to look, that
    /// place is asked until it is done, for as long as the system takes to settle.
    async fn send(&self, request: &Request) -> Result<Answer, SystemError> {
        let looked_up;
        let request = match &request.look_up {
            None => request,
            Some(look_up) => {
                looked_up = look_up.fill(request.clone(), &self.looked_up(look_up).await?);
                &looked_up
            }
        };
        let answer = self.client.write(request).await?;
        if !is_accepted(&answer) {
            return Ok(answer);
        }
        let place = answer.header("location").and_then(|place| request.url.join(place).ok());
        let Some(place) = place.filter(|place| place.origin() == request.url.origin()) else {
            return Err(self.client.error(request, only_promised()));
        };
        let (looking, until) =
            (self.client.request(Method::Get, place), Instant::now() + self.client.limits().settles_within);
        let mut pause = FIRST_PAUSE;
        loop {
            tokio::time::sleep(pause).await;
            match self.client.read(&looking).await {
                Ok(answer) if is_accepted(&answer) && Instant::now() < until => pause *= 2,
                Ok(answer) if is_accepted(&answer) => return Err(self.client.error(request, only_promised())),
                Ok(answer) => return Ok(answer),
                Err(error) => {
                    tracing::debug!(%error, "what was promised could not be looked at");
                    return Err(self.client.error(request, only_promised()));
                }
            }
        }
    }

    /// What is looked up before a write. Where there is nothing, the write is not sent.
    async fn looked_up(&self, look_up: &LookUpRequest) -> Result<String, SystemError> {
        let refused = |kind: ErrorKind| self.client.error(&look_up.request, ErrorKind::Refused(kind.to_string()));
        let answer = match self.client.read(&look_up.request).await {
            // It says nothing of the document that is to be written.
            Err(SystemError { kind: kind @ (ErrorKind::NotFound | ErrorKind::GoneForGood), .. }) => {
                return Err(refused(kind));
            }
            answer => answer?,
        };
        let json = answer.json().map_err(refused)?;
        look_up.at.first(&json).and_then(scalar_text).ok_or_else(|| {
            let message = format!("what is looked up before it shows nothing at `{}`", look_up.at());
            self.client.error(&look_up.request, ErrorKind::Refused(message))
        })
    }

    /// Puts a request's fields into the document as it is there now: the whole of it where the request
    /// replaces, else the members that hold others beside ours. Where that is not the version the order
    /// is based on, nothing is sent.
    async fn complete(&self, write: &WriteType, order: &Order, request: &mut Request) -> Result<(), SystemError> {
        let Order::Update { id, revision, fields, .. } = order else { return Ok(()) };
        let Some((reading, answer)) = self.read_document(write, id).await? else {
            return Err(self.client.error(request, ErrorKind::NotFound));
        };
        let json = answer.json().map_err(|kind| self.client.error(&reading, kind))?;
        let document = Self::in_answer(write, &json);
        let now = self.revision(write, document, answer.header("etag"));
        if revision.is_some() && now.is_some() && now != *revision {
            return Err(self.client.error(request, ErrorKind::Differs { status: 412, message: String::new() }));
        }
        // What is sent back is based on what was just read, so nothing newer may be replaced.
        if let (Some(template), Some(now), None) = (&write.if_match, &now, revision)
            && !now.as_str().starts_with("W/")
        {
            let value = template.replace("{revision}", now.as_str());
            request.headers.push(("if-match".to_owned(), HeaderText::Plain(value)));
        }
        let Json::Object(whole) = document else {
            return Err(self.client.error(&reading, ErrorKind::Content("the document is not an object".to_owned())));
        };
        let mut members: Map<String, Json> = if write.update.method == Method::Put {
            whole.clone()
        } else {
            let placed = write.update.body.keys().filter(|_| !write.update.placed().is_empty()).cloned();
            let ours = fields.keys().filter_map(|name| write.layout.place(name).first().map(str::to_owned));
            let ours = ours.chain(placed);
            ours.filter_map(|name| Some((name.clone(), whole.get(&name)?.clone()))).collect()
        };
        let now = revision.as_ref().map_or("", Revision::as_str);
        let filled = Filled { revision: now, ..filled(write, id) };
        self.put_fields(write, (&write.update, filled), fields, &mut members)?;
        request.body = Some(self.body(write, &write.update, members)?);
        Ok(())
    }
}

/// The call that carries out an order.
fn call_of<'w>(write: &'w WriteType, order: &Order) -> Option<&'w Call> {
    match order {
        Order::Create { item, .. } => write.add.as_ref().filter(|_| item.is_some()).or(Some(&write.create)),
        Order::Update { .. } => Some(&write.update),
        Order::Show { .. } => write.publish.as_ref(),
        Order::Withdraw { .. } => write.withdraw.as_ref(),
        Order::Delete { .. } => write.delete.as_ref(),
    }
}

/// An error at the request that it came of.
fn about(request: &Request, error: SystemError) -> SystemError {
    SystemError { url: request.shown_url(), ..error }
}
