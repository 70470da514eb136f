//! *kiosk*: the database behind the screens in the gardens. It speaks as much of the CouchDB HTTP protocol as a writer
//! and a follower of changes need: documents with revisions, bulk writes settled row by row, and a list of changes.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::answer::lock;

#[derive(Debug, Default)]
struct Documents {
    /// Each document with when it last changed; a deleted one is a stone with its revision.
    by_id: BTreeMap<String, (u64, Value)>,
    last: u64,
}

/// What the kiosk holds.
#[derive(Debug, Clone, Default)]
pub struct Kiosk(Arc<Mutex<Documents>>);

impl Kiosk {
    /// Every document that is not deleted.
    #[must_use]
    pub fn documents(&self) -> Vec<Value> {
        let documents = lock(&self.0);
        let there = documents.by_id.values().filter(|(_, document)| document["_deleted"] != json!(true));
        there.map(|(_, document)| document.clone()).collect()
    }
}

impl Documents {
    /// Writes a document over the revision that it names; a row says what became of it.
    fn write(&mut self, mut document: Value) -> Value {
        let Some(id) = document["_id"].as_str().map(str::to_owned) else {
            return json!({ "error": "bad_request", "reason": "a document has an `_id`" });
        };
        let now = self.by_id.get(&id).filter(|(_, known)| known["_deleted"] != json!(true));
        if now.map(|(_, known)| &known["_rev"]) != Some(&document["_rev"]).filter(|rev| !rev.is_null()) {
            return json!({ "id": id, "error": "conflict", "reason": "Document update conflict." });
        }
        self.last += 1;
        let generation = document["_rev"].as_str().and_then(|rev| rev.split('-').next()?.parse::<u64>().ok());
        let rev = format!("{}-{:08x}", generation.unwrap_or_default() + 1, self.last.wrapping_mul(0x9e37_79b9));
        document["_rev"] = json!(rev);
        self.by_id.insert(id.clone(), (self.last, document));
        json!({ "ok": true, "id": id, "rev": rev })
    }
}

#[derive(Debug, Deserialize)]
struct ChangesQuery {
    since: Option<String>,
    limit: Option<usize>,
    include_docs: Option<bool>,
}

pub(crate) fn routes(kiosk: Kiosk) -> Router {
    Router::new()
        .route("/kiosk", get(about))
        .route("/kiosk/_bulk_docs", post(bulk))
        .route("/kiosk/_changes", get(changes))
        .route("/kiosk/{id}", get(one))
        .with_state(kiosk)
}

async fn about(State(kiosk): State<Kiosk>) -> Response {
    let documents = lock(&kiosk.0);
    Json(json!({
        "db_name": "kiosk", "update_seq": documents.last.to_string(), "doc_count": documents.by_id.len(), "uuid": "ostrel-kiosk",
    }))
    .into_response()
}

async fn one(State(kiosk): State<Kiosk>, Path(id): Path<String>) -> Response {
    match lock(&kiosk.0).by_id.get(&id).filter(|(_, document)| document["_deleted"] != json!(true)) {
        Some((_, document)) => Json(document.clone()).into_response(),
        None => (StatusCode::NOT_FOUND, Json(json!({ "error": "not_found", "reason": "missing" }))).into_response(),
    }
}

async fn bulk(State(kiosk): State<Kiosk>, Json(body): Json<Value>) -> Response {
    let mut documents = lock(&kiosk.0);
    let rows: Vec<Value> =
        body["docs"].as_array().cloned().unwrap_or_default().into_iter().map(|one| documents.write(one)).collect();
    (StatusCode::CREATED, Json(Value::Array(rows))).into_response()
}

async fn changes(State(kiosk): State<Kiosk>, Query(wanted): Query<ChangesQuery>) -> Response {
    let documents = lock(&kiosk.0);
    let since: u64 = wanted.since.and_then(|since| since.parse().ok()).unwrap_or_default();
    let mut found: Vec<(&String, &(u64, Value))> =
        documents.by_id.iter().filter(|(_, (seq, _))| *seq > since).collect();
    found.sort_by_key(|(_, (seq, _))| *seq);
    found.truncate(wanted.limit.unwrap_or(usize::MAX));
    let last = found.last().map_or(since, |(_, (seq, _))| *seq);
    let result = |(id, (seq, document)): (&String, &(u64, Value))| {
        let mut row = json!({ "seq": seq.to_string(), "id": id, "changes": [{ "rev": document["_rev"] }] });
        if document["_deleted"] == json!(true) {
            row["deleted"] = json!(true);
        }
        if wanted.include_docs == Some(true) {
            row["doc"] = document.clone();
        }
        row
    };
    let results: Vec<Value> = found.into_iter().map(result).collect();
    Json(json!({ "results": results, "last_seq": last.to_string() })).into_response()
}
