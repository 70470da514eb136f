//! The site's own model: types, fields, languages.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use serde_json::{Value, json};

use super::VisitorSite;
use crate::SITE_WRITE_TOKEN;
use crate::answer::{lock, problem};
use crate::server::bears;

pub(super) async fn show_type(State(site): State<VisitorSite>, Path(name): Path<String>) -> Response {
    if name != "page" {
        return problem(StatusCode::NOT_FOUND, "no such type");
    }
    let fields: Vec<Value> = lock(&site.0).fields.iter().map(|name| json!({ "name": name })).collect();
    Json(json!({ "name": name, "fields": fields })).into_response()
}

pub(super) async fn make_field(
    State(site): State<VisitorSite>,
    Path(_): Path<String>,
    headers: HeaderMap,
    Json(body): Json<Value>,
) -> Response {
    if !bears(&headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not alter types");
    }
    match (body["name"].as_str(), body["type"].as_str()) {
        (Some(name), Some(_)) => {
            lock(&site.0).fields.insert(name.to_owned());
            StatusCode::CREATED.into_response()
        }
        _ => problem(StatusCode::UNPROCESSABLE_ENTITY, "a field has a name and a type"),
    }
}

pub(super) async fn languages(State(site): State<VisitorSite>) -> Response {
    Json(json!({ "languages": lock(&site.0).languages })).into_response()
}

pub(super) async fn make_language(
    State(site): State<VisitorSite>,
    headers: HeaderMap,
    Json(body): Json<Value>,
) -> Response {
    if !bears(&headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not add languages");
    }
    match body["code"].as_str() {
        Some(code) => {
            lock(&site.0).languages.insert(code.to_owned());
            StatusCode::CREATED.into_response()
        }
        None => problem(StatusCode::UNPROCESSABLE_ENTITY, "a language has a code"),
    }
}
