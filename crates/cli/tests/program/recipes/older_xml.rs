//! An older API of XML: a session, pages of HTML for whoever has none, elements and attributes.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{HeaderMap, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use diaporos_core::text::xml::{LIMITS, to_json};
use serde_json::{Value as Json, json};

use super::{hub_of, json_of, run};
use crate::harness::served;

/// Its plants as they are served, its pages as elements, and who is logged in.
#[derive(Default)]
struct Older {
    plants: Vec<String>,
    pages: BTreeMap<u64, Json>,
    session: u32,
    /// How many more requests the session lasts, and how many a new one does.
    lasts: u32,
    each: u32,
    bodies: Vec<String>,
}

type Shared = Arc<Mutex<Older>>;

async fn older(State(older): State<Shared>, method: Method, uri: Uri, headers: HeaderMap, body: String) -> Response {
    let mut older = older.lock().unwrap();
    if uri.path() == "/login" {
        older.session += 1;
        older.lasts = older.each;
        let sent: Json = serde_json::from_str(&body).unwrap();
        let status = if sent["password"] == "s3 cret/+" { StatusCode::NO_CONTENT } else { StatusCode::FORBIDDEN };
        return (status, [(header::SET_COOKIE, format!("sid=s-{}; HttpOnly", older.session))]).into_response();
    }
    let cookie = headers.get(header::COOKIE).and_then(|value| value.to_str().ok()).unwrap_or_default();
    if cookie != format!("sid=s-{}", older.session) || older.lasts == 0 {
        return ([(header::CONTENT_TYPE, "text/html")], "<!doctype html><html><body>Log in</body></html>")
            .into_response();
    }
    older.lasts -= 1;
    let query: BTreeMap<String, String> =
        url::form_urlencoded::parse(uri.query().unwrap_or_default().as_bytes()).into_owned().collect();
    let steps: Vec<&str> = uri.path().trim_matches('/').split('/').collect();
    let text = match (&method, steps.as_slice()) {
        (&Method::GET, ["plants"]) => {
            let (from, most): (usize, usize) = (query["from"].parse().unwrap(), query["most"].parse().unwrap());
            let page: String = older.plants.iter().skip(from).take(most).cloned().collect();
            format!("<?xml version=\"1.0\"?><list total=\"{}\">{page}</list>", older.plants.len())
        }
        (&Method::GET, ["plants", id]) => match id.parse::<usize>().ok().and_then(|id| older.plants.get(id - 1)) {
            Some(plant) => plant.clone(),
            None => return StatusCode::NOT_FOUND.into_response(),
        },
        (&Method::GET, ["pages"]) => {
            let has = |page: &&Json| page["slug"][0]["#text"] == query["slug"].as_str();
            format!("<pages>{}</pages>", older.pages.values().filter(has).map(drawn).collect::<String>())
        }
        (&Method::POST, ["pages"]) => {
            let id = older.pages.len() as u64 + 1;
            older.bodies.push(body.clone());
            let mut page = to_json(&body, LIMITS).unwrap()["page"].clone();
            (page["@id"], page["@version"]) = (json!(id.to_string()), json!("1"));
            older.pages.insert(id, page.clone());
            drawn(&page)
        }
        (method, ["pages", id]) => {
            older.bodies.push(body.clone());
            let Some(page) = id.parse().ok().and_then(|id: u64| older.pages.get_mut(&id)) else {
                return StatusCode::NOT_FOUND.into_response();
            };
            if *method == Method::POST {
                let sent = to_json(&body, LIMITS).unwrap();
                for (name, elements) in sent["page"].as_object().unwrap() {
                    page[name] = elements.clone();
                }
                page["@version"] = json!((page["@version"].as_str().unwrap().parse::<u64>().unwrap() + 1).to_string());
            }
            drawn(page)
        }
        _ => return StatusCode::NOT_FOUND.into_response(),
    };
    ([(header::CONTENT_TYPE, "application/xml")], text).into_response()
}

/// A page, with its texts as CDATA and an element that nobody asked for.
fn drawn(page: &Json) -> String {
    let mut elements = String::new();
    for (name, nodes) in page.as_object().unwrap().iter().filter(|(name, _)| !name.starts_with('@')) {
        for node in nodes.as_array().unwrap() {
            let language = node["@xml:lang"].as_str().map(|tag| format!(" xml:lang='{tag}'")).unwrap_or_default();
            let text = node["#text"].as_str().unwrap_or_default();
            elements += &format!("\n  <{name}{language}><![CDATA[{text}]]></{name}>");
        }
    }
    let (id, version) = (page["@id"].as_str().unwrap(), page["@version"].as_str().unwrap());
    format!("<page version=\"{version}\" id=\"{id}\">{elements}\n  <views>12</views></page>")
}

fn plant(id: u32, title: &str, french: &str) -> String {
    format!(
        "<entry id=\"{id}\" version=\"1\"><title xml:lang=\"en\">{title}</title><title xml:lang=\"fr\">{french}</title><topic>wet</topic><topic>rare &amp; old</topic><size>{id}0</size></entry>"
    )
}

#[test]
fn an_older_api_of_xml() {
    let shared = Shared::default();
    shared.lock().unwrap().plants =
        vec![plant(1, "Fern", "Foug&#232;re"), plant(2, "Moss &lt;b&gt;", "Mousse"), plant(3, "Sundew", "Droséra")];
    let (url, _runtime) = served(Router::new().fallback(any(older)).with_state(shared.clone()));
    let variables = [
        ("ARCHIVE_URL", url.as_str()),
        ("SITE_URL", url.as_str()),
        ("ARCHIVE_PASSWORD", "s3 cret/+"),
        ("SITE_PASSWORD", "s3 cret/+"),
    ];
    let hub = hub_of("older-xml");
    // A session that ends between two pages is begun anew.
    shared.lock().unwrap().each = 1;
    assert_eq!(json_of(&hub, &["pull"], &variables)["new"], 3);
    assert!(shared.lock().unwrap().session > 1);
    shared.lock().unwrap().each = 1_000;
    run(&hub, &["check"], &variables).ends(0);
    assert_eq!(json_of(&hub, &["push"], &variables)["created"], 3);
    assert_eq!(json_of(&hub, &["pull"], &variables)["changed"], 0);
    assert_eq!(json_of(&hub, &["push"], &variables)["requests"], 0);
    {
        let older = shared.lock().unwrap();
        let page = older.pages.values().find(|page| page["slug"][0]["#text"] == "fern").unwrap();
        assert_eq!(
            page["title"],
            json!([{ "@xml:lang": "en", "#text": "Fern" }, { "@xml:lang": "fr", "#text": "Fougère" }])
        );
        assert_eq!(page["topic"], json!([{ "#text": "wet" }, { "#text": "rare & old" }]));
        assert_eq!(page["size"], json!([{ "#text": "10" }]));
        assert!(older.bodies.iter().all(|body| body.starts_with("<?xml version=\"1.0\" encoding=\"UTF-8\"?><page>")));
    }
    // What is there is compared as it is meant, whatever form it has.
    let told = json_of(&hub, &["push", "--verify"], &variables);
    assert_eq!((&told["requests"], &told["drifted"]), (&json!(0), &json!(0)), "{told}");
    shared.lock().unwrap().plants[0] = plant(1, "Fern", "Osmonde").replace("<size>10</size>", "<size/>");
    assert_eq!(json_of(&hub, &["pull"], &variables)["changed"], 1);
    assert_eq!(json_of(&hub, &["push"], &variables)["updated"], 1);
    {
        let older = shared.lock().unwrap();
        let page = older.pages.values().find(|page| page["slug"][0]["#text"] == "fern").unwrap();
        assert_eq!((&page["title"][1]["#text"], &page["size"]), (&json!("Osmonde"), &json!([{}])), "{page}");
    }
    // A list that is empty says so; one that is no list does not.
    shared.lock().unwrap().plants.clear();
    let told = run(&hub, &["pull"], &variables);
    assert!(
        format!("{}{}", told.stdout, told.stderr).contains("the source lists nothing"),
        "{}{}",
        told.stdout,
        told.stderr
    );
    run(&hub, &["pull", "archive", "--allow-gone", "3"], &variables).ends(0);
    assert_eq!(json_of(&hub, &["push", "--allow-removals", "3"], &variables)["withdrawn"], 3);
    assert!(shared.lock().unwrap().pages.values().all(|page| page["status"][0]["#text"] == "off"));
    assert_eq!(json_of(&hub, &["push"], &variables)["requests"], 0);
}
