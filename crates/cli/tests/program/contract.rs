//! What every kind must do, as a source and as a destination: the same few days at each of them. A kind
//! says what it cannot tell.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::routing::any;
use serde_json::{Value as Json, json};
use tempfile::TempDir;

use crate::harness::{HubFolder, served};
use crate::servers::{curl, peer, python_peer};

/// The entries of a source, each with its id and title.
pub(crate) type Plants<'a> = &'a [(&'a str, &'a str)];

type Put = Box<dyn Fn(&HubFolder, Plants<'_>)>;
type Spoil = Box<dyn Fn(&HubFolder)>;
pub(crate) type TitleOf = Box<dyn Fn(&str) -> Option<String>>;
pub(crate) type Retitle = Box<dyn Fn(&str, &str)>;

/// A source in a hub called `hub`, of the system `source`.
pub(crate) struct Source {
    pub(crate) hub: HubFolder,
    /// Makes the source hold these entries.
    pub(crate) put: Put,
    /// Makes it answer with something that is none of its answers; none where nothing but its server could.
    pub(crate) spoil: Option<Spoil>,
    /// Whether what its listing lacks is gone.
    pub(crate) tells_what_is_gone: bool,
    /// Whether it tells of what did not change.
    pub(crate) tells_what_stayed: bool,
}

const FIRST: Plants<'static> = &[("1", "Fern"), ("2", "Moss"), ("3", "Yew")];

pub(crate) fn lives_up_to_it(source: &Source) {
    let Source { hub, put, spoil, tells_what_is_gone, tells_what_stayed } = source;
    let stayed = |count: u64| if *tells_what_stayed { count } else { 0 };
    let pull = || hub.json(&["pull", "source", "--allow-gone", "3"]);
    let counts = |told: &Json| ["new", "changed", "unchanged", "gone"].map(|count| told[count].as_u64().unwrap());
    let titles = || {
        let rows = hub.json(&["entries", "--columns", "title", "--state", "live"]);
        let mut titles: Vec<String> =
            rows.as_array().unwrap().iter().map(|row| row["title"].as_str().unwrap().to_owned()).collect();
        titles.sort();
        titles.join(" ")
    };
    put(hub, FIRST);
    assert_eq!(counts(&pull()), [3, 0, 0, 0], "a first pull");
    assert_eq!(counts(&pull()), [0, 0, stayed(3), 0], "the same again");
    put(hub, &[("1", "Fern"), ("2", "Peat moss"), ("3", "Yew")]);
    assert_eq!(counts(&pull()), [0, 1, stayed(2), 0], "one was changed");
    assert_eq!(titles(), "Fern Peat moss Yew");
    if let Some(spoil) = spoil {
        spoil(hub);
        let ran = hub.run(&["pull", "source", "--allow-gone", "3"]);
        assert!(matches!(ran.code, Some(1 | 3)), "what is no answer is told: {}{}", ran.stdout, ran.stderr);
        assert_eq!(titles(), "Fern Peat moss Yew", "nothing is taken from it");
    }
    put(hub, &[("1", "Fern"), ("2", "Peat moss")]);
    let gone = u64::from(*tells_what_is_gone);
    assert_eq!(counts(&pull())[3], gone, "one went");
    assert_eq!(titles(), if *tells_what_is_gone { "Fern Peat moss" } else { "Fern Peat moss Yew" });
    put(hub, &[("1", "Fern"), ("2", "Peat moss"), ("3", "Yew")]);
    pull();
    assert_eq!(titles(), "Fern Peat moss Yew", "it came back");
    assert_eq!(counts(&pull()), [0, 0, stayed(3), 0], "and nothing is left to do");
}

pub(crate) fn system(kind: &str, settings: &str) -> String {
    format!("[systems.source]\nkind = \"{kind}\"\n{settings}\n")
}

pub(crate) const FIELDS: &str = "[types.plant.fields]\ntitle = \"text\"\n[types.plant.read]\n";

#[test]
fn feed() {
    let hub = HubFolder::new(&[("diaporos.toml", &system("feed", "feeds = { garden = \"file:garden.rss\" }"))]);
    let put = |hub: &HubFolder, plants: Plants<'_>| {
        let item = |(id, title): &(&str, &str)| format!("<item><guid>{id}</guid><title>{title}</title></item>");
        let items: String = plants.iter().map(item).collect();
        hub.write("garden.rss", &format!("<rss version=\"2.0\"><channel><title>T</title>{items}</channel></rss>"));
    };
    let spoil = |hub: &HubFolder| hub.write("garden.rss", "<html><body>Please log in</body></html>");
    // A feed is a window: what leaves it is not gone.
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: false,
        tells_what_stayed: true,
    });
}

#[test]
fn ninjs() {
    let hub = HubFolder::new(&[("diaporos.toml", &(system("ninjs", "documents = { today = \"today.json\" }")))]);
    let put = |hub: &HubFolder, plants: Plants<'_>| {
        let item = |(id, title): &(&str, &str)| json!({ "uri": id, "type": "text", "title": title, "headline": title });
        hub.write("today.json", &Json::Array(plants.iter().map(item).collect()).to_string());
    };
    let spoil = |hub: &HubFolder| hub.write("today.json", "<html>Please log in</html>");
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: false,
        tells_what_stayed: true,
    });
}

/// Keeps the files of a folder as the entries are.
pub(crate) fn put_files(folder: &std::path::Path, plants: Plants<'_>) {
    let _ = std::fs::remove_dir_all(folder);
    std::fs::create_dir_all(folder).unwrap();
    for (id, title) in plants {
        std::fs::write(folder.join(format!("{id}.json")), json!({ "title": title }).to_string()).unwrap();
    }
}

#[test]
fn files() {
    let hub = HubFolder::new(&[
        ("diaporos.toml", &system("files", "folder = \"plants\"\nprofile = \"profile.toml\"")),
        ("profile.toml", &format!("{FIELDS}files = \"*.json\"\n")),
    ]);
    let put = |hub: &HubFolder, plants: Plants<'_>| put_files(&hub.path().join("plants"), plants);
    let spoil = |hub: &HubFolder| hub.write("plants/2.json", "{ \"title\": ");
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: true,
        tells_what_stayed: true,
    });
}

/// A server that answers everything with the same text.
fn saying() -> (String, Arc<Mutex<String>>, tokio::runtime::Runtime) {
    let said = Arc::new(Mutex::new(String::new()));
    let answer = said.clone();
    let say = move || async move { answer.lock().unwrap().clone() };
    let (url, runtime) = served(Router::new().fallback(any(say)));
    (url, said, runtime)
}

fn items(plants: Plants<'_>) -> Json {
    plants.iter().map(|(id, title)| json!({ "id": id, "title": title })).collect()
}

#[test]
fn rest() {
    let (url, said, _runtime) = saying();
    let hub = HubFolder::new(&[
        ("diaporos.toml", &system("rest", &format!("url = \"{url}\"\nprofile = \"profile.toml\"\nretries = 0"))),
        ("profile.toml", &format!("{FIELDS}list = \"/plants\"\nitems = \"$.plants[*]\"\nid = \"$.id\"\n")),
    ]);
    let spoiled = said.clone();
    let put = move |_: &HubFolder, plants: Plants<'_>| {
        *said.lock().unwrap() = json!({ "plants": items(plants) }).to_string();
    };
    let spoil = move |_: &HubFolder| "<html>Please log in</html>".clone_into(&mut spoiled.lock().unwrap());
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: true,
        tells_what_stayed: true,
    });
}

#[test]
fn graphql() {
    let (url, said, _runtime) = saying();
    let hub = HubFolder::new(&[
        ("diaporos.toml", &system("graphql", &format!("url = \"{url}\"\nprofile = \"profile.toml\"\nretries = 0"))),
        ("profile.toml", &format!("{FIELDS}query = \"q.graphql\"\nitems = \"$.data.plants[*]\"\nid = \"$.id\"\n")),
        ("q.graphql", "query { plants { id title } }"),
    ]);
    let spoiled = said.clone();
    let put = move |_: &HubFolder, plants: Plants<'_>| {
        *said.lock().unwrap() = json!({ "data": { "plants": items(plants) } }).to_string();
    };
    let spoil = move |_: &HubFolder| {
        let failed = json!({ "data": { "plants": null }, "errors": [{ "message": "the shelf is closed" }] });
        *spoiled.lock().unwrap() = failed.to_string();
    };
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: true,
        tells_what_stayed: true,
    });
}

#[test]
fn webdav() {
    let site = TempDir::new().unwrap();
    let Some(server) = python_peer("webdav.py", &[site.path().to_str().unwrap()]) else { return };
    let reached = format!(
        "url = \"{}\"\nprofile = \"profile.toml\"\nread = {{ basic = {{ user = \"hub\", password = \"env:SECRET\" }} }}",
        server.url
    );
    let hub = HubFolder::new(&[
        ("diaporos.toml", &system("webdav", &reached)),
        ("profile.toml", &format!("{FIELDS}files = \"plants/*.json\"\nid = \"$.id\"\n")),
    ]);
    let folder = site.path().join("plants");
    let spoiled = folder.join("2.json");
    let put = move |_: &HubFolder, plants: Plants<'_>| {
        put_files(&folder, plants);
        for (id, title) in plants {
            let text = json!({ "id": id, "title": title }).to_string();
            std::fs::write(folder.join(format!("{id}.json")), text).unwrap();
        }
    };
    let spoil = move |_: &HubFolder| std::fs::write(&spoiled, "{ \"title\": ").unwrap();
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: true,
        tells_what_stayed: true,
    });
}

#[test]
fn docstore() {
    let Some(server) = peer("docstore.mjs", &[]) else { return };
    let hub = HubFolder::new(&[
        ("diaporos.toml", &system("docstore", &format!("url = \"{}/kiosk\"\nprofile = \"profile.toml\"", server.url))),
        ("profile.toml", &format!("{FIELDS}where = {{ type = \"plant\" }}\n")),
    ]);
    let url = server.url.clone();
    let put = move |_: &HubFolder, plants: Plants<'_>| {
        for id in ["1", "2", "3"] {
            let address = format!("{url}/kiosk/{id}");
            let now: Json = serde_json::from_str(&curl(&[&address])).unwrap();
            let known = now["_rev"].as_str().map(str::to_owned);
            match (plants.iter().find(|(known, _)| *known == id), known) {
                (Some((_, title)), rev) if now["title"] != *title => {
                    let mut document = json!({ "type": "plant", "title": title });
                    rev.into_iter().for_each(|rev| document["_rev"] = Json::String(rev));
                    let body = document.to_string();
                    curl(&["-X", "PUT", "-H", "Content-Type: application/json", "-d", &body, &address]);
                }
                (None, Some(rev)) => drop(curl(&["-X", "DELETE", &format!("{address}?rev={rev}")])),
                _ => {}
            }
        }
    };
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: None,
        tells_what_is_gone: true,
        tells_what_stayed: false,
    });
}

/// A destination of the lane `out`, which takes the plants of a folder, in a hub of its own.
pub(crate) struct Destination {
    pub(crate) hub: HubFolder,
    /// The title of the page with a slug; none where it is not there.
    pub(crate) title: TitleOf,
    /// Makes somebody else change a page's title.
    pub(crate) retitle: Retitle,
}

pub(crate) fn takes_what_it_is_sent(destination: &Destination) {
    let Destination { hub, title, retitle } = destination;
    let plants = |plants: Plants<'_>| {
        put_files(&hub.path().join("plants"), plants);
        hub.json(&["pull", "garden", "--allow-gone", "3"]);
    };
    let push = || hub.json(&["push", "out", "--allow-removals", "3"]);
    let counts = |told: &Json| {
        ["created", "updated", "deleted", "held", "failed"].map(|count| told[count].as_u64().unwrap_or_default())
    };
    let now = || ["1", "2", "3"].map(|slug| title(slug).unwrap_or_default()).join(", ");
    plants(FIRST);
    assert_eq!(counts(&push()), [3, 0, 0, 0, 0], "all is new");
    assert_eq!(now(), "Fern, Moss, Yew");
    assert_eq!(push()["requests"], 0, "the same again");
    plants(&[("1", "Fern"), ("2", "Peat moss"), ("3", "Yew")]);
    assert_eq!(counts(&push()), [0, 1, 0, 0, 0], "one was changed");
    assert_eq!(now(), "Fern, Peat moss, Yew");

    // What somebody else wrote stays, and is told.
    retitle("1", "Their fern");
    let seen = hub.run(&["push", "out", "--verify"]).ends(3);
    assert!(seen.stdout.contains("title"), "{}", seen.stdout);
    assert_eq!(now(), "Their fern, Peat moss, Yew");
    plants(&[("1", "Royal fern"), ("2", "Peat moss"), ("3", "Yew")]);
    assert_eq!(counts(&push())[3], 1, "both changed it");
    assert_eq!(now(), "Their fern, Peat moss, Yew");
    hub.run(&["resolve", "garden/plant/1", "--take", "title=ours"]).ends(0);
    push();
    assert_eq!(now(), "Royal fern, Peat moss, Yew");

    plants(&[("1", "Royal fern"), ("2", "Peat moss")]);
    assert_eq!(counts(&push()), [0, 0, 1, 0, 0], "one went");
    assert_eq!(now(), "Royal fern, Peat moss, ");
    assert_eq!(push()["requests"], 0, "and nothing is left to do");
}

/// A hub from a folder of plants to a destination, and the destination's profile.
pub(crate) fn hub_to(kind: &str, settings: &str, write: &str) -> HubFolder {
    let config = format!(
        "[systems.garden]\nkind = \"files\"\nfolder = \"plants\"\nprofile = \"plants.toml\"\n[systems.site]\nkind = \"{kind}\"\n{settings}\nprofile = \"site.toml\"\n[lanes.out]\nfrom = \"garden/plant\"\nto = \"site/page\"\nmatch = \"slug\"\ngone = \"delete\"\n[lanes.out.fields]\nslug = 'entry.id'\ntitle = 'title'\n"
    );
    let site = format!("[types.page.fields]\nslug = \"text\"\ntitle = \"text\"\n[types.page.write]\n{write}\n");
    HubFolder::new(&[
        ("diaporos.toml", &config),
        ("plants.toml", &format!("{FIELDS}files = \"*.json\"\n")),
        ("site.toml", &site),
    ])
}

/// The title of a page that is a file of JSON, and how a hand changes it.
type Hands = (TitleOf, Retitle);

fn json_files(folder: std::path::PathBuf) -> Hands {
    let other = folder.clone();
    let read = move |slug: &str| -> Option<Json> {
        serde_json::from_str(&std::fs::read_to_string(folder.join(format!("{slug}.json"))).ok()?).ok()
    };
    let title = move |slug: &str| Some(read(slug)?["title"].as_str()?.to_owned());
    let retitle = move |slug: &str, title: &str| {
        let file = other.join(format!("{slug}.json"));
        let mut page: Json = serde_json::from_str(&std::fs::read_to_string(&file).unwrap()).unwrap();
        page["title"] = json!(title);
        std::fs::write(file, page.to_string()).unwrap();
    };
    (Box::new(title), Box::new(retitle))
}

#[test]
fn to_files() {
    let hub = hub_to("files", "folder = \"site\"", "place = \"pages/{key}.json\"");
    std::fs::create_dir_all(hub.path().join("site")).unwrap();
    let (title, retitle) = json_files(hub.path().join("site/pages"));
    takes_what_it_is_sent(&Destination { hub, title, retitle });
}

#[test]
fn to_webdav() {
    let site = TempDir::new().unwrap();
    let Some(server) = python_peer("webdav.py", &[site.path().to_str().unwrap()]) else { return };
    let reached =
        format!("url = \"{}\"\nwrite = {{ basic = {{ user = \"hub\", password = \"env:SECRET\" }} }}", server.url);
    let hub = hub_to("webdav", &reached, "place = \"pages/{key}.json\"");
    let (title, retitle) = json_files(site.path().join("pages"));
    takes_what_it_is_sent(&Destination { hub, title, retitle });
}

#[test]
fn to_docstore() {
    let Some(server) = peer("docstore.mjs", &[]) else { return };
    let hub = hub_to("docstore", &format!("url = \"{}/kiosk\"", server.url), "place = \"page:{key}\"");
    let url = server.url.clone();
    let address = move |slug: &str| format!("{url}/kiosk/page:{slug}");
    let at = address.clone();
    let title = move |slug: &str| {
        let page: Json = serde_json::from_str(&curl(&[&at(slug)])).unwrap();
        page["title"].as_str().map(str::to_owned)
    };
    let retitle = move |slug: &str, title: &str| {
        let mut page: Json = serde_json::from_str(&curl(&[&address(slug)])).unwrap();
        page["title"] = json!(title);
        curl(&["-X", "PUT", "-H", "Content-Type: application/json", "-d", &page.to_string(), &address(slug)]);
    };
    takes_what_it_is_sent(&Destination { hub, title: Box::new(title), retitle: Box::new(retitle) });
}

/// Pages by number, as a server of JSON keeps them: with a version, and no more.
type Pages = Arc<Mutex<std::collections::BTreeMap<u64, Json>>>;

async fn kept(
    axum::extract::State(pages): axum::extract::State<Pages>,
    method: axum::http::Method,
    uri: axum::http::Uri,
    body: String,
) -> (axum::http::StatusCode, axum::Json<Json>) {
    let mut pages = pages.lock().unwrap();
    let number = uri.path().rsplit('/').next().and_then(|number| number.parse::<u64>().ok());
    let sent: Json = serde_json::from_str(&body).unwrap_or_default();
    let nothing = (axum::http::StatusCode::NOT_FOUND, axum::Json(Json::Null));
    let answer = match (method.as_str(), number) {
        ("GET", None) => {
            let slug = uri.query().and_then(|query| query.strip_prefix("slug=")).unwrap_or_default();
            pages.values().filter(|page| page["slug"] == slug).cloned().collect()
        }
        ("POST", None) => {
            let number = pages.len() as u64 + 1;
            let mut page = sent;
            page["id"] = json!(number);
            pages.insert(number, page.clone());
            page
        }
        ("GET", Some(number)) if pages.contains_key(&number) => pages[&number].clone(),
        ("PATCH", Some(number)) if pages.contains_key(&number) => {
            let page = pages.get_mut(&number).unwrap();
            sent.as_object().unwrap().iter().for_each(|(name, value)| page[name] = value.clone());
            page.clone()
        }
        ("DELETE", Some(number)) if pages.contains_key(&number) => pages.remove(&number).unwrap(),
        _ => return nothing,
    };
    (axum::http::StatusCode::OK, axum::Json(answer))
}

#[test]
fn to_rest() {
    let pages = Pages::default();
    let (url, _runtime) = served(Router::new().fallback(any(kept)).with_state(pages.clone()));
    let calls = "find = \"GET /pages?slug={key}\"\nfound = \"$[*]\"\nread = \"GET /pages/{id}\"\ncreate = \"POST /pages\"\nupdate = \"PATCH /pages/{id}\"\ndelete = \"DELETE /pages/{id}\"\nid = \"$.id\"";
    let hub = hub_to("rest", &format!("url = \"{url}\"\nsettles_within = \"1s\""), calls);
    let touched = pages.clone();
    let title = move |slug: &str| {
        let pages = pages.lock().unwrap();
        Some(pages.values().find(|page| page["slug"] == slug)?["title"].as_str()?.to_owned())
    };
    let retitle = move |slug: &str, title: &str| {
        let mut pages = touched.lock().unwrap();
        pages.values_mut().find(|page| page["slug"] == slug).unwrap()["title"] = json!(title);
    };
    takes_what_it_is_sent(&Destination { hub, title: Box::new(title), retitle: Box::new(retitle) });
}
