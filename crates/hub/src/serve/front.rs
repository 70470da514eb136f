//! What those who call share: where calls are kept, and how they are answered.

use std::sync::Arc;
use std::time::Duration;

use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use diaporos_store::{NewCall, StorePlace};
use tokio::sync::Semaphore;

use super::call_keeper::{CallKeeper, Kept, NotKept};
use super::hooks::{CallCounts, Hooks};
use super::known_hubs::KnownHubs;
use super::shared::Shared;
use crate::leases::Clock;

/// Bodies that are read at a time; a caller waits for its turn.
const BODIES: usize = 32;
/// How long a body may take to come in.
pub(super) const BODY_WITHIN: Duration = Duration::from_secs(10);

/// What those who call see of a hub.
#[derive(Clone)]
pub(super) struct Front {
    pub(super) hooks: Hooks,
    pub(super) keeper: CallKeeper,
    pub(super) shared: Arc<Shared>,
    pub(super) clock: Clock,
    pub(super) bodies: Arc<Semaphore>,
    /// The subscriptions by which hubs call.
    pub(super) hubs: KnownHubs,
    /// Where the store is.
    pub(super) store: StorePlace,
}

impl Front {
    pub(super) fn new(
        hooks: Hooks,
        (keeper, store): (CallKeeper, StorePlace),
        shared: Arc<Shared>,
        clock: Clock,
    ) -> Front {
        let hubs = shared.hubs.clone();
        Front { hooks, keeper, shared, clock, bodies: Arc::new(Semaphore::new(BODIES)), hubs, store }
    }
}

/// An answer in one line.
pub(super) fn said(status: StatusCode, line: &str) -> Response {
    (status, [(header::CONTENT_TYPE, "text/plain; charset=utf-8")], format!("{line}\n")).into_response()
}

/// That there were too many calls.
pub(super) fn too_many(front: &Front, seconds: u64) -> Response {
    CallCounts::count(&front.shared.counts.too_many);
    let mut response = said(StatusCode::TOO_MANY_REQUESTS, "too many calls; come again later");
    if let Ok(value) = seconds.to_string().parse() {
        response.headers_mut().insert(header::RETRY_AFTER, value);
    }
    response
}

/// Keeps a call, and answers once it is on the disk.
pub(super) async fn kept(front: &Front, call: NewCall) -> Response {
    let counts = &front.shared.counts;
    match front.keeper.keep(call).await {
        Ok(Kept::New) => {
            CallCounts::count(&counts.taken);
            said(StatusCode::ACCEPTED, "taken")
        }
        Ok(Kept::Before) => {
            CallCounts::count(&counts.repeated);
            said(StatusCode::ACCEPTED, "taken before")
        }
        Err(NotKept::TooMany) => too_many(front, 5),
        Err(NotKept::Store) => {
            CallCounts::count(&counts.failed);
            said(StatusCode::SERVICE_UNAVAILABLE, "it could not be kept; send it again")
        }
    }
}
