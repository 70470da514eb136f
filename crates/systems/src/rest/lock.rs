//! A document's lock: taken before it is written, kept while that lasts, and always given back.

use diaporos_core::value::EntryId;
use serde_json::Value as Json;

use super::write::RestWriter;
use crate::http::{Body, Request};
use crate::profile::{Call, Filled, LockCalls, LockShown};
use crate::query::scalar_text;
use crate::{ErrorKind, SystemError};

/// A lock that was taken.
pub(super) struct Held<'a> {
    calls: &'a LockCalls,
    id: &'a EntryId,
    token: Option<String>,
}

/// Who has a lock.
struct Holder {
    name: Option<String>,
    since: Option<String>,
    token: Option<String>,
}

impl RestWriter {
    /// Takes the lock. Our own that a crash left behind is given back first; somebody else's is an
    /// error that names them.
    pub(super) async fn lock<'a>(&self, calls: &'a LockCalls, id: &'a EntryId) -> Result<Held<'a>, SystemError> {
        match self.take(calls, id).await {
            Err(error) if is_taken(&error.kind) => {
                let holder = self.holder(calls, id).await?;
                if !calls.is_us(holder.as_ref()) {
                    return Err(locked(error, holder));
                }
                self.release(&Held { calls, id, token: holder.and_then(|holder| holder.token) }).await?;
                self.take(calls, id).await
            }
            taken => taken,
        }
    }

    async fn take<'a>(&self, calls: &'a LockCalls, id: &'a EntryId) -> Result<Held<'a>, SystemError> {
        let request = self.lock_call(&calls.take, id)?;
        let answer = self.client.write(&request).await?;
        let told = answer.json();
        calls.take.shown(answer).map_err(|kind| self.client.error(&request, kind))?;
        let token = calls.token.as_ref().and_then(|(at, _)| at.first(told.as_ref().ok()?).and_then(scalar_text));
        Ok(Held { calls, id, token })
    }

    /// Gives a lock back.
    pub(super) async fn release(&self, held: &Held<'_>) -> Result<(), SystemError> {
        let request = held.bearing(self.lock_call(&held.calls.release, held.id)?);
        let released = self.client.write(&request).await;
        let shown = |answer| held.calls.release.shown(answer).map_err(|kind| self.client.error(&request, kind));
        match released.and_then(shown) {
            // It ran out, or somebody cleared it.
            Ok(_) | Err(SystemError { kind: ErrorKind::NotFound | ErrorKind::GoneForGood, .. }) => Ok(()),
            Err(error) => Err(error),
        }
    }

    /// Makes the lock last, for as long as this is waited for.
    pub(super) async fn keep(&self, held: &Held<'_>) {
        let Some((call, every)) = &held.calls.renew else { return std::future::pending().await };
        loop {
            tokio::time::sleep(*every).await;
            let Ok(request) = self.lock_call(call, held.id) else { continue };
            if let Err(error) = self.client.write(&held.bearing(request)).await {
                tracing::debug!(%error, "a lock could not be renewed");
            }
        }
    }

    /// Gives back a lock of ours that a crash left behind; anybody else's stays.
    pub(super) async fn release_ours(&self, calls: &LockCalls, id: &EntryId) -> Result<(), SystemError> {
        let holder = self.holder(calls, id).await?;
        if holder.is_some() && calls.is_us(holder.as_ref()) {
            self.release(&Held { calls, id, token: holder.and_then(|holder| holder.token) }).await?;
        }
        Ok(())
    }

    /// Who else has a document open, and since when.
    pub(super) async fn others_lock(&self, calls: &LockCalls, id: &EntryId) -> Result<Option<String>, SystemError> {
        let holder = self.holder(calls, id).await?.filter(|holder| !calls.is_us(Some(holder)));
        Ok(holder.map(|Holder { name, since, .. }| match (name, since) {
            (Some(name), Some(since)) => format!("{name}, since {since}"),
            (Some(name), None) => name,
            (None, _) => "somebody who is not told".to_owned(),
        }))
    }

    async fn holder(&self, calls: &LockCalls, id: &EntryId) -> Result<Option<Holder>, SystemError> {
        let Some(look) = &calls.look else { return Ok(None) };
        let answer = match self.client.read(&self.lock_call(look, id)?).await {
            Ok(answer) => answer,
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(None),
            Err(error) => return Err(error),
        };
        let json = answer.json().unwrap_or(Json::Null);
        let at = |query: Option<&crate::query::Query>| query.and_then(|query| query.first(&json)).and_then(scalar_text);
        let name = at(calls.holder.as_ref());
        let token = at(calls.token.as_ref().map(|(at, _)| at));
        Ok((name.is_some() || token.is_some()).then(|| Holder { name, since: at(calls.since.as_ref()), token }))
    }

    fn lock_call(&self, call: &Call, id: &EntryId) -> Result<Request, SystemError> {
        let mut request = self.call(call, Filled { id: id.as_str(), ..Filled::default() })?;
        if !call.body.is_empty() {
            request.body = Some(call.body_of(call.body.clone()).map_err(|kind| self.error(kind.to_string()))?);
        }
        Ok(request)
    }
}

impl Held<'_> {
    /// A request that shows that we hold the lock.
    pub(super) fn bearing(&self, request: Request) -> Request {
        match (&self.calls.token, &self.token) {
            (Some((_, LockShown::Header(header))), Some(token)) => {
                request.header(&header.to_lowercase(), token.clone())
            }
            (Some((_, LockShown::Variable)), Some(token)) => with_lock(request, token),
            _ => request,
        }
    }
}

/// A request whose operation is told the lock's token, where it declares a variable for it.
fn with_lock(mut request: Request, token: &str) -> Request {
    if let Some(Body::Json(body, _)) = &mut request.body {
        // `$locked` is another variable.
        let ends = |rest: &str| !rest.starts_with(|c: char| c.is_alphanumeric() || c == '_');
        let query = body.get("query").and_then(Json::as_str).unwrap_or_default();
        let declares = query.split("$lock").skip(1).any(ends);
        if let Some(variables) = body.get_mut("variables").and_then(Json::as_object_mut).filter(|_| declares) {
            variables.insert("lock".to_owned(), token.into());
        }
    }
    request
}

impl LockCalls {
    fn is_us(&self, holder: Option<&Holder>) -> bool {
        let name = holder.and_then(|holder| holder.name.as_deref());
        self.us.is_some() && name == self.us.as_deref()
    }
}

fn is_taken(kind: &ErrorKind) -> bool {
    matches!(kind, ErrorKind::Locked { .. } | ErrorKind::Differs { .. })
}

fn locked(error: SystemError, holder: Option<Holder>) -> SystemError {
    let said = match &error.kind {
        ErrorKind::Locked { message } | ErrorKind::Differs { message, .. } => message.clone(),
        _ => String::new(),
    };
    let message = match holder {
        Some(Holder { name: Some(name), since: Some(since), .. }) => format!("by {name}, since {since}"),
        Some(Holder { name: Some(name), .. }) => format!("by {name}"),
        _ => said,
    };
    SystemError { kind: ErrorKind::Locked { message }, ..error }
}
