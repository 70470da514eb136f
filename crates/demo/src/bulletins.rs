//! *bulletins*: two gardens' news feeds, with ETags.

use axum::Router;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;

const FERNHOLLOW: &str = include_str!("content/fernhollow.atom");
const TARNSIDE: &str = include_str!("content/tarnside.rss");

pub(crate) fn routes() -> Router {
    Router::new()
        .route(
            "/fernhollow.atom",
            get(|headers: HeaderMap| async move { feed(&headers, FERNHOLLOW, "application/atom+xml") }),
        )
        .route(
            "/tarnside.rss",
            get(|headers: HeaderMap| async move { feed(&headers, TARNSIDE, "application/rss+xml") }),
        )
}

fn feed(headers: &HeaderMap, text: &'static str, media_type: &str) -> Response {
    let etag = format!("\"{}-{}\"", text.len(), text.bytes().map(u64::from).sum::<u64>());
    if headers.get(header::IF_NONE_MATCH).and_then(|value| value.to_str().ok()) == Some(etag.as_str()) {
        return (StatusCode::NOT_MODIFIED, [(header::ETAG, etag)]).into_response();
    }
    ([(header::ETAG, etag), (header::CONTENT_TYPE, media_type.to_owned())], text).into_response()
}
