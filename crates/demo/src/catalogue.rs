//! *catalogue*: plant profiles, curators, trails and exhibits on a content platform with cursor
//! paging, a value per language in each field, revisions, references and drafts. The read token
//! cannot write.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::answer::{lock, problem};
use crate::photographs::photograph;
use crate::server::bears;
use crate::{CATALOGUE_READ_TOKEN, CATALOGUE_WRITE_TOKEN};

const CONTENT: &str = include_str!("content/catalogue.json");

/// What the catalogue holds, by type. Its methods are its editors' hands.
#[derive(Debug, Clone)]
pub struct Catalogue(Arc<Mutex<BTreeMap<String, Vec<Value>>>>);

impl Catalogue {
    pub(crate) fn new(made_up: usize) -> Self {
        let entries: Vec<Value> = serde_json::from_str(CONTENT).unwrap_or_default();
        let mut by_type: BTreeMap<String, Vec<Value>> = BTreeMap::new();
        for entry in entries.into_iter().chain((0..made_up).map(made_up_plant)) {
            by_type.entry(entry["type"].as_str().unwrap_or_default().to_owned()).or_default().push(entry);
        }
        Catalogue(Arc::new(Mutex::new(by_type)))
    }

    /// Gives every plant profile a photograph, which the catalogue shows at that address.
    pub fn photograph(&self, catalogue: &str) {
        for (number, entry) in lock(&self.0).entry("plant-profile".to_owned()).or_default().iter_mut().enumerate() {
            let name = &entry["content"]["common_name"];
            let alt = |code: &str, words: &str| name[code].as_str().map(|name| format!("{words} {name}"));
            let photo = json!({
                "url": format!("{catalogue}/photographs/{}.jpg", number + 1), "width": 1800, "height": 1200,
                "focal_point": { "x": 0.4, "y": 0.35 },
            });
            let alts =
                json!({ "eng": alt("eng", "Fronds of"), "fra": alt("fra", "Feuilles :"), "cym": alt("cym", "Dail") });
            entry["content"]["photo_alt"] = alts;
            entry["content"]["photo"] = photo;
            entry["revision"] = json!(entry["revision"].as_u64().unwrap_or_default() + 1);
        }
    }

    /// Changes fields of an entry, as an editor would; its revision goes up.
    pub fn edit(&self, id: &str, fields: &Value) {
        self.change(id, |entry| {
            if let (Some(content), Some(fields)) = (entry["content"].as_object_mut(), fields.as_object()) {
                content.extend(fields.clone());
            }
        });
    }

    /// Changes a field of an entry in one language.
    pub fn edit_text(&self, id: &str, field: &str, language: &str, text: &str) {
        self.change(id, |entry| entry["content"][field][language] = text.into());
    }

    /// What a field of an entry says in a language.
    #[must_use]
    pub fn text(&self, id: &str, field: &str, language: &str) -> Option<String> {
        let entries = lock(&self.0);
        let entry = entries.values().flatten().find(|entry| entry["id"] == id)?;
        entry["content"][field][language].as_str().map(str::to_owned)
    }

    /// Sets an entry's status: `draft`, `published` or `retired`.
    pub fn set_status(&self, id: &str, status: &str) {
        self.change(id, |entry| entry["status"] = status.into());
    }

    /// Deletes an entry.
    pub fn delete(&self, id: &str) {
        lock(&self.0).values_mut().for_each(|entries| entries.retain(|entry| entry["id"] != id));
    }

    /// Deletes everything.
    pub fn clear(&self) {
        lock(&self.0).clear();
    }

    /// Touches every entry without changing its content: only revisions and a counter move.
    pub fn touch_all(&self) {
        for entry in lock(&self.0).values_mut().flatten() {
            raise_revision(entry);
        }
    }

    /// How many entries there are.
    #[must_use]
    pub fn count(&self) -> usize {
        lock(&self.0).values().map(Vec::len).sum()
    }

    fn change(&self, id: &str, change: impl FnOnce(&mut Value)) {
        if let Some(entry) = lock(&self.0).values_mut().flatten().find(|entry| entry["id"] == id) {
            change(entry);
            raise_revision(entry);
        }
    }
}

fn raise_revision(entry: &mut Value) {
    let revision = entry["revision"].as_u64().unwrap_or_default();
    entry["revision"] = json!(revision + 1);
}

fn made_up_plant(number: usize) -> Value {
    let habitats = ["woodland", "bog", "rockery", "glasshouse"];
    let about =
        "A made-up plant, grown from seed for a large bed, with fronds that unroll in April and turn in October. "
            .repeat(8);
    json!({
        "id": format!("made-up-{number:06}"), "type": "plant-profile", "revision": 1, "status": "published", "views": 0,
        "content": {
            "common_name": { "eng": format!("Test Fern {number}"), "fra": format!("Fougère d'essai {number}"), "cym": format!("Rhedynen brawf {number}") },
            "latin_name": format!("Filix probata {number}"),
            "description": { "eng": format!("<p>{about}</p>"), "fra": format!("<p>Plante inventée numéro {number}.</p>"), "cym": format!("<p>Planhigyn dychmygol {number}.</p>") },
            "habitat": habitats[number % habitats.len()], "tags": ["fern", "public"], "curator": "c-1", "relatives": [],
        },
    })
}

#[derive(Debug, Deserialize)]
struct Listing {
    #[serde(rename = "type")]
    kind: String,
    #[serde(default)]
    cursor: Option<String>,
    #[serde(default)]
    page: Option<usize>,
    #[serde(default)]
    limit: Option<usize>,
}

async fn show_photograph(Path(name): Path<String>) -> Response {
    let number = name.strip_suffix(".jpg").and_then(|number| number.parse().ok());
    match number.and_then(photograph) {
        Some(bytes) => ([(axum::http::header::CONTENT_TYPE, "image/jpeg")], bytes).into_response(),
        None => problem(StatusCode::NOT_FOUND, "no such photograph"),
    }
}

pub(crate) fn routes(catalogue: Catalogue) -> Router {
    Router::new()
        .route("/v1/entries", get(list).post(refuse))
        .route("/v1/entries/{id}", get(one).put(refuse).patch(refuse).delete(refuse))
        .route("/photographs/{name}", get(show_photograph))
        .route("/v1/manage", get(manage_find))
        .route("/v1/manage/{id}", get(manage_one).patch(manage_change))
        .with_state(catalogue)
}

/// A cursor names the place to go on from; it is opaque to everybody else. Pages by number, from
/// 1, are served as well.
async fn list(State(catalogue): State<Catalogue>, headers: HeaderMap, Query(listing): Query<Listing>) -> Response {
    if !bears(&headers, CATALOGUE_READ_TOKEN) {
        return problem(StatusCode::UNAUTHORIZED, "a token is needed");
    }
    let from = match listing.cursor.as_deref().map(|cursor| cursor.strip_prefix("at-").and_then(|at| at.parse().ok())) {
        None => 0,
        Some(Some(place)) => place,
        Some(None) => return problem(StatusCode::BAD_REQUEST, "the cursor is not one of ours"),
    };
    let limit = listing.limit.unwrap_or(20).clamp(1, 500);
    let from = listing.page.map_or(from, |page| page.saturating_sub(1) * limit);
    let entries = lock(&catalogue.0);
    let of_kind = entries.get(&listing.kind).map(Vec::as_slice).unwrap_or_default();
    let page = of_kind.get(from..).unwrap_or_default();
    let next = (page.len() > limit).then(|| format!("at-{}", from + limit));
    let page = &page[..page.len().min(limit)];
    let body = json!({ "entries": page, "next_cursor": next }).to_string();
    ([(header::CONTENT_TYPE, "application/json")], body).into_response()
}

async fn one(State(catalogue): State<Catalogue>, headers: HeaderMap, Path(id): Path<String>) -> Response {
    if !bears(&headers, CATALOGUE_READ_TOKEN) {
        return problem(StatusCode::UNAUTHORIZED, "a token is needed");
    }
    let entries = lock(&catalogue.0);
    match entries.values().flatten().find(|entry| entry["id"] == id.as_str()) {
        Some(entry) => Json(entry.clone()).into_response(),
        None => problem(StatusCode::NOT_FOUND, "no such entry"),
    }
}

/// Nothing is written here with the read token.
async fn refuse() -> Response {
    problem(StatusCode::FORBIDDEN, "this token may only read")
}

/// An entry as those see it who may write: its fields beside its id and revision.
fn managed(entry: &Value) -> Value {
    let mut flat = entry["content"].clone();
    flat["id"] = entry["id"].clone();
    flat["revision"] = entry["revision"].clone();
    flat
}

async fn manage_find() -> Response {
    Json(json!([])).into_response()
}

async fn manage_one(State(catalogue): State<Catalogue>, headers: HeaderMap, Path(id): Path<String>) -> Response {
    if !bears(&headers, CATALOGUE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not manage");
    }
    let entries = lock(&catalogue.0);
    match entries.values().flatten().find(|entry| entry["id"] == id.as_str()) {
        Some(entry) => Json(managed(entry)).into_response(),
        None => problem(StatusCode::NOT_FOUND, "no such entry"),
    }
}

/// Changes the fields that the body names, of the version that `If-Match` names.
async fn manage_change(
    State(catalogue): State<Catalogue>,
    headers: HeaderMap,
    Path(id): Path<String>,
    Json(fields): Json<Value>,
) -> Response {
    if !bears(&headers, CATALOGUE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not manage");
    }
    let mut entries = lock(&catalogue.0);
    let Some(entry) = entries.values_mut().flatten().find(|entry| entry["id"] == id.as_str()) else {
        return problem(StatusCode::NOT_FOUND, "no such entry");
    };
    let based_on = headers.get(header::IF_MATCH).and_then(|value| value.to_str().ok()).map(str::to_owned);
    if based_on.is_some_and(|based_on| based_on != format!("\"{}\"", entry["revision"])) {
        return problem(StatusCode::PRECONDITION_FAILED, "it has changed since");
    }
    if let (Some(content), Some(fields)) = (entry["content"].as_object_mut(), fields.as_object()) {
        content.extend(fields.clone());
    }
    raise_revision(entry);
    Json(managed(entry)).into_response()
}
