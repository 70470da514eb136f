//! Answers that say one thing and mean another, and what an engineer reads of them.

use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use axum::Router;
use axum::http::{HeaderMap, Method, StatusCode, Uri};
use axum::response::IntoResponse;
use axum::routing::{any, get, post};
use serde_json::json;
use tempfile::TempDir;

use crate::harness::{Ran, hub_of, run, served};

const PLANTS: &str =
    "[types.plant.read]\nfiles = \"plants/*.json\"\n[types.plant.fields]\nkey = \"text\"\ntitle = \"text\"\n";

/// A search, which a stand-in answers with nothing.
const FIND: &str = "find = \"GET /found?key={key}\"\nfound = \"$[*]\"";

async fn nothing() -> axum::Json<serde_json::Value> {
    axum::Json(json!([]))
}

/// A hub of one plant that goes to a board; `write` has the calls of the board's profile.
fn board(url: &str, write: &str) -> TempDir {
    let config = format!(
        "[systems.garden]\nkind = \"files\"\nfolder = \".\"\nprofile = \"plants.toml\"\n\
         [systems.board]\nkind = \"rest\"\nurl = \"{url}\"\nprofile = \"board.toml\"\nretries = 0\n\
         [lanes.notices]\nfrom = \"garden/plant\"\nto = \"board/notice\"\nmatch = \"key\"\ngone = \"keep\"\n\
         [lanes.notices.fields]\nkey = 'key'\ntitle = 'title'\n"
    );
    let profile = format!(
        "[types.notice.fields]\nkey = \"text\"\ntitle = \"text\"\n\
         [types.notice.read]\nlist = \"/notices\"\nitems = \"$[*]\"\nid = \"$.id\"\n\
         [types.notice.write]\nid = \"$.id\"\nread = \"GET /notices/{{id}}\"\nupdate = \"PATCH /notices/{{id}}\"\n{write}\n"
    );
    hub_of(&[
        ("diaporos.toml", &config),
        ("board.toml", &profile),
        ("plants.toml", PLANTS),
        ("plants/1.json", r#"{"key":"fern","title":"Fern"}"#),
    ])
}

fn pushed(folder: &Path) -> Ran {
    let _ = run(folder, &["pull", "garden"], &[]).ends(0);
    run(folder, &["push"], &[])
}

/// A write is led nowhere, and the slash that is missing is named.
#[test]
fn a_closing_slash_is_explained() {
    let moved = |_: Uri| async { (StatusCode::MOVED_PERMANENTLY, [("location", "/notices/")]) };
    let (url, _runtime) = served(Router::new().route("/found", get(nothing)).route("/notices", post(moved)));
    let folder = board(&url, &format!("create = \"POST /notices\"\n{FIND}"));
    assert_ne!(pushed(folder.path()).code, Some(0));
    let told = run(folder.path(), &["holds"], &[]).stdout;
    assert!(told.contains("with 301 to the same path with a closing slash"), "{told}");
}

/// A search under a wrong path answers 404 for all: everything would be made a second time.
#[test]
fn a_search_that_is_not_there_finds_nothing_out() {
    let made = Arc::new(AtomicUsize::new(0));
    let counted = Arc::clone(&made);
    let create = move || {
        let number = counted.fetch_add(1, Ordering::Relaxed) + 1;
        async move { axum::Json(json!({ "id": number.to_string(), "key": "fern", "title": "Fern" })) }
    };
    let (url, _runtime) = served(Router::new().route("/notices", post(create)));
    let write = |find: &str| format!("create = \"POST /notices\"\nfind = {find}\nfound = \"$[*]\"");
    let folder = board(&url, &write("\"GET /notises?key={key}\""));
    let first = pushed(folder.path());
    let told = first.stdout + &first.stderr + &run(folder.path(), &["holds"], &[]).stdout;
    assert!(first.code != Some(0) && told.contains("the search answered 404"), "{told}");
    assert_eq!(made.load(Ordering::Relaxed), 0);

    let folder = board(&url, &write("{ call = \"GET /notises?key={key}\", none = 404 }"));
    let _ = pushed(folder.path()).ends(0);
    assert_eq!(made.load(Ordering::Relaxed), 1, "where the profile says so, 404 is no finding");
}

/// More patience than a run has is told, with the time.
#[test]
fn a_long_wait_is_told_and_not_sat_out() {
    let busy = || async { (StatusCode::TOO_MANY_REQUESTS, [("retry-after", "600")]) };
    let (url, _runtime) = served(Router::new().fallback(busy));
    let folder = board(&url, &format!("create = \"POST /notices\"\n{FIND}"));
    let began = Instant::now();
    let told = run(folder.path(), &["pull", "board"], &[]).ends(1);
    let seen = told.stdout + &told.stderr;
    assert!(seen.contains("it asks to come back later (429, in 600 s)"), "{seen}");
    assert!(began.elapsed() < Duration::from_secs(60));
}

/// A log-in that stands before a WebDAV server's files, without a word in the body that says so.
#[test]
fn a_media_type_is_looked_at() {
    let logged_out = Arc::new(AtomicBool::new(false));
    let out = Arc::clone(&logged_out);
    let answer = move |method: Method, uri: Uri, _headers: HeaderMap| {
        let lapsed = out.load(Ordering::Relaxed);
        async move {
            if method.as_str() == "PROPFIND" {
                let entry = |href: &str, kind: &str| {
                    format!(
                        "<response><href>{href}</href><propstat><prop><resourcetype>{kind}</resourcetype></prop><status>HTTP/1.1 200 OK</status></propstat></response>"
                    )
                };
                let body = format!(
                    "<multistatus xmlns='DAV:'>{}{}{}</multistatus>",
                    entry("/", "<collection/>"),
                    entry("/1.md", ""),
                    entry("/2.md", "")
                );
                return (StatusCode::MULTI_STATUS, [("content-type", "application/xml")], body).into_response();
            }
            let (media, body) = match (lapsed, uri.path()) {
                (true, "/1.md") => ("text/html; charset=utf-8", "<div>Please sign in</div>"),
                (_, "/1.md") => ("text/markdown", "---\ntitle: Fern\n---\nTall.\n"),
                _ => ("text/markdown", "---\ntitle: Moss\n---\nLow.\n"),
            };
            ([("content-type", media)], body).into_response()
        }
    };
    let (url, _runtime) = served(Router::new().fallback(any(answer)));
    let config = format!("[systems.shelf]\nkind = \"webdav\"\nurl = \"{url}\"\nprofile = \"shelf.toml\"\n");
    let profile = "[types.plant.read]\nfiles = \"*.md\"\n[types.plant.fields]\ntitle = \"text\"\nbody = \"markdown\"\n";
    let folder = hub_of(&[("diaporos.toml", &config), ("shelf.toml", profile)]);
    let _ = run(folder.path(), &["pull"], &[]).ends(0);
    logged_out.store(true, Ordering::Relaxed);
    let told = run(folder.path(), &["pull"], &[]);
    assert!(told.code != Some(0) && told.stderr.contains("served as a page of HTML"), "{}", told.stderr);
    let entries = run(folder.path(), &["entries", "--format", "csv"], &[]).stdout;
    assert!(entries.contains("plant/1") && entries.contains("plant/2"), "{entries}");
    assert!(run(folder.path(), &["show", "shelf/plant/1"], &[]).stdout.contains("Tall."));
}

/// A hub whose plants go to files in its folder `site`, with this expression for the key.
fn to_files(key: &str, plants: &[(&str, &str)]) -> TempDir {
    let config = format!(
        "[systems.garden]\nkind = \"files\"\nfolder = \".\"\nprofile = \"plants.toml\"\n\
         [systems.site]\nkind = \"files\"\nfolder = \"site\"\nprofile = \"site.toml\"\n\
         [lanes.out]\nfrom = \"garden/plant\"\nto = \"site/page\"\nmatch = \"slug\"\ngone = \"keep\"\n\
         [lanes.out.fields]\nslug = '{key}'\n"
    );
    let site = "[types.page.fields]\nslug = \"text\"\n[types.page.write]\nplace = \"{key}.json\"\n";
    let files = [("diaporos.toml", config.as_str()), ("plants.toml", PLANTS), ("site.toml", site)];
    hub_of(&[&files[..], plants].concat())
}

/// A slug is the same however the source writes its letters.
#[test]
fn letters_that_are_composed_and_decomposed_make_one_slug() {
    let folder = to_files(
        "title | slug",
        &[
            ("plants/1.json", "{\"title\":\"cre\u{301}puscule\"}"),
            ("plants/2.json", "{\"title\":\"cr\u{e9}puscule du soir\"}"),
        ],
    );
    std::fs::create_dir(folder.path().join("site")).unwrap();
    let _ = pushed(folder.path()).ends(0);
    let named = |file: std::io::Result<std::fs::DirEntry>| file.unwrap().file_name().into_string().unwrap();
    let mut names: Vec<String> = std::fs::read_dir(folder.path().join("site")).unwrap().map(named).collect();
    names.retain(|name| !name.starts_with('.'));
    names.sort();
    assert_eq!(names, ["crepuscule-du-soir.json", "crepuscule.json"]);
}

/// What a destination's tags cannot guard is said by the check that writes.
#[test]
fn weak_tags_are_told_of() {
    let document = json!({ "id": "1", "key": "fern", "title": "Fern" });
    let answer = move |_: Uri| {
        let document = document.clone();
        async move { ([("etag", "W/\"1\"")], axum::Json(document)) }
    };
    let app = Router::new()
        .route("/found", get(nothing))
        .route("/notices", post(answer.clone()))
        .route("/notices/{id}", get(answer.clone()).patch(answer));
    let (url, _runtime) = served(app);
    let folder =
        board(&url, &format!("create = \"POST /notices\"\n{FIND}\nrevision = \"etag\"\nif_match = \"{{revision}}\""));
    let _ = pushed(folder.path()).ends(0);
    let told = run(folder.path(), &["probe", "board", "--write-check"], &[]);
    assert!(told.stdout.contains("gives weak tags"), "{}{}", told.stdout, told.stderr);
}

/// What never left this machine is not counted as sent.
#[test]
fn nothing_is_sent_where_there_is_no_place_for_it() {
    let folder = to_files("key", &[("plants/1.json", r#"{"key":"fern"}"#)]);
    let ran = pushed(folder.path());
    assert!(ran.code != Some(0) && ran.stdout.contains("Nothing was sent: 1 failed"), "{}", ran.stdout);
}

/// A WebDAV server that answers a lock with 409 because a folder is missing, and a folder that somebody
/// else makes at the same moment with 500.
#[test]
fn a_missing_folder_is_no_lock_of_anybodys() {
    let (made, written) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicUsize::new(0)));
    let (folder_made, put) = (Arc::clone(&made), Arc::clone(&written));
    let answer = move |method: Method, uri: Uri| {
        let (there, is_folder) = (folder_made.load(Ordering::Relaxed), uri.path() == "/en/");
        let response = match method.as_str() {
            "MKCOL" => {
                folder_made.store(true, Ordering::Relaxed);
                StatusCode::INTERNAL_SERVER_ERROR.into_response()
            }
            "LOCK" if !there => StatusCode::CONFLICT.into_response(),
            "LOCK" => (StatusCode::CREATED, [("lock-token", "<opaquelocktoken:1>")]).into_response(),
            "PROPFIND" if there && (is_folder || uri.path() == "/en") => {
                let found = "<response><href>/en/</href><propstat><prop/><status>HTTP/1.1 200 OK</status></propstat></response>";
                (StatusCode::MULTI_STATUS, format!("<multistatus xmlns='DAV:'>{found}</multistatus>")).into_response()
            }
            "PROPFIND" => StatusCode::NOT_FOUND.into_response(),
            "GET" if there && put.load(Ordering::Relaxed) == 0 => StatusCode::OK.into_response(),
            "PUT" => {
                put.fetch_add(1, Ordering::Relaxed);
                StatusCode::CREATED.into_response()
            }
            "UNLOCK" => StatusCode::NO_CONTENT.into_response(),
            _ => StatusCode::NOT_FOUND.into_response(),
        };
        async move { response }
    };
    let (url, _runtime) = served(Router::new().fallback(any(answer)));
    let folder = to_files("key", &[("plants/1.json", r#"{"key":"fern"}"#)]);
    let config = std::fs::read_to_string(folder.path().join("diaporos.toml")).unwrap();
    let over_http =
        config.replace("kind = \"files\"\nfolder = \"site\"", &format!("kind = \"webdav\"\nurl = \"{url}\""));
    std::fs::write(folder.path().join("diaporos.toml"), over_http).unwrap();
    let site = std::fs::read_to_string(folder.path().join("site.toml")).unwrap();
    std::fs::write(folder.path().join("site.toml"), site.replace("{key}.json", "en/{key}.json")).unwrap();
    let ran = pushed(folder.path());
    assert!(
        ran.stdout.contains("Sent 1 request that writes: 1 created") && written.load(Ordering::Relaxed) == 1,
        "{}{}",
        ran.stdout,
        ran.stderr
    );
}
