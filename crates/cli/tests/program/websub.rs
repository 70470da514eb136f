//! Hubs of feeds (WebSub), of the built program.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use axum::Router;
use axum::body::Bytes;
use axum::http::StatusCode;
use axum::routing::{get, post};
use hmac::digest::KeyInit;
use hmac::{Hmac, Mac};
use sha1::Sha1;
use tokio::runtime::Runtime;
use url::form_urlencoded::{Serializer, parse};

use crate::harness::{HubFolder, served};
use crate::hooks::send;

/// A garden's feed, and the hub that it names.
#[derive(Clone, Default)]
struct Garden {
    titles: Arc<Mutex<Vec<String>>>,
    hub: Arc<Mutex<String>>,
    fetched: Arc<Mutex<u32>>,
    asked: Arc<Mutex<Vec<HashMap<String, String>>>>,
    answer: Arc<Mutex<u16>>,
}

impl Garden {
    fn open() -> (Garden, String, Runtime) {
        let garden = Garden::default();
        *garden.answer.lock().unwrap() = 202;
        let (own, asked) = (garden.clone(), garden.clone());
        let feed = move || async move {
            *own.fetched.lock().unwrap() += 1;
            let entry = |title: &String| {
                format!(
                    "<entry><id>tag:garden,2026:{title}</id><title>{title}</title><updated>2026-11-01T00:00:00Z</updated></entry>"
                )
            };
            let entries: String = own.titles.lock().unwrap().iter().map(entry).collect();
            let hub = own.hub.lock().unwrap().clone();
            let atom = format!(
                "<feed xmlns='http://www.w3.org/2005/Atom'><title>News</title><id>urn:news</id><link rel='hub' href='{hub}'/><link rel='self' href='https://garden.example/news?a=1&amp;b=2'/>{entries}</feed>"
            );
            ([("content-type", "application/atom+xml")], atom)
        };
        let ask = move |body: Bytes| async move {
            asked.asked.lock().unwrap().push(parse(&body).into_owned().collect());
            StatusCode::from_u16(*asked.answer.lock().unwrap()).unwrap()
        };
        let (url, runtime) = served(Router::new().route("/news", get(feed)).route("/hub", post(ask)));
        *garden.hub.lock().unwrap() = format!("{url}/hub");
        (garden, url, runtime)
    }

    fn publishes(&self, title: &str) {
        self.titles.lock().unwrap().push(title.to_owned());
    }

    /// What the hub was asked, once it was asked so often.
    fn asked(&self, times: usize) -> HashMap<String, String> {
        for _ in 0..1_500 {
            if self.asked.lock().unwrap().len() >= times {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        let asked = self.asked.lock().unwrap();
        assert_eq!(asked.len(), times, "{asked:?}");
        asked[times - 1].clone()
    }
}

const TOPIC: &str = "https://garden.example/news?a=1&b=2";

fn hub(url: &str) -> HubFolder {
    let config = format!(
        "[systems.news]\nkind = \"feed\"\nsubscribe = true\nfeeds = {{ garden = \"{url}/news\" }}\n\
         [serve]\npublic = \"https://hub.ostrel.example/news-hub/\"\n"
    );
    HubFolder::new(&[("diaporos.toml", &config)])
}

/// `serve` in a folder, ended with the test.
struct Serving(std::process::Child);

impl Drop for Serving {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Runs it, and says where it listens.
fn serving(hub: &HubFolder) -> (Serving, String) {
    let said = std::fs::File::create(hub.path().join("serve.log")).unwrap();
    let mut command = crate::harness::bare(&["serve", "--listen", "127.0.0.1:0"]);
    let child = Serving(command.current_dir(hub.path()).stderr(said).spawn().unwrap());
    for _ in 0..1_500 {
        let said = std::fs::read_to_string(hub.path().join("serve.log")).unwrap();
        if let Some(address) = said.split("listening at ").nth(1).and_then(|rest| rest.lines().next()) {
            return (child, address.to_owned());
        }
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
    panic!("it does not listen");
}

/// The address that a hub calls, as it is reached here.
fn callback(at: &str, asked: &HashMap<String, String>) -> String {
    let callback = asked["hub.callback"].strip_prefix("https://hub.ostrel.example/news-hub").unwrap();
    assert!(callback.strip_prefix("/websub/").is_some_and(|token| token.len() >= 40), "{callback}");
    format!("{at}{callback}")
}

fn asks_back(callback: &str, pairs: &[(&str, &str)]) -> (u16, String) {
    let query = Serializer::new(String::new()).extend_pairs(pairs).finish();
    send("GET", &format!("{callback}?{query}"), &[], "")
}

fn verified(callback: &str, lease: &str) {
    let pairs =
        [("hub.mode", "subscribe"), ("hub.topic", TOPIC), ("hub.challenge", "c-4711"), ("hub.lease_seconds", lease)];
    let (status, body) = asks_back(callback, &pairs);
    assert_eq!((status, body.trim_end()), (200, "c-4711"));
}

fn signature(secret: &str, body: &str) -> String {
    let mac = <Hmac<Sha1> as KeyInit>::new_from_slice(secret.as_bytes()).unwrap().chain_update(body);
    mac.finalize().into_bytes().iter().fold("sha1=".to_owned(), |text, byte| format!("{text}{byte:02x}"))
}

fn entries(hub: &HubFolder) -> usize {
    hub.json(&["entries"]).as_array().unwrap().len()
}

fn waits_for(hub: &HubFolder, count: usize) {
    for _ in 0..300 {
        if entries(hub) == count {
            return;
        }
        std::thread::sleep(std::time::Duration::from_millis(30));
    }
    let said = std::fs::read_to_string(hub.path().join("serve.log")).unwrap();
    panic!("there are {} entries, and not {count}: {said}", entries(hub));
}

fn ends(hub: &HubFolder) -> Option<i64> {
    let store = rusqlite::Connection::open(hub.path().join(".diaporos/store.db")).unwrap();
    store.query_row("SELECT ends FROM subscription", [], |row| row.get(0)).unwrap()
}

#[test]
fn a_feed_comes_in_when_its_hub_calls() {
    let (garden, url, _runtime) = Garden::open();
    garden.publishes("Frost");
    let hub = hub(&url);
    hub.run(&["pull"]).ends(0);
    let (running, at) = serving(&hub);
    let asked = garden.asked(1);
    assert_eq!((asked["hub.mode"].as_str(), asked["hub.topic"].as_str()), ("subscribe", TOPIC));
    assert_eq!(asked["hub.lease_seconds"], "864000");
    let callback = callback(&at, &asked);
    // Nobody else's wish is confirmed, and nothing that was not wished.
    for pairs in [
        [("hub.mode", "subscribe"), ("hub.topic", "https://other.example/"), ("hub.challenge", "c")],
        [("hub.mode", "unsubscribe"), ("hub.topic", TOPIC), ("hub.challenge", "c")],
        [("hub.mode", "subscribe"), ("hub.topic", TOPIC), ("hub.challenge", "")],
    ] {
        assert_eq!(asks_back(&callback, &pairs).0, 404, "{pairs:?}");
    }
    assert_eq!(asks_back(&format!("{at}/websub/guess"), &[("hub.mode", "subscribe"), ("hub.topic", TOPIC)]).0, 404);
    verified(&callback, "7200");
    assert!(ends(&hub).is_some());
    // A call that is not signed changes nothing, and its sender does not learn that.
    garden.publishes("Moss");
    let before = *garden.fetched.lock().unwrap();
    for wrong in ["", "sha1=00", &signature("guess", "x")] {
        assert_eq!(send("POST", &callback, &[("x-hub-signature", wrong)], "x").0, 202);
    }
    std::thread::sleep(std::time::Duration::from_millis(500));
    assert_eq!((*garden.fetched.lock().unwrap(), entries(&hub)), (before, 1));
    // What is sent along is not taken: the feed is read.
    let body = "<feed><entry><title>made up</title></entry></feed>";
    let signed = signature(&asked["hub.secret"], body);
    assert_eq!(send("POST", &callback, &[("x-hub-signature", &signed)], body).0, 202);
    waits_for(&hub, 2);
    assert_eq!(send("POST", &format!("{at}/websub/guess"), &[], "x").0, 410);
    drop(running);
    // The secret and the address are nowhere to be seen.
    let log = std::fs::read_to_string(hub.path().join("serve.log")).unwrap();
    assert!(!log.contains(&asked["hub.secret"]) && !log.contains(callback.rsplit('/').next().unwrap()), "{log}");

    // After a restart the hub is known; shortly before its lease ends it is asked again, for the same address.
    let store = rusqlite::Connection::open(hub.path().join(".diaporos/store.db")).unwrap();
    store.execute("UPDATE subscription SET next = 0", []).unwrap();
    let (_running, at) = serving(&hub);
    let again = garden.asked(2);
    assert_eq!((&again["hub.callback"], &again["hub.secret"]), (&asked["hub.callback"], &asked["hub.secret"]));
    garden.publishes("Fern");
    assert_eq!(send("POST", &self::callback(&at, &again), &[("x-hub-signature", &signed)], body).0, 202);
    waits_for(&hub, 3);
    // Who is no longer subscribed is told so.
    hub.alter("subscribe = true", "subscribe = false");
    for _ in 0..300 {
        if send("POST", &self::callback(&at, &again), &[], "x").0 == 410 {
            return;
        }
        std::thread::sleep(std::time::Duration::from_millis(30));
    }
    panic!("the hub is still known");
}

#[test]
fn a_hub_that_will_not_call_or_lies_inside_is_left_alone() {
    let (garden, url, _runtime) = Garden::open();
    let denying = hub(&url);
    denying.run(&["pull"]).ends(0);
    let (running, at) = serving(&denying);
    let callback = callback(&at, &garden.asked(1));
    let said = asks_back(&callback, &[("hub.mode", "denied"), ("hub.topic", TOPIC), ("hub.reason", "not you")]);
    assert_eq!((said.0, ends(&denying)), (200, None));
    drop(running);
    // A feed names its hub, and so leads to no network of ours.
    for inside in
        ["http://10.255.255.1/hub", "https://10.255.255.1/hub", "http://localhost:1/hub", "http://[::1]:1/hub"]
    {
        inside.clone_into(&mut garden.hub.lock().unwrap());
        let hub = hub(&url);
        hub.run(&["pull"]).ends(0);
        let (_running, _) = serving(&hub);
        for _ in 0..300 {
            let said = std::fs::read_to_string(hub.path().join("serve.log")).unwrap();
            if said.contains("hubs of news: `garden`: ") && said.contains("network") {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(30));
        }
        let said = std::fs::read_to_string(hub.path().join("serve.log")).unwrap();
        assert!(said.contains("network"), "{inside}: {said}");
    }
}

#[test]
fn subscribing_needs_an_address_of_ours() {
    let hub = hub("https://garden.example");
    hub.alter("public = \"https://hub.ostrel.example/news-hub/\"", "");
    let said = hub.run(&["check"]).ends(0).stdout;
    assert!(said.contains("has no `public` address"), "{said}");
}
