//! Locks on pages.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use serde_json::json;

use super::{HUB, VisitorSite};
use crate::SITE_WRITE_TOKEN;
use crate::answer::{lock, problem};
use crate::server::bears;

pub(super) async fn who_locks(State(site): State<VisitorSite>, Path(id): Path<u64>) -> Response {
    match lock(&site.0).locks.get(&id) {
        Some((holder, since)) => Json(json!({ "holder": holder, "since": since })).into_response(),
        None => problem(StatusCode::NOT_FOUND, "the page is not locked"),
    }
}

pub(super) async fn take_lock(State(site): State<VisitorSite>, Path(id): Path<u64>, headers: HeaderMap) -> Response {
    if !bears(&headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not lock pages");
    }
    let mut pages = lock(&site.0);
    if !pages.rows.contains_key(&id) {
        return problem(StatusCode::NOT_FOUND, "no such page");
    }
    if let Some((holder, _)) = pages.locks.get(&id) {
        return problem(StatusCode::LOCKED, &format!("{holder} is editing this page"));
    }
    pages.locks.insert(id, (HUB.to_owned(), "2026-05-01T09:00:00Z".to_owned()));
    StatusCode::NO_CONTENT.into_response()
}

pub(super) async fn renew_lock(State(site): State<VisitorSite>, Path(id): Path<u64>) -> Response {
    let mut pages = lock(&site.0);
    if pages.locks.get(&id).is_none_or(|(holder, _)| holder != HUB) {
        return problem(StatusCode::CONFLICT, "the hub has no lock on this page");
    }
    pages.renewals += 1;
    StatusCode::NO_CONTENT.into_response()
}

pub(super) async fn release_lock(State(site): State<VisitorSite>, Path(id): Path<u64>, headers: HeaderMap) -> Response {
    if !bears(&headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not unlock pages");
    }
    let mut pages = lock(&site.0);
    match pages.locks.get(&id) {
        Some((holder, _)) if holder != HUB => problem(StatusCode::LOCKED, "that lock is somebody else's"),
        _ => {
            pages.locks.remove(&id);
            StatusCode::NO_CONTENT.into_response()
        }
    }
}
