//! *phrases*: a service that gives the words of a text that say most, here the longest.

use axum::Router;
use axum::extract::Json;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::post;
use serde::Deserialize;
use serde_json::json;

use crate::PHRASES_TOKEN;

#[derive(Debug, Deserialize)]
struct Question {
    text: String,
    most: usize,
}

pub(crate) fn routes() -> Router {
    Router::new().route("/phrases", post(phrases))
}

async fn phrases(headers: HeaderMap, Json(Question { text, most }): Json<Question>) -> Response {
    let shown = headers.get(header::AUTHORIZATION).and_then(|value| value.to_str().ok());
    if shown != Some(&format!("Bearer {PHRASES_TOKEN}")) {
        return (StatusCode::UNAUTHORIZED, Json(json!({ "detail": "no such client" }))).into_response();
    }
    let mut words: Vec<String> = Vec::new();
    for word in without_tags(&text).split(|c: char| !c.is_alphabetic()) {
        let word = word.to_lowercase();
        if word.chars().count() > 5 && !words.contains(&word) {
            words.push(word);
        }
    }
    words.sort_by_key(|word| std::cmp::Reverse(word.chars().count()));
    words.truncate(most);
    Json(json!({ "phrases": words })).into_response()
}

fn without_tags(text: &str) -> String {
    let mut is_within = false;
    let shown = text.chars().map(|c| match c {
        '<' => {
            is_within = true;
            ' '
        }
        '>' => {
            is_within = false;
            ' '
        }
        _ if is_within => ' ',
        c => c,
    });
    shown.collect()
}
