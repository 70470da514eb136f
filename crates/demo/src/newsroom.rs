//! *newsroom*: what a running hub has to do with besides: a garden's feed that falls silent, a build that is called,
//! and a chat.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::body::Bytes;
use axum::http::{HeaderMap, StatusCode, header};
use axum::routing::{get, post};
use serde_json::Value as Json;

use crate::answer::lock;

const HIGHMOSS: &str = include_str!("content/highmoss.atom");

/// What the build and the chat were told.
#[derive(Debug, Clone, Default)]
pub struct Newsroom {
    builds: Arc<Mutex<Vec<String>>>,
    chat: Arc<Mutex<Vec<String>>>,
}

impl Newsroom {
    /// The ids of the calls of the build, each once.
    #[must_use]
    pub fn builds(&self) -> Vec<String> {
        let mut builds = lock(&self.builds).clone();
        builds.dedup();
        builds
    }

    /// What was said in the chat.
    #[must_use]
    pub fn chat(&self) -> Vec<String> {
        lock(&self.chat).clone()
    }
}

pub(crate) fn routes(newsroom: Newsroom) -> Router {
    let Newsroom { builds, chat } = newsroom;
    let build = move |headers: HeaderMap| async move {
        let id = headers.get("webhook-id").and_then(|value| value.to_str().ok()).unwrap_or_default().to_owned();
        lock(&builds).push(id);
        StatusCode::NO_CONTENT
    };
    let say = move |body: Bytes| async move {
        let said: Json = serde_json::from_slice(&body).unwrap_or_default();
        lock(&chat).push(said["text"].as_str().unwrap_or_default().to_owned());
        StatusCode::NO_CONTENT
    };
    Router::new()
        .route("/highmoss.atom", get(|| async { ([(header::CONTENT_TYPE, "application/atom+xml")], HIGHMOSS) }))
        .route("/build", post(build))
        .route("/chat", post(say))
}
