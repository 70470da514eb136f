//! Telling others, of the built program.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::body::Bytes;
use axum::http::{HeaderMap, StatusCode};
use axum::routing::post;
use diaporos_core::hook::sign;
use serde_json::Value as Json;

use crate::harness::{Hub, served};
use crate::serve::{Serving, automatic, shows};

const KEY: &str = "whsec_T3N0cmVsIEdhcmRlbnMgdGVsbHMgdGhlIHdvcmxk";

/// A call as it came.
#[derive(Debug, Clone)]
pub(crate) struct Call {
    headers: Vec<(String, String)>,
    body: String,
}

impl Call {
    pub(crate) fn header(&self, name: &str) -> &str {
        self.headers.iter().find(|(known, _)| known == name).map_or("", |(_, value)| value)
    }

    pub(crate) fn json(&self) -> Json {
        serde_json::from_str(&self.body).unwrap()
    }
}

/// Somebody who is told, and answers with these statuses, the last of them from then on.
#[derive(Clone, Default)]
pub(crate) struct Ear {
    calls: Arc<Mutex<Vec<Call>>>,
    answers: Arc<Mutex<Vec<u16>>>,
}

impl Ear {
    pub(crate) fn listening(answers: &[u16]) -> (Ear, String, tokio::runtime::Runtime) {
        let ear = Ear { answers: Arc::new(Mutex::new(answers.to_vec())), ..Ear::default() };
        let heard = ear.clone();
        let hear = move |headers: HeaderMap, body: Bytes| async move {
            let text = |value: &axum::http::HeaderValue| value.to_str().unwrap().to_owned();
            let headers = headers.iter().map(|(name, value)| (name.to_string(), text(value))).collect();
            heard.calls.lock().unwrap().push(Call { headers, body: String::from_utf8(body.to_vec()).unwrap() });
            let mut answers = heard.answers.lock().unwrap();
            let status = if answers.len() > 1 { answers.remove(0) } else { answers[0] };
            StatusCode::from_u16(status).unwrap()
        };
        let (url, runtime) = served(Router::new().route("/hook", post(hear)));
        (ear, format!("{url}/hook"), runtime)
    }

    pub(crate) fn calls(&self) -> Vec<Call> {
        self.calls.lock().unwrap().clone()
    }

    pub(crate) fn waits_for(&self, count: usize) -> Vec<Call> {
        for _ in 0..1_500 {
            if self.calls().len() >= count {
                break;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        let calls = self.calls();
        assert!(calls.len() >= count, "{calls:?}");
        calls
    }
}

pub(crate) fn told(hub: &Hub, name: &str, url: &str, lines: &str) {
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    hub.write("diaporos.toml", &format!("{text}\n[tell.{name}]\nto = \"{url}\"\n{lines}\n"));
}

#[test]
fn a_build_hook_is_called_once_for_a_run_that_changed_something() {
    let hub = automatic();
    let (ear, url, _runtime) = Ear::listening(&[200]);
    hub.write("key", KEY);
    told(&hub, "build", &url, "on = [\"run.changed\"]\nkey = \"file:key\"");
    let serving = Serving::begin(&hub, &[]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    let calls = ear.waits_for(1);
    // Runs without a change tell nothing.
    hub.world.catalogue.forget();
    hub.wait_until(|world| world.catalogue.asked().len() > 8);
    serving.end();
    assert_eq!(ear.calls().len(), 1);
    let call = &calls[0];
    assert_eq!((call.header("content-type"), call.header("webhook-id")), ("application/cloudevents+json", "build-1"));
    let second: i64 = call.header("webhook-timestamp").parse().unwrap();
    assert_eq!(call.header("webhook-signature"), sign(KEY, "build-1", second, call.body.as_bytes()));
    let event = call.json();
    assert_eq!((&event["type"], &event["data"]["lanes"][0]), (&"diaporos.run.changed".into(), &"profiles".into()));
    assert!(hub.good(&["tell"]).contains("nothing waits"));
}

#[test]
fn what_is_not_taken_is_told_again_in_order() {
    let hub = automatic();
    let (ear, url, _runtime) = Ear::listening(&[503, 200]);
    told(
        &hub,
        "chat",
        &url,
        "on = [\"entry.updated\"]\nwhen = 'event.language == \"en\"'\nshape = \"json\"\nbody = { text = 'common_name@en' }",
    );
    // Who is new is told of what happens from now on.
    hub.good(&["pull"]);
    for name in ["King of ferns", "Queen of ferns"] {
        hub.world.plants.edit_text("p-001", "common_name", "eng", name);
        hub.good(&["pull"]);
        hub.run(&["push"]).ends(3);
    }
    let first = hub.run(&["tell", "--now"]).ends(0);
    assert!(first.stdout.contains("2 messages wait") && first.stdout.contains("503"), "{}", first.stdout);
    assert_eq!(ear.calls().len(), 1, "the second of the same entry waits for the first");
    hub.good(&["tell", "--again"]);
    let calls = ear.calls();
    let ids: Vec<&str> = calls.iter().map(|call| call.header("webhook-id")).collect();
    assert_eq!(ids, ["chat-1", "chat-1", "chat-2"], "the same id however often it is sent");
    // The entry is told as it is when that is decided.
    assert!(calls.iter().all(|call| call.json()["text"] == "Queen of ferns"), "{calls:?}");
    assert!(hub.good(&["tell", "--now"]).contains("nothing waits"));
    assert_eq!(ear.calls().len(), 3);
    let tried = hub.good(&["tell", "chat", "--try"]);
    assert!(tried.contains("took a sample") && ear.calls().len() == 4, "{tried}");
    assert!(hub.run(&["tell", "chta", "--try"]).ends(2).stderr.contains("did you mean `chat`?"));
}

#[test]
fn a_run_that_was_killed_is_told_by_the_next() {
    let hub = automatic();
    let (ear, url, _runtime) = Ear::listening(&[200]);
    told(&hub, "build", &url, "on = [\"run.changed\"]");
    hub.good(&["pull"]);
    for id in ["p-001", "p-002", "p-003"] {
        hub.world.plants.edit_text(id, "common_name", "eng", &format!("Fern {id}"));
    }
    hub.good(&["pull"]);
    // Killed after the last write was noted and before the run ended.
    hub.run(&["push", "profiles"]).ends(3);
    hub.in_store("UPDATE run SET ended = NULL, told = 0 WHERE id = (SELECT max(id) FROM run)");
    hub.in_store("DELETE FROM happening");
    let serving = Serving::begin(&hub, &[]);
    let calls = ear.waits_for(1);
    std::thread::sleep(std::time::Duration::from_millis(1_500));
    serving.end();
    assert_eq!((calls[0].json()["type"].clone(), ear.calls().len()), ("diaporos.run.changed".into(), 1));
}

#[test]
fn alerts_and_holds_are_told() {
    let hub = automatic();
    let (ear, url, _runtime) = Ear::listening(&[204]);
    told(&hub, "desk", &url, "on = [\"alert.opened\", \"entry.held\"]\nshape = \"event-binary\"");
    let serving = Serving::begin(&hub, &[]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", &"long ".repeat(60));
    let calls = ear.waits_for(1);
    assert_eq!(
        (calls[0].header("ce-type"), calls[0].header("ce-subject")),
        ("diaporos.entry.held", "catalogue/plant-profile/p-001")
    );
    assert_eq!(calls[0].json()["reason"], "unfit");
    hub.alter("diaporos.toml", "[lanes.profiles]", "[lanes.profiles]\nnonsense = 1");
    let calls = ear.waits_for(2);
    assert_eq!(
        (calls[1].header("ce-type"), calls[1].json()["alert"].clone()),
        ("diaporos.alert.opened", "configuration".into())
    );
    serving.end();
}

#[test]
fn an_address_that_is_a_secret_is_not_shown() {
    let hub = automatic();
    told(&hub, "chat", "env:CHAT_URL", "on = [\"run.changed\"]");
    let run = |args: &[&str]| {
        let mut command = hub.command(args);
        let output = command.env("CHAT_URL", "http://127.0.0.1:1/in/Zq7-hush").output().unwrap();
        String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned()
    };
    hub.good(&["pull"]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    let tried = run(&["tell", "chat", "--try"]);
    assert!(tried.contains("http://127.0.0.1:1/…") && !tried.contains("hush"), "{tried}");
    let told = run(&["tell", "--now"]);
    assert!(told.contains("1 message waits") && told.contains("/…"), "{told}");
    let kept = hub.in_store("SELECT tell || headers || body || coalesce(problem, '') FROM outbox");
    assert!(!kept.is_empty() && !kept.concat().contains("Zq7-hush") && !told.contains("hush"), "{kept:?}{told}");
}

#[test]
fn what_waits_for_somebody_who_is_gone_is_given_up() {
    let hub = automatic();
    let (ear, url, _runtime) = Ear::listening(&[503]);
    let before = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    told(&hub, "chat", &url, "on = [\"entry.updated\"]");
    hub.good(&["pull"]);
    hub.world.plants.edit_text("p-002", "common_name", "eng", "Queen of ferns");
    hub.good(&["pull"]);
    // A pause is `serve`'s; a person is told of it, and pushes all the same.
    hub.good(&["pause", "profiles", "--why", "the site moves"]);
    let pushed = hub.run(&["push", "profiles"]).ends(3);
    assert!(pushed.stderr.contains("the site moves; pushed by hand all the same"), "{}", pushed.stderr);
    assert!(hub.run(&["tell", "--now"]).ends(0).stdout.contains("wait to be told"));
    assert!(!ear.calls().is_empty());
    hub.write("diaporos.toml", &before);
    hub.good(&["pull"]);
    assert!(hub.good(&["tell"]).contains("nothing waits to be told"));
}
