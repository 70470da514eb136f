//! *noticeboard*: a destination of notices that misbehaves as it is told: its search ignores what it is
//! asked by or lags behind, it renumbers, respells, answers with a log-in page or with nothing, gives weak
//! tags to compressed answers, and echoes what it refuses.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Map, Value, json};

use crate::answer::{lock, problem};

/// A way to misbehave.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Whim {
    /// The search gives its first notice, whatever it is asked by.
    IgnoresSearch,
    /// The search does not see a new notice for so many milliseconds.
    SearchLags(u64),
    /// A new notice gets a key of the board's own.
    Renumbers,
    /// Texts are trimmed, escaped, and lists sorted.
    Respells,
    /// Writes are answered 204.
    SaysNothing,
    /// Writes are answered 200 with a log-in page, and not carried out.
    LogInPage,
    /// Writes are answered 200 with an empty body, and carried out.
    EmptyAnswer,
    /// Writes are answered 200 with `{}`, and carried out.
    EmptyObject,
    /// Writes are answered 202, with a place to look at, and carried out a moment later.
    Promises,
    /// Writes are answered 502, and carried out.
    BadGateway,
    /// A write without `If-Match` is refused (428).
    DemandsIfMatch,
    /// `If-Match` is ignored.
    IgnoresIfMatch,
    /// An answer that may be compressed has a weak tag.
    WeakTags,
    /// A refusal echoes the whole request.
    Echoes,
    /// The notice of that key may not be changed.
    Protects(String),
}

#[derive(Debug, Default)]
struct Board {
    notices: BTreeMap<u64, Value>,
    made: BTreeMap<u64, Instant>,
    last: u64,
    whims: BTreeSet<Whim>,
}

/// What the noticeboard holds. Its methods are its keepers' hands and eyes.
#[derive(Debug, Clone, Default)]
pub struct Noticeboard(Arc<Mutex<Board>>);

impl Noticeboard {
    /// Misbehaves in these ways from now on, and in no others.
    pub fn misbehave(&self, whims: &[Whim]) {
        lock(&self.0).whims = whims.iter().cloned().collect();
    }

    /// Every notice.
    #[must_use]
    pub fn notices(&self) -> Vec<Value> {
        lock(&self.0).notices.values().cloned().collect()
    }

    /// Puts up a notice by hand, and gives its number.
    pub fn put_up(&self, notice: &Value) -> u64 {
        lock(&self.0).add(notice.as_object().cloned().unwrap_or_default())
    }

    /// Changes a notice by hand.
    pub fn edit(&self, id: u64, fields: &Value) {
        if let Some(fields) = fields.as_object() {
            lock(&self.0).change(id, fields);
        }
    }
}

impl Board {
    fn add(&mut self, fields: Map<String, Value>) -> u64 {
        self.last += 1;
        let mut notice = json!({ "id": self.last, "version": 1 });
        if let Some(members) = notice.as_object_mut() {
            members.extend(fields);
        }
        self.notices.insert(self.last, notice);
        self.made.insert(self.last, Instant::now());
        self.last
    }

    fn change(&mut self, id: u64, fields: &Map<String, Value>) {
        if let Some(notice) = self.notices.get_mut(&id) {
            let version = notice["version"].as_u64().unwrap_or_default() + 1;
            if let Some(members) = notice.as_object_mut() {
                members.extend(fields.clone());
            }
            notice["version"] = version.into();
        }
    }

    fn has(&self, whim: &Whim) -> bool {
        self.whims.contains(whim)
    }

    /// What is stored of what was sent.
    fn stored(&self, mut fields: Map<String, Value>) -> Map<String, Value> {
        fields.remove("id");
        fields.remove("version");
        if self.has(&Whim::Respells) {
            for value in fields.values_mut() {
                match value {
                    Value::String(text) => *text = text.trim().replace('&', "&amp;"),
                    Value::Array(items) => items.sort_by_key(ToString::to_string),
                    _ => {}
                }
            }
        }
        fields
    }

    fn answer(&self, id: u64, status: StatusCode, headers: &HeaderMap) -> Response {
        if self.has(&Whim::SaysNothing) {
            return StatusCode::NO_CONTENT.into_response();
        }
        if self.has(&Whim::EmptyAnswer) {
            return StatusCode::OK.into_response();
        }
        if self.has(&Whim::EmptyObject) {
            return Json(json!({})).into_response();
        }
        if self.has(&Whim::BadGateway) {
            return (StatusCode::BAD_GATEWAY, "bad gateway").into_response();
        }
        if self.has(&Whim::Promises) {
            return (StatusCode::ACCEPTED, [(header::LOCATION, format!("/notices/{id}"))]).into_response();
        }
        match self.notices.get(&id) {
            Some(notice) => (status, [(header::ETAG, self.tag(notice, headers))], Json(notice.clone())).into_response(),
            None => problem(StatusCode::NOT_FOUND, "no such notice"),
        }
    }

    fn tag(&self, notice: &Value, headers: &HeaderMap) -> String {
        let accepts = headers.get(header::ACCEPT_ENCODING).and_then(|value| value.to_str().ok()).unwrap_or_default();
        let weak = self.has(&Whim::WeakTags) && accepts.contains("gzip");
        format!("{}\"{}\"", if weak { "W/" } else { "" }, notice["version"])
    }
}

/// The board's routes.
pub(crate) fn routes(board: Noticeboard) -> Router {
    Router::new()
        .route("/notices", get(search).post(create))
        .route("/notices/{id}", get(one).patch(update).delete(remove))
        .with_state(board)
}

#[derive(Debug, Deserialize)]
struct Asked {
    key: Option<String>,
}

async fn search(State(board): State<Noticeboard>, Query(asked): Query<Asked>) -> Response {
    let board = lock(&board.0);
    let lag = board.whims.iter().find_map(|whim| match whim {
        Whim::SearchLags(millis) => Some(Duration::from_millis(*millis)),
        _ => None,
    });
    let is_seen = |id: &u64| lag.is_none_or(|lag| board.made.get(id).is_none_or(|made| made.elapsed() >= lag));
    let found: Vec<&Value> = if board.has(&Whim::IgnoresSearch) {
        board.notices.values().take(1).collect()
    } else {
        let meets = |notice: &Value| asked.key.as_deref().is_none_or(|key| notice["key"] == key);
        board.notices.iter().filter(|(id, notice)| is_seen(id) && meets(notice)).map(|(_, notice)| notice).collect()
    };
    Json(json!({ "notices": found })).into_response()
}

async fn one(State(board): State<Noticeboard>, Path(id): Path<u64>, headers: HeaderMap) -> Response {
    let board = lock(&board.0);
    match board.notices.get(&id) {
        Some(notice) => ([(header::ETAG, board.tag(notice, &headers))], Json(notice.clone())).into_response(),
        None => problem(StatusCode::NOT_FOUND, "no such notice"),
    }
}

async fn create(
    State(board): State<Noticeboard>,
    headers: HeaderMap,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    let mut board = lock(&board.0);
    if let Some(answer) = refused(&board, None, &headers, &body) {
        return answer;
    }
    let mut fields = board.stored(body);
    if board.has(&Whim::Renumbers) {
        let key = fields.get("key").and_then(Value::as_str).unwrap_or_default().to_owned();
        fields.insert("key".to_owned(), format!("{key}-{}", board.last + 1).into());
    }
    let id = board.add(fields);
    board.answer(id, StatusCode::CREATED, &headers)
}

async fn update(
    State(board): State<Noticeboard>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    let mut board = lock(&board.0);
    if let Some(answer) = refused(&board, Some(id), &headers, &body) {
        return answer;
    }
    let fields = board.stored(body);
    board.change(id, &fields);
    board.answer(id, StatusCode::OK, &headers)
}

async fn remove(State(board): State<Noticeboard>, Path(id): Path<u64>, headers: HeaderMap) -> Response {
    let mut board = lock(&board.0);
    if let Some(answer) = refused(&board, Some(id), &headers, &Map::new()) {
        return answer;
    }
    board.notices.remove(&id);
    board.answer(id, StatusCode::OK, &headers)
}

/// Why a write is not carried out.
fn refused(board: &Board, id: Option<u64>, headers: &HeaderMap, body: &Map<String, Value>) -> Option<Response> {
    if board.has(&Whim::LogInPage) {
        return Some(
            ([(header::CONTENT_TYPE, "text/html")], "<html><body>Please sign in</body></html>").into_response(),
        );
    }
    if board.has(&Whim::Echoes) {
        let headers: Vec<String> =
            headers.iter().map(|(name, value)| format!("{name}: {}", value.to_str().unwrap_or_default())).collect();
        let detail = format!("refused: {} {}", headers.join(", "), Value::Object(body.clone()));
        return Some(problem(StatusCode::UNPROCESSABLE_ENTITY, &detail));
    }
    let notice = board.notices.get(&id?);
    let Some(notice) = notice else { return Some(problem(StatusCode::NOT_FOUND, "no such notice")) };
    let protected = |whim: &Whim| matches!(whim, Whim::Protects(key) if notice["key"] == key.as_str());
    if board.whims.iter().any(protected) {
        return Some(problem(StatusCode::FORBIDDEN, "this notice is protected"));
    }
    let based_on = headers.get(header::IF_MATCH).and_then(|value| value.to_str().ok());
    if based_on.is_none() && board.has(&Whim::DemandsIfMatch) {
        return Some(problem(StatusCode::PRECONDITION_REQUIRED, "say with If-Match which version it is based on"));
    }
    let differs = based_on.is_some_and(|based_on| based_on != format!("\"{}\"", notice["version"]));
    if differs && !board.has(&Whim::IgnoresIfMatch) {
        return Some(problem(StatusCode::PRECONDITION_FAILED, "the notice was changed since"));
    }
    None
}
