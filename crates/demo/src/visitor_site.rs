//! *visitor-site*: pages, a row per language, with the site's own identifiers and versions. Rows
//! of one page share an `item`, which the first row is given. It does not mind two pages with one
//! slug: that none comes about is the hub's business.

mod locks;
mod media;
mod model;

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::{Arc, Mutex};
use std::time::Instant;

use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Map, Value, json};

use crate::SITE_WRITE_TOKEN;
use crate::answer::{lock, problem};
use crate::server::bears;

use locks::{release_lock, renew_lock, take_lock, who_locks};
use media::{find_media, picture, take_media};
use model::{languages, make_field, make_language, show_type};

const PAGES: &str = include_str!("content/pages.json");

#[derive(Debug, Default)]
struct Pages {
    rows: BTreeMap<u64, Value>,
    by_slug: HashMap<String, BTreeSet<u64>>,
    last_id: u64,
    /// The fields of pages and the site's languages, as it tells of them.
    fields: BTreeSet<String>,
    languages: BTreeSet<String>,
    /// Files that were delivered, by the hash of their content.
    media: BTreeMap<String, (u64, usize)>,
    /// Pictures that it shows, each with its media type.
    pictures: HashMap<String, (String, Vec<u8>)>,
    /// The keys of creations, by which one that arrives twice is known, and how often locks were renewed.
    keys: HashMap<String, u64>,
    renewals: u64,
    /// Who has a page locked, and since when.
    locks: HashMap<u64, (String, String)>,
    /// The pages as visitors see them, each with when it was last put on view. What is saved without being
    /// published is not among them.
    on_view: BTreeMap<u64, (Value, Instant)>,
}

/// What the site calls whoever writes with the hub's token.
const HUB: &str = "the hub";

impl Pages {
    fn put(&mut self, id: u64, row: Value) {
        self.remove(id);
        if let Some(slug) = row["slug"].as_str() {
            self.by_slug.entry(slug.to_owned()).or_default().insert(id);
        }
        self.rows.insert(id, row);
    }

    fn remove(&mut self, id: u64) {
        if let Some(row) = self.rows.remove(&id)
            && let Some(ids) = row["slug"].as_str().and_then(|slug| self.by_slug.get_mut(slug))
        {
            ids.remove(&id);
        }
    }

    /// Puts a page on view as it is, or takes it off, where what was sent says so.
    fn show(&mut self, id: u64, sent: &Map<String, Value>) {
        match sent.get("status").and_then(Value::as_str) {
            Some("live") => drop(self.rows.get(&id).cloned().map(|row| self.on_view.insert(id, (row, Instant::now())))),
            Some(_) => drop(self.on_view.remove(&id)),
            None => {}
        }
    }

    fn change(&mut self, id: u64, fields: &Map<String, Value>) -> Option<&Value> {
        let mut row = self.rows.get(&id)?.clone();
        let version = row["version"].as_u64().unwrap_or_default();
        if let Some(row) = row.as_object_mut() {
            let named = fields.iter().filter(|(name, _)| !matches!(name.as_str(), "id" | "version"));
            row.extend(named.map(|(name, value)| (name.clone(), value.clone())));
        }
        row["version"] = json!(version + 1);
        self.put(id, row);
        self.show(id, fields);
        self.rows.get(&id)
    }
}

/// What the site holds. Its methods are its editors' hands and eyes.
#[derive(Debug, Clone)]
pub struct VisitorSite(Arc<Mutex<Pages>>);

impl VisitorSite {
    pub(crate) fn new() -> Self {
        let rows: Vec<Value> = serde_json::from_str(PAGES).unwrap_or_default();
        let owned = |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect();
        let fields = ["slug", "heading", "teaser", "body", "section", "byline", "topics", "banner"];
        let mut pages =
            Pages { last_id: 9_100, fields: owned(&fields), languages: owned(&["en", "fr", "cy"]), ..Pages::default() };
        for row in rows {
            let id = row["id"].as_u64().unwrap_or_default();
            pages.put(id, row);
            pages.show(id, &Map::from_iter([("status".to_owned(), json!("live"))]));
        }
        VisitorSite(Arc::new(Mutex::new(pages)))
    }

    /// The rows as visitors see them, each with when it was last put on view.
    #[must_use]
    pub fn on_view(&self) -> Vec<(Value, Instant)> {
        lock(&self.0).on_view.values().cloned().collect()
    }

    /// Every row.
    #[must_use]
    pub fn rows(&self) -> Vec<Value> {
        lock(&self.0).rows.values().cloned().collect()
    }

    /// The rows of that slug.
    #[must_use]
    pub fn with_slug(&self, slug: &str) -> Vec<Value> {
        let pages = lock(&self.0);
        pages.by_slug.get(slug).into_iter().flatten().filter_map(|id| pages.rows.get(id)).cloned().collect()
    }

    /// Changes a row by hand, behind the hub's back.
    pub fn edit(&self, id: u64, fields: &Value) {
        if let Some(fields) = fields.as_object() {
            lock(&self.0).change(id, fields);
        }
    }

    /// Locks a row as that person, since then.
    pub fn lock(&self, id: u64, who: &str, since: &str) {
        lock(&self.0).locks.insert(id, (who.to_owned(), since.to_owned()));
    }

    /// Unlocks a row.
    pub fn unlock(&self, id: u64) {
        lock(&self.0).locks.remove(&id);
    }

    /// Who has a row locked.
    #[must_use]
    pub fn locked_by(&self, id: u64) -> Option<String> {
        lock(&self.0).locks.get(&id).map(|(who, _)| who.clone())
    }

    /// Shows a picture at `/pictures/NAME`.
    pub fn show_picture(&self, name: &str, media: &str, bytes: &[u8]) {
        lock(&self.0).pictures.insert(name.to_owned(), (media.to_owned(), bytes.to_vec()));
    }

    /// The files that were delivered: hash, id and size.
    #[must_use]
    pub fn media(&self) -> Vec<(String, u64, usize)> {
        lock(&self.0).media.iter().map(|(hash, (id, size))| (hash.clone(), *id, *size)).collect()
    }

    /// How many creations had a key of their own.
    #[must_use]
    pub fn keyed_creations(&self) -> usize {
        lock(&self.0).keys.len()
    }

    /// How often a lock was renewed.
    #[must_use]
    pub fn renewals(&self) -> u64 {
        lock(&self.0).renewals
    }

    /// Gives its pages another field.
    pub fn learn_field(&self, field: &str) {
        lock(&self.0).fields.insert(field.to_owned());
    }

    /// Takes a field and a language out of the site's model.
    pub fn forget_model(&self, field: &str, language: &str) {
        let mut pages = lock(&self.0);
        pages.fields.remove(field);
        pages.languages.remove(language);
    }

    /// Deletes a row by hand.
    pub fn delete(&self, id: u64) {
        lock(&self.0).remove(id);
    }
}

#[derive(Debug, Deserialize)]
struct PageQuery {
    slug: Option<String>,
    lang: Option<String>,
}

pub(crate) fn routes(site: VisitorSite) -> Router {
    Router::new()
        .route("/api/pages", get(list).post(create))
        .route("/api/pages/{id}", get(one).patch(update).delete(delete))
        .route("/api/pages/batch", post(batch))
        .route("/api/pages/publish", post(publish_many))
        .route("/api/pages/{id}/publish", post(publish))
        .route("/api/media", get(find_media).post(take_media))
        .route("/pictures/{name}", get(picture))
        .route("/api/types/{name}", get(show_type))
        .route("/api/types/{name}/fields", post(make_field))
        .route("/api/languages", get(languages).post(make_language))
        .route("/api/pages/{id}/lock/renew", post(renew_lock))
        .route("/api/pages/{id}/lock", get(who_locks).post(take_lock).delete(release_lock))
        .with_state(site)
}

async fn list(State(site): State<VisitorSite>, Query(wanted): Query<PageQuery>) -> Response {
    let meets = |wanted: &Option<String>, value: &Value| wanted.as_deref().is_none_or(|text| value == text);
    let mut rows = wanted.slug.as_deref().map_or_else(|| site.rows(), |slug| site.with_slug(slug));
    rows.retain(|row| meets(&wanted.lang, &row["lang"]));
    Json(json!({ "pages": rows })).into_response()
}

async fn one(State(site): State<VisitorSite>, Path(id): Path<u64>) -> Response {
    match lock(&site.0).rows.get(&id) {
        Some(row) => answer(StatusCode::OK, row),
        None => problem(StatusCode::NOT_FOUND, "no such page"),
    }
}

async fn create(State(site): State<VisitorSite>, headers: HeaderMap, Json(body): Json<Map<String, Value>>) -> Response {
    if !bears(&headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not write pages");
    }
    let heading = body.get("heading").and_then(Value::as_str).unwrap_or_default();
    if heading.chars().count() > 90 {
        return problem(StatusCode::UNPROCESSABLE_ENTITY, "heading: at most 90 characters");
    }
    let mut pages = lock(&site.0);
    let key = headers.get("idempotency-key").and_then(|value| value.to_str().ok()).map(str::to_owned);
    if let Some(row) = key.as_ref().and_then(|key| pages.keys.get(key)).and_then(|id| pages.rows.get(id)) {
        return answer(StatusCode::OK, row);
    }
    pages.last_id += 1;
    let id = pages.last_id;
    pages.keys.extend(key.map(|key| (key, id)));
    let mut row = Map::from_iter([("id".to_owned(), json!(id)), ("item".to_owned(), json!(format!("item-{id}")))]);
    row.extend(body);
    row.insert("version".to_owned(), json!(1));
    let row = Value::Object(row);
    pages.put(id, row.clone());
    pages.show(id, row.as_object().unwrap_or(&Map::new()));
    answer(StatusCode::CREATED, &row)
}

async fn update(
    State(site): State<VisitorSite>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Json(body): Json<Map<String, Value>>,
) -> Response {
    with_row(&site, id, &headers, |pages| {
        pages.change(id, &body).map_or_else(|| StatusCode::NOT_FOUND.into_response(), |row| answer(StatusCode::OK, row))
    })
}

async fn publish(State(site): State<VisitorSite>, Path(id): Path<u64>, headers: HeaderMap) -> Response {
    let live = Map::from_iter([("status".to_owned(), json!("live"))]);
    update(State(site), Path(id), headers, Json(live)).await
}

/// Several at once, each by its `id` and the version that it is put on view in.
async fn publish_many(State(site): State<VisitorSite>, headers: HeaderMap, Json(mut body): Json<Value>) -> Response {
    for page in body["pages"].as_array_mut().into_iter().flatten() {
        page["status"] = json!("live");
    }
    batch(State(site), headers, Json(body)).await
}

async fn delete(State(site): State<VisitorSite>, Path(id): Path<u64>, headers: HeaderMap) -> Response {
    with_row(&site, id, &headers, |pages| {
        pages.remove(id);
        pages.on_view.remove(&id);
        pages.locks.remove(&id);
        StatusCode::NO_CONTENT.into_response()
    })
}

/// Several pages at once: those with an `id` are changed, the others made; each has its own result.
async fn batch(State(site): State<VisitorSite>, headers: HeaderMap, Json(body): Json<Value>) -> Response {
    let mut results = Vec::new();
    for mut page in body["pages"].as_array().cloned().unwrap_or_default() {
        let members = page.as_object_mut().map(std::mem::take).unwrap_or_default();
        let answer = match members.get("id").and_then(Value::as_u64) {
            None => create(State(site.clone()), headers.clone(), Json(members)).await,
            Some(id) => {
                let mut headers = headers.clone();
                if let Some(base) = members.get("version").and_then(|base| format!("\"{base}\"").parse().ok()) {
                    headers.insert(header::IF_MATCH, base);
                }
                update(State(site.clone()), Path(id), headers, Json(members)).await
            }
        };
        let status = answer.status().as_u16();
        let bytes = axum::body::to_bytes(answer.into_body(), 1 << 20).await.unwrap_or_default();
        let body: Value = serde_json::from_slice(&bytes).unwrap_or_default();
        let part = if status < 300 { "page" } else { "problem" };
        let mut result = json!({ "status": status, part: body });
        if let Some(detail) = result["problem"]["detail"].as_str().map(str::to_owned) {
            result["detail"] = detail.into();
        }
        results.push(result);
    }
    Json(json!({ "results": results })).into_response()
}

/// A change needs the write token, and the version it is based on.
fn with_row(site: &VisitorSite, id: u64, headers: &HeaderMap, change: impl FnOnce(&mut Pages) -> Response) -> Response {
    if !bears(headers, SITE_WRITE_TOKEN) {
        return problem(StatusCode::FORBIDDEN, "this token may not write pages");
    }
    let mut pages = lock(&site.0);
    let Some(row) = pages.rows.get(&id) else {
        return problem(StatusCode::NOT_FOUND, "no such page");
    };
    if let Some((holder, _)) = pages.locks.get(&id).filter(|(holder, _)| holder != HUB) {
        return problem(StatusCode::LOCKED, &format!("{holder} is editing this page"));
    }
    let based_on = headers.get(header::IF_MATCH).and_then(|value| value.to_str().ok());
    if based_on.is_none() {
        return problem(StatusCode::PRECONDITION_REQUIRED, "say with If-Match which version the change is based on");
    }
    if based_on != Some(&etag(row)) {
        return problem(StatusCode::PRECONDITION_FAILED, "the page was changed since");
    }
    change(&mut pages)
}

fn etag(row: &Value) -> String {
    format!("\"{}\"", row["version"])
}

fn answer(status: StatusCode, row: &Value) -> Response {
    (status, [(header::ETAG, etag(row))], Json(row.clone())).into_response()
}
