//! A stand-in that keeps documents by their paths: what is common to the shapes of the recipes.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{HeaderMap, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use serde_json::{Map, Value as Json, json};
use tokio::runtime::Runtime;

use crate::harness::served;

/// Documents by their paths, each with its version; and what was written.
#[derive(Debug, Default)]
pub(super) struct Kept {
    pub(super) documents: BTreeMap<String, (u64, Json)>,
    pub(super) wrote: Vec<String>,
}

/// What keeps them. `shape` says what a request is about, in the system's own shape.
#[derive(Clone)]
pub(super) struct Keeper {
    pub(super) kept: Arc<Mutex<Kept>>,
    shape: fn(&mut Kept, &Asked) -> Option<Told>,
}

/// What a request asks.
#[derive(Debug)]
pub(super) struct Asked {
    pub(super) method: Method,
    pub(super) steps: Vec<String>,
    pub(super) query: BTreeMap<String, String>,
    pub(super) sent: Map<String, Json>,
}

/// What is asked for in the end.
pub(super) enum Told {
    /// The documents of a kind, at paths of so many steps, that have these members.
    List(&'static str, usize, BTreeMap<String, String>),
    /// A document, which is read, changed or taken away.
    At(String),
    /// A new document at a path, with members of the system's own.
    New(String, Json),
    /// Something else.
    Answer(Json),
}

impl Kept {
    pub(super) fn put(&mut self, path: &str, document: Json) {
        let version = self.documents.get(path).map_or(1, |(version, _)| version + 1);
        self.documents.insert(path.to_owned(), (version, document));
    }

    /// A number that no document has.
    pub(super) fn number(&self) -> usize {
        self.documents.len() + 1
    }

    /// Those below a path, in their order.
    pub(super) fn below(&self, start: &str) -> Vec<&Json> {
        self.documents.iter().filter(|(path, _)| path.starts_with(start)).map(|(_, (_, document))| document).collect()
    }
}

/// Serves it till the runtime is dropped.
pub(super) fn keeper(shape: fn(&mut Kept, &Asked) -> Option<Told>) -> (String, Keeper, Runtime) {
    let keeper = Keeper { kept: Arc::default(), shape };
    let (url, runtime) = served(Router::new().fallback(any(answer)).with_state(keeper.clone()));
    (url, keeper, runtime)
}

fn shown((version, document): &(u64, Json)) -> Response {
    ([(header::ETAG, format!("\"{version}\""))], document.to_string()).into_response()
}

async fn answer(State(keeper): State<Keeper>, method: Method, uri: Uri, headers: HeaderMap, body: String) -> Response {
    let mut kept = keeper.kept.lock().unwrap();
    let query = url::form_urlencoded::parse(uri.query().unwrap_or_default().as_bytes()).into_owned().collect();
    let steps = uri.path().trim_matches('/').split('/').map(str::to_owned).collect();
    let asked = Asked { steps, query, sent: serde_json::from_str(&body).unwrap_or_default(), method };
    if asked.method != Method::GET {
        kept.wrote.push(format!("{} {}", asked.method, uri.path()));
    }
    let based_on = headers.get(header::IF_MATCH).and_then(|value| value.to_str().ok()).map(str::to_owned);
    match (keeper.shape)(&mut kept, &asked) {
        None => StatusCode::NOT_FOUND.into_response(),
        Some(Told::Answer(json)) => json.to_string().into_response(),
        Some(Told::List(kind, depth, members)) => {
            let of =
                kept.documents.iter().filter(|(path, _)| path.starts_with(kind) && path.matches('/').count() == depth);
            let has = |document: &Json| members.iter().all(|(name, value)| document[name] == value.as_str());
            let all: Vec<&Json> = of.map(|(_, (_, document))| document).filter(|document| has(document)).collect();
            let page: usize = asked.query.get("page").map_or(1, |page| page.parse().unwrap());
            let items: Vec<&&Json> = all.iter().skip((page - 1) * 2).take(2).collect();
            json!({ "items": items, "total": all.len() }).to_string().into_response()
        }
        Some(Told::New(path, own)) => {
            let mut document = Json::Object(asked.sent);
            for (name, value) in own.as_object().unwrap() {
                document[name] = value.clone();
            }
            kept.put(&path, document);
            (StatusCode::CREATED, shown(&kept.documents[&path])).into_response()
        }
        Some(Told::At(path)) => {
            let Some((version, document)) = kept.documents.get_mut(&path) else {
                return StatusCode::NOT_FOUND.into_response();
            };
            if based_on.is_some_and(|based_on| based_on != format!("\"{version}\"")) {
                return StatusCode::PRECONDITION_FAILED.into_response();
            }
            match asked.method {
                Method::DELETE => {
                    kept.documents.remove(&path);
                    return StatusCode::NO_CONTENT.into_response();
                }
                Method::GET => {}
                _ => {
                    *version += 1;
                    for (name, value) in asked.sent {
                        document[name] = value;
                    }
                    if document.get("version").is_some() {
                        document["version"] = json!(*version);
                    }
                }
            }
            shown(&kept.documents[&path])
        }
    }
}
