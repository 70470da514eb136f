//! What stand-ins share: refusals as problem documents (RFC 9457), and locks that no panic poisons.

use std::sync::{Mutex, MutexGuard, PoisonError};

use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};

/// Takes a lock; a stand-in that panicked on purpose leaves its data whole.
pub(crate) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A problem document (RFC 9457).
pub(crate) fn problem(status: StatusCode, detail: &str) -> Response {
    let body = serde_json::json!({ "title": status.canonical_reason(), "status": status.as_u16(), "detail": detail });
    (status, [(header::CONTENT_TYPE, "application/problem+json")], body.to_string()).into_response()
}
