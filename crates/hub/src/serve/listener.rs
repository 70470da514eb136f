//! What listens: hooks are called here.

use std::net::SocketAddr;

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::Response;
use axum::routing::{get, post};
use diaporos_core::hook::Received;
use diaporos_store::NewCall;
use diaporos_systems::hook::{HookError, Named};
use tokio::net::TcpListener;

use super::front::{BODY_WITHIN, Front, kept, said, too_many};
use super::hooks::{CallCounts, OpenHook};
use super::hub_calls::{asked_back, published};
use super::pages::Pages;

/// Listens as long as the program runs; the address that it listens at.
///
/// # Errors
/// Where the address cannot be had.
pub(super) async fn listen(at: SocketAddr, front: Front, pages: Pages) -> std::io::Result<SocketAddr> {
    let listener = TcpListener::bind(at).await?;
    let address = listener.local_addr()?;
    let routes = Router::new()
        .route("/healthz", get(|| async { "ok\n" }))
        .route("/hooks/{name}", post(called))
        .route("/websub/{token}", get(asked_back).post(published))
        .with_state(front)
        .merge(pages.routes());
    tokio::spawn(async move {
        // It ends with the program.
        if let Err(error) = axum::serve(listener, routes).await {
            tracing::error!("the listener ended: {error}");
        }
    });
    Ok(address)
}

/// A call of a hook.
async fn called(State(front): State<Front>, Path(name): Path<String>, headers: HeaderMap, body: Body) -> Response {
    let hooks = front.hooks.now();
    let Some(open) = hooks.get(&name) else {
        CallCounts::count(&front.shared.counts.unknown);
        return said(StatusCode::NOT_FOUND, "there is no such hook");
    };
    // Without a place nothing of the body is read, so that no number of callers fills the memory.
    let Ok(place) = front.bodies.acquire().await else { return too_many(&front, 1) };
    let read = tokio::time::timeout(BODY_WITHIN, to_bytes(body, open.hook.settings().max_bytes)).await;
    let Ok(Ok(bytes)) = read else {
        CallCounts::count(&front.shared.counts.too_large);
        return said(StatusCode::PAYLOAD_TOO_LARGE, "the body is too large, or came too slowly");
    };
    let answer = taken(&front, (&name, open), &headers, &bytes).await;
    drop(place);
    answer
}

/// Verifies a call and keeps it.
async fn taken(front: &Front, (name, open): (&str, &OpenHook), headers: &HeaderMap, body: &[u8]) -> Response {
    let counts = &front.shared.counts;
    let received = (front.clock)();
    let value = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
    let call = match open.hook.read(Received { header: &value, body, now: received }) {
        Ok(call) => call,
        Err(error @ HookError::Refused(_)) => {
            CallCounts::count(&counts.refused);
            return said(StatusCode::UNAUTHORIZED, &error.to_string());
        }
        Err(error @ HookError::Content(_)) => {
            CallCounts::count(&counts.senseless);
            return said(StatusCode::UNPROCESSABLE_ENTITY, &error.to_string());
        }
    };
    // Only who is known is counted: a stranger uses up nobody's share.
    if let Err(seconds) = open.admit(received) {
        return too_many(front, seconds);
    }
    let entries = match call.names {
        Named::Entries(entries) => entries,
        Named::Everything => Vec::new(),
        Named::Nothing => {
            CallCounts::count(&counts.ignored);
            return said(StatusCode::ACCEPTED, "it concerns nothing here");
        }
    };
    let (hook, system) = (name.to_owned(), open.system.clone());
    kept(front, NewCall { hook, id: call.id, system, entries, word: call.event, received }).await
}
