//! GraphQL with drafts, and a news wire.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use serde_json::{Value as Json, json};

use super::keeper::{Told, keeper};
use super::{hub_of, is_run, json_of, run};
use crate::graphql_server::{Wrong, pages_server};
use crate::harness::served;

#[test]
fn a_headless_graphql_with_draft_and_publish() {
    let (source, keeper, _source) = keeper(|_, _| Some(Told::List("plants", 1, Default::default())));
    for (id, title) in [(1, "Fern"), (2, "Moss"), (3, "Sundew")] {
        let plant = json!({ "id": id, "title": title, "tags": ["wet"] });
        keeper.kept.lock().unwrap().put(&format!("plants/{id}"), plant);
    }
    let (url, pages, _server) = pages_server();
    let variables = [("ARCHIVE_URL", source.as_str()), ("SITE_URL", url.as_str())];
    let hub = hub_of("headless-graphql");
    run(&hub, &["check"], &variables).ends(0);
    assert_eq!(json_of(&hub, &["pull", "archive"], &variables)["new"], 3);
    // What is saved and of which nobody knows whether it was shown is shown by the next push, once.
    pages.go_wrong(&[Wrong::AnswerLost]);
    run(&hub, &["push"], &variables);
    run(&hub, &["push"], &variables).ends(0);
    for slug in ["fern", "moss", "sundew"] {
        let there: Vec<String> = pages.with_slug(slug).into_iter().map(|page| page.status).collect();
        assert_eq!(there, ["live"], "{slug}");
    }
    assert_eq!(json_of(&hub, &["push"], &variables)["requests"], 0);
    // It is a source too.
    assert_eq!(json_of(&hub, &["pull", "site"], &variables)["new"], 3);
}

type Wire = Arc<Mutex<Vec<Json>>>;

async fn wire(State(items): State<Wire>, headers: HeaderMap) -> Response {
    let shown = headers.get("authorization").and_then(|value| value.to_str().ok());
    if shown != Some("Bearer s3 cret/+") {
        return StatusCode::UNAUTHORIZED.into_response();
    }
    json!({ "items": *items.lock().unwrap() }).to_string().into_response()
}

#[test]
fn a_news_wire() {
    let item = |id: u32, headline: &str| {
        json!({ "uri": format!("urn:wire:{id}"), "version": "1", "pubstatus": "usable", "headline": headline,
            "body_html": format!("<p>{headline}<script>x()</script></p>"), "place": [{ "name": "Fernhollow" }] })
    };
    let items = Wire::new(Mutex::new(vec![item(1, "Ferns counted"), item(2, "Moss found")]));
    let (url, _runtime) = served(Router::new().route("/", get(wire)).with_state(items.clone()));
    let variables = [("WIRE_URL", url.as_str()), ("WIRE_TOKEN", "s3 cret/+")];
    let hub = hub_of("news-wire");
    hub.write("news/.keep", "");
    is_run(&hub, &variables, 2);
    let story = || std::fs::read_to_string(hub.path().join("news/ferns-counted.json"));
    let read: Json = serde_json::from_str(&story().unwrap()).unwrap();
    assert_eq!((&read["place"], &read["body"]), (&json!("Fernhollow"), &json!("<p>Ferns counted</p>")));
    // What is cancelled goes; what is no longer shown stays.
    items.lock().unwrap()[0]["pubstatus"] = json!("canceled");
    items.lock().unwrap()[0]["version"] = json!("2");
    items.lock().unwrap().truncate(1);
    json_of(&hub, &["pull"], &variables);
    assert_eq!(json_of(&hub, &["push", "--allow-removals", "1"], &variables)["deleted"], 1);
    assert!(story().is_err() && hub.path().join("news/moss-found.json").exists());
}
