//! Feeds as their servers are: each whatever becomes of the others, and asked as it wants to be asked.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use axum::Router;
use axum::body::Body;
use axum::extract::Request;
use axum::http::{Response, StatusCode, header};
use tokio::runtime::Runtime;

use crate::harness::{HubFolder, served};

/// What a path answers: a status, a header, a body.
type Answers = BTreeMap<String, (u16, Option<(&'static str, String)>, String)>;

/// A server of feeds that notes what it is asked for.
struct Feeds {
    url: String,
    answers: Arc<Mutex<Answers>>,
    asked: Arc<Mutex<Vec<String>>>,
    _runtime: Runtime,
}

impl Feeds {
    fn new() -> Feeds {
        let (answers, asked) = (Arc::new(Mutex::new(Answers::new())), Arc::new(Mutex::new(Vec::new())));
        let (known, log) = (answers.clone(), asked.clone());
        let answer = move |request: Request| {
            let (known, log) = (known.clone(), log.clone());
            async move {
                let path = request.uri().path_and_query().unwrap().to_string();
                let with = request.headers().get(header::AUTHORIZATION).map_or("", |_| " with a credential");
                log.lock().unwrap().push(format!("{path}{with}"));
                let answer = known.lock().unwrap().get(&path).cloned();
                let (status, header, body) = answer.unwrap_or((404, None, String::new()));
                let mut response = Response::builder().status(StatusCode::from_u16(status).unwrap());
                if let Some((name, value)) = header {
                    response = response.header(name, value);
                }
                response.body(Body::from(body)).unwrap()
            }
        };
        let (url, runtime) = served(Router::new().fallback(axum::routing::any(answer)));
        Feeds { url, answers, asked, _runtime: runtime }
    }

    fn say(&self, path: &str, status: u16, header: Option<(&'static str, &str)>, body: &str) {
        let header = header.map(|(name, value)| (name, value.to_owned()));
        self.answers.lock().unwrap().insert(path.to_owned(), (status, header, body.to_owned()));
    }

    /// What was asked for since this was asked last, in order.
    fn asked(&self) -> Vec<String> {
        let mut asked = std::mem::take(&mut *self.asked.lock().unwrap());
        asked.sort();
        asked
    }

    /// A hub of some of the feeds, each under the name of its path.
    fn hub(&self, names: &[&str]) -> HubFolder {
        let feeds = names.iter().map(|name| format!("{name} = \"{}/{name}\"", self.url)).collect::<Vec<_>>().join(", ");
        hub(&format!("{{ {feeds} }}"))
    }
}

fn hub(feeds: &str) -> HubFolder {
    HubFolder::new(&[("diaporos.toml", &format!("[systems.news]\nkind = \"feed\"\nretries = 0\nfeeds = {feeds}\n"))])
}

fn item(id: &str, title: &str) -> String {
    format!("<item><guid isPermaLink=\"false\">{id}</guid><title>{title}</title></item>")
}

fn rss(more: &str, items: &[String]) -> String {
    format!(
        "<rss version=\"2.0\" xmlns:atom=\"http://www.w3.org/2005/Atom\"><channel><title>T</title>{more}{}</channel></rss>",
        items.concat()
    )
}

fn next(path: &str) -> String {
    format!("<atom:link rel=\"next\" href=\"{path}\"/>")
}

#[test]
fn no_feed_stops_another() {
    let feeds = Feeds::new();
    feeds.say("/circle", 200, None, &rss(&next("/circle?page=2"), &[item("1", "One")]));
    feeds.say("/circle?page=2", 200, None, &rss(&next("/circle"), &[item("2", "Two")]));
    // An archive may repeat what the newest document has; the newest of each counts.
    feeds.say("/archive", 200, None, &rss(&next("/archive?page=2"), &[item("1", "New"), item("2", "Two")]));
    feeds.say("/archive?page=2", 200, None, &rss(&next("/archive?page=3"), &[item("1", "Old")]));
    feeds.say("/archive?page=3", 200, None, &rss("", &[item("3", "Three")]));
    feeds.say("/login", 200, None, "<!DOCTYPE html><html><body>Please log in</body></html>");
    // A proxy on the way may say that the answer is not quite the server's own.
    feeds.say("/fine", 203, None, &rss("", &[item("1", "Fine")]));
    for page in 1..1_000 {
        let (this, after) = (format!("/endless?page={page}"), format!("/endless?page={}", page + 1));
        feeds.say(&this, 200, None, &rss(&next(&after), &[item("1", "Same")]));
    }
    feeds.say("/endless", 200, None, &rss(&next("/endless?page=1"), &[item("1", "Same")]));
    let hub = feeds.hub(&["missing", "circle", "archive", "login", "endless", "fine"]);
    let pulled = hub.run(&["pull"]).ends(3);
    insta::assert_snapshot!(pulled.drawn().replace(&feeds.url, "http://feeds"));
    let titles = hub.json(&["entries", "--columns", "title"]);
    let titles: Vec<&str> = titles.as_array().unwrap().iter().map(|row| row["title"].as_str().unwrap()).collect();
    assert_eq!(titles.len(), 7, "{titles:?}");
    assert!(titles.contains(&"New") && titles.contains(&"Three") && !titles.contains(&"Old"), "{titles:?}");
    let told = hub.json(&["pull"]);
    assert_eq!((&told["new"], &told["changed"]), (&0.into(), &0.into()), "{told}");
}

#[test]
fn a_feed_that_is_gone_for_good_is_asked_again_when_somebody_says_so() {
    let feeds = Feeds::new();
    feeds.say("/fine", 200, None, &rss("", &[item("1", "Fine")]));
    feeds.say("/old", 200, None, &rss("", &[item("1", "Old")]));
    let hub = feeds.hub(&["old", "fine"]);
    hub.run(&["pull"]).ends(0);
    feeds.say("/old", 410, None, "");
    let told = hub.run(&["pull"]).ends(3);
    assert!(told.stderr.contains("the feed `old`: it is gone for good (410)"), "{}", told.stderr);
    feeds.asked();
    let told = hub.run(&["pull"]).ends(0);
    assert!(told.stderr.contains("is not asked any more") && told.stderr.contains("--ask-again"), "{}", told.stderr);
    assert_eq!(feeds.asked(), ["/fine"]);
    assert_eq!(hub.json(&["entries", "--state", "live"]).as_array().unwrap().len(), 2, "what it held stays");
    feeds.say("/old", 200, None, &rss("", &[item("1", "Back")]));
    assert_eq!(hub.json(&["pull", "--ask-again"])["changed"], 1);
    hub.run(&["pull"]).ends(0);
    assert_eq!(feeds.asked(), ["/fine", "/fine", "/old", "/old"]);
}

#[test]
fn a_feed_that_wants_to_be_left_alone_is() {
    let feeds = Feeds::new();
    for (status, path) in [(503, "/busy"), (429, "/throttled")] {
        feeds.say(path, status, Some(("retry-after", "3600")), "");
    }
    let hub = feeds.hub(&["busy", "throttled"]);
    let told = hub.run(&["pull"]).ends(1);
    assert!(told.stderr.contains("asks to come back later (503, in 3600 s)"), "{}", told.stderr);
    feeds.asked();
    let told = hub.run(&["pull"]).ends(0);
    assert!(told.stderr.matches("wants to be left alone until").count() == 2, "{}", told.stderr);
    assert_eq!(feeds.asked(), [""; 0]);
    feeds.say("/busy", 200, None, &rss("", &[item("1", "Back")]));
    feeds.say("/throttled", 200, None, &rss("", &[item("1", "Back")]));
    assert_eq!(hub.json(&["pull", "--ask-again"])["new"], 2);
    hub.run(&["pull"]).ends(0);
    assert_eq!(feeds.asked().len(), 4);
}

#[test]
fn where_a_feed_moved_for_good_is_remembered() {
    let feeds = Feeds::new();
    feeds.say("/old", 301, Some(("location", "/new")), "");
    feeds.say("/new", 200, None, &rss("", &[item("1", "One")]));
    feeds.say("/detour", 302, Some(("location", "/new")), "");
    let hub = feeds.hub(&["old", "detour"]);
    let told = hub.run(&["pull"]).ends(0);
    assert!(told.stderr.contains("the feed `old` has moved for good to"), "{}", told.stderr);
    feeds.asked();
    feeds.say("/new", 200, None, &rss("", &[item("1", "Two")]));
    assert_eq!(hub.json(&["pull"])["changed"], 2);
    assert_eq!(feeds.asked(), ["/detour", "/new", "/new"], "the old address is not asked any more");
    // Where it moved to may be wrong after all: it is asked where it was.
    feeds.say("/new", 404, None, "");
    feeds.say("/old", 200, None, &rss("", &[item("1", "Three")]));
    let told = hub.run(&["pull"]).ends(3);
    assert!(told.stdout.contains("1 changed"), "{}", told.stdout);
    assert_eq!(feeds.asked(), ["/detour", "/new", "/new", "/old"]);
    hub.run(&["pull"]).ends(3);
    assert_eq!(feeds.asked(), ["/detour", "/new", "/old"]);
}

#[test]
fn a_credential_goes_to_its_own_feed_alone() {
    let (feeds, elsewhere) = (Feeds::new(), Feeds::new());
    feeds.say("/own", 200, None, &rss(&next("/own?page=2"), &[item("1", "One")]));
    // What echoes the credential keeps nothing of it.
    feeds.say("/own?page=2", 200, None, &rss("", &[item("2", "Bearer s3 cret/+")]));
    feeds.say("/open", 200, None, &rss("", &[item("1", "One")]));
    feeds.say("/leads", 301, Some(("location", &format!("{}/away", elsewhere.url))), "");
    elsewhere.say("/away", 200, None, &rss("", &[item("1", "Away")]));
    let with =
        |name: &str| format!("{name} = {{ at = \"{}/{name}\", read = {{ bearer = \"env:SECRET\" }} }}", feeds.url);
    let hub = hub(&format!("{{ {}, {}, open = \"{}/open\" }}", with("own"), with("leads"), feeds.url));
    for _ in 0..2 {
        hub.run(&["pull"]);
    }
    let asked = feeds.asked();
    for path in ["/own", "/own?page=2", "/leads"] {
        assert!(asked.contains(&format!("{path} with a credential")), "{asked:?}");
    }
    assert!(
        asked.contains(&"/open".to_owned()) && !asked.iter().any(|asked| asked.starts_with("/open with")),
        "{asked:?}"
    );
    let kept = hub.run(&["entries", "--format", "json", "--columns", "title"]).stdout;
    assert!(kept.contains("Bearer [secret]") && !kept.contains("s3 cret"), "{kept}");
    assert!(!elsewhere.asked().iter().any(|asked| asked.contains("credential")));
}

#[test]
fn a_long_feed_comes_in_parts_and_is_known_again() {
    let feeds = Feeds::new();
    let items = |changed: usize| -> Vec<String> {
        (0..1_234).map(|n| item(&n.to_string(), if n == changed { "Changed" } else { "Plant" })).collect()
    };
    feeds.say("/long", 200, Some(("etag", "\"1\"")), &rss("", &items(5_000)));
    let hub = feeds.hub(&["long"]);
    let counts = |told: &serde_json::Value| ["new", "changed", "unchanged"].map(|name| told[name].as_u64().unwrap());
    assert_eq!(counts(&hub.json(&["pull"])), [1_234, 0, 0]);
    assert_eq!(feeds.asked().len(), 1, "the parts are of one answer");
    assert_eq!(counts(&hub.json(&["pull"])), [0, 0, 1_234]);
    assert_eq!(feeds.asked().len(), 1);
    feeds.say("/long", 200, None, &rss("", &items(1_100)));
    assert_eq!(counts(&hub.json(&["pull"])), [0, 1, 1_233]);
    assert_eq!(counts(&hub.json(&["pull"])), [0, 0, 1_234]);
}

#[test]
fn a_probe_tries_every_feed() {
    let feeds = Feeds::new();
    feeds.say("/fine", 200, None, &rss("", &[item("1", "Fine")]));
    feeds.say("/login", 200, None, "<html>Please log in</html>");
    let hub = feeds.hub(&["fine", "login", "missing"]);
    let told = hub.run(&["probe", "news"]);
    let said = told.stdout.replace(&feeds.url, "http://feeds");
    for part in
        ["the feed `fine`", "the feed `login`", "it is a page of HTML", "the feed `missing`", "nothing is there (404)"]
    {
        assert!(said.contains(part), "{part}: {said}");
    }
}

/// A page that is as it was leads on as it did; one that changed leads back to it.
#[test]
fn a_circle_through_pages_that_are_as_they_were_is_followed_once() {
    let feeds = Feeds::new();
    feeds.say("/one", 200, None, &rss(&next("/two"), &[item("1", "One")]));
    feeds.say("/two", 200, None, &rss("", &[item("2", "Two")]));
    let hub = feeds.hub(&["one"]);
    hub.run(&["pull"]).ends(0);
    feeds.say("/two", 200, None, &rss(&next("/one"), &[item("2", "Two")]));
    feeds.asked();
    for _ in 0..3 {
        let told = hub.run(&["pull"]).ends(0);
        assert!(told.stderr.contains("the feed `one` leads in a circle"), "{}", told.stderr);
        assert_eq!(feeds.asked(), ["/one", "/two"]);
    }
}
