//! What is asked for with a body, what is sent as a form, and credentials in more than one part.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{HeaderMap, Method, StatusCode, Uri};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use hmac::{Hmac, KeyInit, Mac};
use serde_json::{Value as Json, json};
use sha2::Sha256;

use crate::harness::{HubFolder, served};

/// A request as it came: its method and path, its headers, its body.
type Asked = (String, HeaderMap, String);
type Log = Arc<Mutex<Vec<Asked>>>;

fn keep(log: &Log, method: &Method, uri: &Uri, headers: &HeaderMap, body: &str) {
    let path = uri.path_and_query().map_or("", |path| path.as_str());
    log.lock().unwrap().push((format!("{method} {path}"), headers.clone(), body.to_owned()));
}

/// A system that is searched by `POST`: five plants, two a page, those that changed at or after a second alone.
async fn searched(State(log): State<Log>, method: Method, uri: Uri, headers: HeaderMap, body: String) -> Response {
    keep(&log, &method, &uri, &headers, &body);
    if uri.path() == "/token" {
        let is_ours = body.contains("client_secret=s3+cret%2F%2B") && body.contains("audience=plants");
        let refreshes = body.contains("grant_type=refresh_token&refresh_token=s3+cret%2F%2B");
        let status = if is_ours && refreshes && !headers.contains_key("authorization") { 200 } else { 401 };
        let token = json!({ "access_token": "t-1", "expires_in": 3600, "refresh_token": "s3 cret/+" });
        return (StatusCode::from_u16(status).unwrap(), token.to_string()).into_response();
    }
    let header = |name: &str| headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default().to_owned();
    if header("authorization") != "Bearer t-1" || header("x-api-key") != "s3 cret/+" {
        return StatusCode::UNAUTHORIZED.into_response();
    }
    let asked: Json = serde_json::from_str(&body).unwrap();
    let from = asked["filter"]["updated"]["from"].as_i64().unwrap_or(0);
    let plants =
        (1..=5).map(|n| json!({ "id": n, "title": format!("Plant {n}"), "updated": 1_777_000_000 + n * 1_000 }));
    let plants: Vec<Json> = plants.filter(|plant| plant["updated"].as_i64().unwrap() >= from).collect();
    let (start, size) = (asked["start"].as_u64().unwrap() as usize, asked["page"]["size"].as_u64().unwrap() as usize);
    let page: Vec<&Json> = plants.iter().skip(start).take(size).collect();
    json!({ "plants": page, "total": plants.len() }).to_string().into_response()
}

#[test]
fn a_listing_is_a_search_with_a_body_and_a_token_comes_by_a_refresh_with_a_key_beside_it() {
    let log = Log::default();
    let (url, _runtime) = served(Router::new().fallback(any(searched)).with_state(log.clone()));
    let oauth = format!(
        "oauth = {{ token = \"{url}/token\", id = \"hub\", secret = \"env:SECRET\", client = \"body\", audience = \"plants\", refresh = \"env:SECRET\" }}"
    );
    let with = "with = { header = { name = \"X-Api-Key\", value = \"env:SECRET\" } }";
    let config = format!(
        "[systems.garden]\nkind = \"rest\"\nurl = \"{url}\"\nprofile = \"garden.toml\"\nread = {{ {oauth}, {with} }}\nretries = 0\n"
    );
    let profile = "[types.plant.read]\nlist = { post = \"/search\", body = { type = \"plant\" } }\nitems = \"$.plants[*]\"\nid = \"$.id\"
paging = { style = \"offset\", parameter = \"$.start\", size = { parameter = \"$.page.size\", items = 2 }, total = \"$.total\" }
since = { parameter = \"$.filter.updated.from\", at = \"$.updated\", form = \"seconds\", overlap = \"0s\", whole_every = \"never\" }\n";
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("garden.toml", profile)]);
    assert_eq!(hub.json(&["pull", "garden"])["new"], 5);
    let bodies = |log: &Log| -> Vec<Json> {
        let log = std::mem::take(&mut *log.lock().unwrap());
        log.iter()
            .filter(|(call, _, _)| call == "POST /search")
            .map(|(_, _, body)| serde_json::from_str(body).unwrap())
            .collect()
    };
    let first = bodies(&log);
    assert_eq!(first[0], json!({ "type": "plant", "start": 0, "page": { "size": 2 } }));
    assert_eq!(first[1]["start"], 2);
    // What did not change is not asked for again.
    let told = hub.json(&["pull", "garden"]);
    assert_eq!((&told["unchanged"], &told["gone"]), (&json!(1), &json!(0)), "{told}");
    assert_eq!(bodies(&log)[0]["filter"], json!({ "updated": { "from": 1_777_005_000 } }));
    let probed = hub.run(&["probe", "garden"]).ends(0);
    assert!(!format!("{}{}", probed.stdout, probed.stderr).contains("s3 cret"), "{}", probed.stdout);
    // A place in a body that the listing does not have is no parameter of its address.
    let garden = std::fs::read_to_string(hub.path().join("garden.toml")).unwrap();
    hub.write("garden.toml", &garden.replace("{ post = \"/search\", body = { type = \"plant\" } }", "\"/plants\""));
    let checked = hub.run(&["check"]).ends(2);
    assert!(checked.stdout.contains("`$.page.size` is a place in a body"), "{}{}", checked.stdout, checked.stderr);
    hub.write("garden.toml", &garden);
    hub.alter("client = \"body\", ", "");
    let told = hub.run(&["pull", "garden"]).ends(1);
    assert!(told.stderr.contains("the token endpoint answered 401"), "{}", told.stderr);
}

/// A site that takes forms, and answers with JSON.
async fn formed(State(log): State<Log>, method: Method, uri: Uri, headers: HeaderMap, body: String) -> Response {
    keep(&log, &method, &uri, &headers, &body);
    let nothing = json!({ "pages": [] }).to_string();
    match (&method, uri.path()) {
        (&Method::GET, "/pages") => nothing.into_response(),
        (&Method::POST, "/pages") => {
            json!({ "id": "7", "title": "Hart's & tongue", "slug": "fern", "tags": ["wet", "rare"] })
                .to_string()
                .into_response()
        }
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}

#[test]
fn a_document_is_sent_as_a_form() {
    for (media, says) in [
        ("application/x-www-form-urlencoded", "title=Hart%27s+%26+tongue&tags=wet&tags=rare"),
        ("multipart/form-data", "Content-Disposition: form-data; name=\"title\"\r\n\r\nHart's & tongue\r\n--form-"),
    ] {
        let log = Log::default();
        let (url, _runtime) = served(Router::new().fallback(any(formed)).with_state(log.clone()));
        let config = format!(
            "[systems.garden]\nkind = \"files\"\nfolder = \"plants\"\nprofile = \"plants.toml\"\n[systems.site]\nkind = \"rest\"\nurl = \"{url}\"\nprofile = \"site.toml\"\nsettles_within = \"1s\"
[lanes.out]\nfrom = \"garden/plant\"\nto = \"site/page\"\nmatch = \"slug\"\ngone = \"keep\"\n[lanes.out.fields]\nslug = 'entry.id'\ntitle = 'title'\ntags = 'tags'\n"
        );
        let site = format!(
            "[types.page.fields]\nslug = \"text\"\ntitle = \"text\"\ntags = {{ kind = \"text\", many = true }}\n[types.page.write]\nfind = \"GET /pages?slug={{key}}\"\nfound = \"$.pages[*]\"\nread = \"GET /pages/{{id}}\"\ncreate = {{ call = \"POST /pages\", media = \"{media}\" }}\nupdate = \"PATCH /pages/{{id}}\"\nid = \"$.id\"\n"
        );
        let plants = "[types.plant.read]\nfiles = \"*.json\"\n";
        let hub = HubFolder::new(&[("diaporos.toml", &config), ("plants.toml", plants), ("site.toml", &site)]);
        hub.write("plants/fern.json", &json!({ "title": "Hart's & tongue", "tags": ["wet", "rare"] }).to_string());
        hub.run(&["pull"]).ends(0);
        let shown = hub.run(&["preview", "out", "garden/plant/fern", "--as-curl"]).ends(0).stdout;
        assert!(shown.contains("title=Hart"), "{shown}");
        assert_eq!(hub.json(&["push", "out"])["created"], 1);
        let log = log.lock().unwrap();
        let (_, headers, body) = log.iter().find(|(call, _, _)| call == "POST /pages").unwrap();
        assert!(headers["content-type"].to_str().unwrap().starts_with(media), "{headers:?}");
        assert!(body.contains(says), "{body}");
    }
}

/// A system that answers only what is signed: the signature is made anew here.
async fn signed(State(log): State<Log>, method: Method, uri: Uri, headers: HeaderMap, body: String) -> Response {
    keep(&log, &method, &uri, &headers, &body);
    let header = |name: &str| headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default().to_owned();
    let text = format!("{method} {}?{} {}", uri.path(), uri.query().unwrap_or_default(), header("x-moment"));
    let mac = <Hmac<Sha256> as KeyInit>::new_from_slice(b"s3 cret/+").unwrap().chain_update(&text).finalize();
    let expected: String = mac.into_bytes().iter().map(|byte| format!("{byte:02x}")).collect();
    if header("authorization") != format!("HMAC hub:{expected}") {
        return StatusCode::UNAUTHORIZED.into_response();
    }
    json!({ "plants": [{ "id": 1, "title": "Fern" }] }).to_string().into_response()
}

#[test]
fn requests_are_signed_by_a_recipe() {
    let log = Log::default();
    let (url, _runtime) = served(Router::new().fallback(any(signed)).with_state(log.clone()));
    let sign = "{ sign = { key = \"env:SECRET\", id = \"hub\", text = \"{method} {path}?{query} {moment}\", header = \"Authorization\", says = \"HMAC {id}:{signature}\", moment = \"seconds\", moment_header = \"X-Moment\" } }";
    let config = format!(
        "[systems.garden]\nkind = \"rest\"\nurl = \"{url}\"\nprofile = \"garden.toml\"\nread = {sign}\nretries = 0\n"
    );
    let profile = "[types.plant.read]\nlist = \"/plants?kind=fern&x=a%20b\"\nitems = \"$.plants[*]\"\nid = \"$.id\"\n";
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("garden.toml", profile)]);
    assert_eq!(hub.json(&["pull", "garden"])["new"], 1);
    let asked = hub.run(&["ask", "garden", "GET /plants", "--as-curl"]).ends(0);
    assert!(!format!("{}{}", asked.stdout, asked.stderr).contains("s3 cret"), "{}", asked.stdout);
    hub.alter("id = \"hub\"", "id = \"other\"");
    hub.run(&["pull", "garden"]).ends(1);
}
