//! Pictures, each known by its content.

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use serde_json::{Value, json};

use super::VisitorSite;
use crate::SITE_WRITE_TOKEN;
use crate::answer::{lock, problem};
use crate::server::bears;

#[derive(Debug, Deserialize)]
pub(super) struct ByHash {
    hash: String,
}

pub(super) async fn find_media(State(site): State<VisitorSite>, Query(wanted): Query<ByHash>) -> Response {
    let found: Vec<Value> =
        lock(&site.0).media.get(&wanted.hash).map(|(id, _)| json!({ "id": id })).into_iter().collect();
    Json(json!({ "media": found })).into_response()
}

pub(super) async fn take_media(
    State(site): State<VisitorSite>,
    Query(wanted): Query<ByHash>,
    headers: HeaderMap,
    body: axum::body::Bytes,
) -> Response {
    if !bears(&headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not deliver files");
    }
    let mut pages = lock(&site.0);
    pages.last_id += 1;
    let id = pages.last_id;
    pages.media.insert(wanted.hash, (id, body.len()));
    (StatusCode::CREATED, Json(json!({ "id": id }))).into_response()
}

pub(super) async fn picture(State(site): State<VisitorSite>, Path(name): Path<String>) -> Response {
    match lock(&site.0).pictures.get(&name) {
        Some((media, bytes)) => ([(header::CONTENT_TYPE, media.clone())], bytes.clone()).into_response(),
        None => problem(StatusCode::NOT_FOUND, "no such picture"),
    }
}
