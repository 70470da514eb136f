//! The recipes of `docs/recipes`, run against stand-ins of their shape.

mod headless;
mod json_shapes;
mod keeper;
mod older_xml;

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{Method, StatusCode, Uri};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use rusqlite::Connection;
use serde_json::{Value as Json, json};

use crate::harness::{HubFolder, Ran, bare, ran, served};

/// A hub of the files of a recipe: each block of the page that names one.
fn hub_of(recipe: &str) -> HubFolder {
    let page = format!("{}/../../docs/recipes/{recipe}.md", env!("CARGO_MANIFEST_DIR"));
    let page = std::fs::read_to_string(page).unwrap();
    let hub = HubFolder::new(&[]);
    for block in ["```toml ", "```graphql "].iter().flat_map(|fence| page.split(fence).skip(1)) {
        let (name, rest) = block.split_once('\n').unwrap();
        hub.write(name, rest.split("```").next().unwrap());
    }
    hub
}

fn run(hub: &HubFolder, args: &[&str], variables: &[(&str, &str)]) -> Ran {
    ran(bare(args).current_dir(hub.path()).envs(variables.iter().copied()).output().unwrap())
}

fn json_of(hub: &HubFolder, args: &[&str], variables: &[(&str, &str)]) -> Json {
    let args: Vec<&str> = args.iter().copied().chain(["--format", "json"]).collect();
    let ran = run(hub, &args, variables);
    serde_json::from_str(&ran.stdout).unwrap_or_else(|_| panic!("{}{}", ran.stdout, ran.stderr))
}

/// What a recipe says of itself: sound, everything once, and nothing the second time.
fn is_run(hub: &HubFolder, variables: &[(&str, &str)], entries: u64) {
    run(hub, &["check"], variables).ends(0);
    assert_eq!(json_of(hub, &["pull"], variables)["new"], entries);
    assert_eq!(json_of(hub, &["push"], variables)["created"], entries);
    assert_eq!(json_of(hub, &["pull"], variables)["changed"], 0);
    assert_eq!(json_of(hub, &["push"], variables)["requests"], 0);
}

/// Wrapped documents by kind and identifier.
type Wrapped = Arc<Mutex<BTreeMap<(String, String), Json>>>;

async fn wrapped(State(kept): State<Wrapped>, method: Method, uri: Uri, body: String) -> Response {
    let mut kept = kept.lock().unwrap();
    let mut steps = uri.path().trim_start_matches('/').splitn(2, '/');
    let (kind, id) = (steps.next().unwrap_or_default().to_owned(), steps.next().map(str::to_owned));
    let query: BTreeMap<String, String> =
        url::form_urlencoded::parse(uri.query().unwrap_or_default().as_bytes()).into_owned().collect();
    let sent: Json = serde_json::from_str(&body).unwrap_or_default();
    let answer = match (&method, id) {
        (&Method::GET, None) => {
            let of = kept.iter().filter(|((of, _), _)| *of == kind).map(|(_, document)| document);
            let of = of.filter(|one| query.get("filter[slug]").is_none_or(|slug| one["attributes"]["slug"] == *slug));
            let (all, start): (Vec<&Json>, usize) =
                (of.collect(), query.get("start").map_or(0, |at| at.parse().unwrap()));
            let next = (start + 2 < all.len()).then(|| format!("/{kind}?start={}", start + 2));
            json!({ "data": all.iter().skip(start).take(2).collect::<Vec<_>>(), "links": { "next": next } })
        }
        (&Method::POST, None) if sent["data"]["type"] == kind.as_str() => {
            let id = (kept.len() + 100).to_string();
            let document =
                json!({ "type": kind, "id": id, "attributes": sent["data"]["attributes"], "meta": { "version": 1 } });
            kept.insert((kind, id), document.clone());
            json!({ "data": document })
        }
        (method, Some(id)) => {
            let Some(document) = kept.get_mut(&(kind.clone(), id.clone())) else {
                return StatusCode::NOT_FOUND.into_response();
            };
            match *method {
                Method::GET => {}
                Method::PATCH if sent["data"]["id"] == id.as_str() && sent["data"]["type"] == kind.as_str() => {
                    for (name, value) in sent["data"]["attributes"].as_object().unwrap() {
                        document["attributes"][name] = value.clone();
                    }
                    document["meta"]["version"] = json!(document["meta"]["version"].as_u64().unwrap() + 1);
                }
                Method::DELETE => return StatusCode::NO_CONTENT.into_response(),
                _ => return StatusCode::UNPROCESSABLE_ENTITY.into_response(),
            }
            json!({ "data": document })
        }
        _ => return StatusCode::UNPROCESSABLE_ENTITY.into_response(),
    };
    answer.to_string().into_response()
}

#[test]
fn wrapped_documents() {
    let kept = Wrapped::default();
    for number in 1..=5 {
        let document = json!({ "type": "plants", "id": number.to_string(), "attributes": { "title": format!("Plant {number}") }, "meta": { "version": 1 } });
        kept.lock().unwrap().insert(("plants".to_owned(), number.to_string()), document);
    }
    let (url, _runtime) = served(Router::new().fallback(any(wrapped)).with_state(kept.clone()));
    let variables = [("ARCHIVE_URL", url.as_str()), ("SITE_URL", url.as_str())];
    let hub = hub_of("wrapped-documents");
    // The profile reads plants of both systems.
    run(&hub, &["check"], &variables).ends(0);
    assert_eq!(json_of(&hub, &["pull", "archive"], &variables)["new"], 5);
    assert_eq!(json_of(&hub, &["push"], &variables)["created"], 5);
    kept.lock().unwrap().get_mut(&("plants".to_owned(), "3".to_owned())).unwrap()["attributes"]["title"] =
        json!("Fern");
    run(&hub, &["pull", "archive"], &variables).ends(0);
    hub.alter("slug  = 'title | slug'", "slug  = '\"plant-\" + entry.id'");
    let told = json_of(&hub, &["push"], &variables);
    assert_eq!(told["failed"].as_u64().unwrap_or_default(), 0, "{told}");
    assert_eq!(json_of(&hub, &["push"], &variables)["requests"], 0);
}

#[test]
fn a_database_table() {
    let hub = hub_of("database-table");
    let garden = Connection::open(hub.path().join("garden.db")).unwrap();
    garden
        .execute_batch(
            "CREATE TABLE plants (id INTEGER PRIMARY KEY, title_en TEXT, title_fr TEXT, topics TEXT, changed_at TEXT, removed_at TEXT);
             INSERT INTO plants VALUES (1, 'Fern', 'Fougère', 'wet,rare', '2026-05-01T09:00:00Z', NULL),
                 (2, 'Moss', 'Mousse', 'wet', '2026-05-01T09:00:00Z', NULL)",
        )
        .unwrap();
    let site = Connection::open(hub.path().join("site.db")).unwrap();
    site.execute_batch(
        "CREATE TABLE pages (id INTEGER PRIMARY KEY, slug TEXT UNIQUE, title TEXT, version INTEGER);
         CREATE TABLE page_topics (page INTEGER REFERENCES pages (id), place INTEGER, topic TEXT)",
    )
    .unwrap();
    is_run(&hub, &[], 2);
    let topics = || -> Vec<String> {
        let mut asked = site
            .prepare("SELECT slug || ' ' || topic FROM page_topics JOIN pages ON id = page ORDER BY slug, place")
            .unwrap();
        asked.query_map([], |row| row.get(0)).unwrap().map(Result::unwrap).collect()
    };
    assert_eq!(topics(), ["fern wet", "fern rare", "moss wet"]);
    garden.execute_batch("UPDATE plants SET removed_at = '2026-05-02T09:00:00Z' WHERE id = 1").unwrap();
    json_of(&hub, &["pull", "--allow-gone", "1"], &[]);
    assert_eq!(json_of(&hub, &["push", "--allow-removals", "1"], &[])["deleted"], 1);
    assert_eq!(topics(), ["moss wet"]);
}

async fn outbox(uri: Uri) -> String {
    let page = uri.query().unwrap_or_default();
    let activity = |number: u32| json!({ "type": "Create", "id": format!("urn:a:{number}"), "object": { "id": format!("urn:note:{number}"), "content": format!("<p>Note {number}</p>"), "published": format!("2026-05-0{number}T09:00:00Z") } });
    let (items, next) = match page {
        "page=true" => ([1, 2], Json::from("/outbox?page=true&max=2")),
        _ => ([3, 4], Json::Null),
    };
    json!({ "type": "OrderedCollectionPage", "orderedItems": items.map(activity), "next": next }).to_string()
}

#[test]
fn an_outbox_of_activities() {
    let (url, _runtime) = served(Router::new().fallback(any(outbox)));
    let hub = hub_of("activity-outbox");
    std::fs::create_dir_all(hub.path().join("pages")).unwrap();
    is_run(&hub, &[("HERBARIUM_URL", url.as_str())], 4);
    let written = std::fs::read_dir(hub.path().join("pages/notes")).unwrap().count();
    assert_eq!(written, 4);
}
