//! What hubs of feeds say (WebSub): they ask back whether they are to call, and call when a feed publishes.

use std::collections::HashMap;

use axum::body::{Body, to_bytes};
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::Response;
use diaporos_core::hook::is_signed_by_hub;
use diaporos_store::{NewCall, Store, StoreError, StorePlace};
use jiff::{SignedDuration, Timestamp};

use super::front::{BODY_WITHIN, Front, kept, said, too_many};
use super::hooks::CallCounts;

/// The largest body whose signature is looked at: hubs send the feed along.
const LARGEST: usize = 16 << 20;
/// What is taken of a hub's wish how long it calls, at least and at most, and where it says nothing.
const SHORTEST_LEASE: i64 = 60;
const LONGEST_LEASE: i64 = 30 * 86_400;
const USUAL_LEASE: i64 = 86_400;
/// How soon a hub is asked again that will not call.
const ASKED_AGAIN: SignedDuration = SignedDuration::from_hours(24);
/// The longest word of a hub that is given back to it, or kept.
const LONGEST_WORD: usize = 2_000;

/// A hub asks back whether it is to call, or says that it will not (WebSub, 5.3 and 5.2).
pub(super) async fn asked_back(
    State(front): State<Front>,
    Path(token): Path<String>,
    Query(query): Query<HashMap<String, String>>,
) -> Response {
    let of = |name: &str| query.get(name).map(String::as_str).unwrap_or_default();
    let (mode, topic, challenge) = (of("hub.mode"), of("hub.topic"), of("hub.challenge"));
    let known = front.hubs.known(&token).filter(|known| known.topic == topic);
    let is_sound = !challenge.is_empty() && challenge.len() <= LONGEST_WORD;
    if known.is_none() || (mode != "denied" && (mode != "subscribe" || !is_sound)) {
        CallCounts::count(&front.shared.counts.unknown);
        return said(StatusCode::NOT_FOUND, "nobody here wishes that");
    }
    let now = (front.clock)();
    let (ends, next) = match mode {
        "denied" => {
            let reason: String = of("hub.reason").chars().take(200).collect();
            (Err(format!("the hub will not call: {reason}")), now.checked_add(ASKED_AGAIN))
        }
        _ => {
            let lease = of("hub.lease_seconds").parse().unwrap_or(USUAL_LEASE).clamp(SHORTEST_LEASE, LONGEST_LEASE);
            let after = |seconds: i64| now.checked_add(SignedDuration::from_secs(seconds));
            // Asked again when a third of it is left.
            (Ok(after(lease).unwrap_or(now)), after(lease - lease / 3))
        }
    };
    let answer = Answer { place: front.store.clone(), token, topic: topic.to_owned(), ends, next: next.unwrap_or(now) };
    match tokio::task::spawn_blocking(move || answer.keep()).await {
        Ok(Ok(true)) => said(StatusCode::OK, challenge),
        Ok(Ok(false)) => said(StatusCode::NOT_FOUND, "nobody here wishes that"),
        Ok(Err(_)) | Err(_) => {
            CallCounts::count(&front.shared.counts.failed);
            said(StatusCode::SERVICE_UNAVAILABLE, "it could not be kept; ask again")
        }
    }
}

/// What a hub said, to be kept.
struct Answer {
    place: StorePlace,
    token: String,
    topic: String,
    ends: Result<Timestamp, String>,
    next: Timestamp,
}

impl Answer {
    fn keep(&self) -> Result<bool, StoreError> {
        let mut store = Store::open_for_change(&self.place)?;
        let ends = self.ends.as_ref().copied().map_err(String::as_str);
        store.hub_answered((&self.token, &self.topic), ends, self.next)
    }
}

/// A hub calls: a feed has published. What it sends along is not taken: the feed is read.
pub(super) async fn published(
    State(front): State<Front>,
    Path(token): Path<String>,
    headers: HeaderMap,
    body: Body,
) -> Response {
    let Some(known) = front.hubs.known(&token) else {
        CallCounts::count(&front.shared.counts.unknown);
        // By this a hub knows that it need not call again.
        return said(StatusCode::GONE, "nobody here wishes that");
    };
    let Ok(place) = front.bodies.acquire().await else { return too_many(&front, 1) };
    let read = tokio::time::timeout(BODY_WITHIN, to_bytes(body, LARGEST)).await;
    let Ok(Ok(bytes)) = read else {
        CallCounts::count(&front.shared.counts.too_large);
        return said(StatusCode::PAYLOAD_TOO_LARGE, "the body is too large, or came too slowly");
    };
    let signature = headers.get("x-hub-signature").and_then(|value| value.to_str().ok()).unwrap_or_default();
    let is_signed = is_signed_by_hub(signature, &known.secret, &bytes);
    drop((bytes, place));
    if !is_signed {
        CallCounts::count(&front.shared.counts.refused);
        // Who guesses at the secret learns nothing (WebSub, 8).
        return said(StatusCode::ACCEPTED, "taken");
    }
    let received = (front.clock)();
    let word = Some("published".to_owned());
    let hook = format!("websub {}", known.feed);
    kept(&front, NewCall { hook, id: None, system: known.system, entries: Vec::new(), word, received }).await
}
