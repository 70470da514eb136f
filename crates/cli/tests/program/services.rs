//! Services in between: what they give is a field of an entry, asked once for each content.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::post;
use serde_json::{Value as Json, json};

use crate::harness::{HubFolder, served};

/// A service that gives the long words of a text, unless it is told to answer something else.
#[derive(Default)]
struct Phrases {
    asked: Vec<Json>,
    keys: Vec<String>,
    answers: Option<(u16, String)>,
}

type Shared = Arc<Mutex<Phrases>>;

async fn phrases(State(phrases): State<Shared>, headers: HeaderMap, body: String) -> Response {
    let mut phrases = phrases.lock().unwrap();
    let asked: Json = serde_json::from_str(&body).unwrap();
    let header = |name: &str| headers.get(name).and_then(|value| value.to_str().ok()).unwrap_or_default().to_owned();
    if header("authorization") != "Bearer s3 cret/+" {
        return StatusCode::UNAUTHORIZED.into_response();
    }
    phrases.keys.push(header("idempotency-key"));
    let text = asked["text"].as_str().unwrap_or_default().to_owned();
    phrases.asked.push(asked);
    if let Some((status, body)) = &phrases.answers {
        return (StatusCode::from_u16(*status).unwrap(), body.clone()).into_response();
    }
    let long = text.split_whitespace().filter(|word| word.len() > 4).map(|word| json!({ "text": word }));
    // Some echo what they were shown.
    let echo = json!({ "text": header("authorization") });
    json!({ "phrases": long.chain([echo]).collect::<Vec<_>>() }).to_string().into_response()
}

const CONFIG: &str = r#"
[languages]
known = ["en", "fr"]

[systems.desk]
kind = "files"
folder = "desk"
profile = "desk.toml"
languages = { en = "en", fr = "fr" }

[systems.wall]
kind = "files"
folder = "wall"
profile = "wall.toml"

[services.phrases]
of = "desk/story"
url = "URL"
credential = { bearer = "env:SECRET" }
send = { text = 'text', most = '8' }
at = "$.phrases[*].text"
many = true
retries = 0
LIMITS

[lanes.wall]
from = "desk/story"
to = "wall/card"
match = "slug"
gone = "keep"
when = 'state == "live" and shown'
[lanes.wall.fields]
slug = 'entry.id'
title = 'title'
topics = 'phrases | where (not (it | starts "Bearer"))'
"#;

fn hub(limits: &str) -> (HubFolder, Shared, tokio::runtime::Runtime) {
    let service = Shared::default();
    let (url, runtime) = served(Router::new().route("/", post(phrases)).with_state(service.clone()));
    let desk = "[types.story.read]\nfiles = \"*.json\"\n[types.story.fields]\ntext = \"text\"\ntitle = \"text\"\nshown = \"boolean\"\n";
    let wall = "[types.card.write]\nplace = \"{key}.json\"\n[types.card.fields]\nslug = \"text\"\ntitle = \"text\"\ntopics = { kind = \"text\", many = true }\n";
    let config = CONFIG.replace("URL", &url).replace("LIMITS", limits);
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("desk.toml", desk), ("wall.toml", wall)]);
    hub.write("wall/.keep", "");
    (hub, service, runtime)
}

fn tell(hub: &HubFolder, name: &str, title: &str, text: &str) {
    hub.write(&format!("desk/{name}.json"), &json!({ "title": title, "text": text, "shown": true }).to_string());
}

fn topics(hub: &HubFolder, name: &str) -> Json {
    let card = std::fs::read_to_string(hub.path().join(format!("wall/{name}.json"))).unwrap();
    serde_json::from_str::<Json>(&card).unwrap()["topics"].clone()
}

#[test]
fn each_content_is_asked_about_once_and_what_came_is_shown_and_can_be_trimmed() {
    let (hub, service, _runtime) = hub("");
    tell(&hub, "fern", "A", "ferns in shady woods");
    tell(&hub, "twin", "B", "ferns in shady woods");
    tell(&hub, "moss", "C", "mosses");
    hub.write("desk/hidden.json", &json!({ "title": "D", "text": "hidden words", "shown": false }).to_string());
    hub.run(&["pull"]).ends(0);
    let asked = || service.lock().unwrap().asked.len();
    // Looking asks nobody.
    let dry = hub.json(&["push", "--dry-run"]);
    assert_eq!((&dry["asked"], asked()), (&json!(2), 0), "{dry}");
    let shown = hub.run(&["preview", "wall", "desk/story/fern"]).ends(0);
    assert!(shown.stderr.contains("`phrases` was not asked about it yet"), "{}", shown.stderr);

    let pushed = hub.json(&["push"]);
    assert_eq!((&pushed["created"], &pushed["asked"]), (&json!(3), &json!(2)), "{pushed}");
    assert_eq!(
        (topics(&hub, "fern"), topics(&hub, "twin")),
        (json!(["ferns", "shady", "woods"]), json!(["ferns", "shady", "woods"]))
    );
    let first = json!({ "text": "ferns in shady woods", "most": 8 });
    assert_eq!(service.lock().unwrap().asked.iter().filter(|asked| **asked == first).count(), 1);
    assert_eq!(asked(), 2, "one that does not go is not asked about");
    // What the source changes elsewhere asks nobody, and what it changes there asks once.
    tell(&hub, "fern", "Another title", "ferns in shady woods");
    hub.run(&["pull"]).ends(0);
    assert_eq!((hub.json(&["push"])["updated"].clone(), asked()), (json!(1), 2));
    tell(&hub, "moss", "C", "mosses and liverworts");
    hub.run(&["pull"]).ends(0);
    assert_eq!((hub.json(&["push"])["updated"].clone(), asked()), (json!(1), 3));
    assert_eq!(hub.json(&["push"])["requests"], 0);
    let keys = service.lock().unwrap().keys.clone();
    assert!(keys.iter().all(|key| key.len() == 32) && keys[0] != keys[2], "{keys:?}");

    let known = hub.json(&["show", "desk/story/fern"]);
    assert_eq!(known["services"][0]["gives"][0], "ferns", "{known}");
    assert!(!known.to_string().contains("s3 cret"), "{known}");
    let explained = hub.run(&["explain", "desk/story/fern"]).ends(0).stdout;
    assert!(explained.contains("services: `phrases` asked 2"), "{explained}");
    hub.run(&["amend", "desk/story/fern", "--set", "phrases-=shady"]).ends(0);
    assert_eq!((hub.json(&["push"])["updated"].clone(), asked()), (json!(1), 3));
    assert_eq!(topics(&hub, "fern"), json!(["ferns", "woods"]));
    // Asked otherwise, it is asked anew.
    hub.alter("most = '8'", "most = '9'");
    assert_eq!(hub.json(&["push"])["asked"], 2);
}

#[test]
fn what_is_not_given_holds_the_entry_and_no_other() {
    let (hub, service, _runtime) = hub("failures = 3");
    tell(&hub, "fern", "A", "ferns in woods");
    hub.write("desk/plain.json", &json!({ "title": "P", "text": "", "shown": true }).to_string());
    hub.run(&["pull"]).ends(0);
    for (status, body, says) in [
        (200, "<html>Log in</html>", "looks like HTML"),
        (200, r#"{"keywords":[]}"#, "there is no list of items at `$.phrases`"),
        (200, r#"{"phrases":[{"text":7}]}"#, "a list of text is wanted"),
        (200, "", ""),
        (503, "{}", "503"),
        (422, r#"{"detail":"too short"}"#, "too short"),
    ] {
        service.lock().unwrap().answers = Some((status, body.to_owned()));
        let pushed = hub.run(&["push", "--format", "json"]).ends(3);
        let held = hub.run(&["holds"]).ends(0).stdout;
        assert!(
            held.contains("desk/story/fern") && held.contains("service") && held.contains(says),
            "{held}{}",
            pushed.stdout
        );
        assert!(!held.contains("plain"), "about nothing, nobody is asked: {held}");
    }
    service.lock().unwrap().answers = None;
    assert_eq!(hub.json(&["push"])["created"], 1);
    assert_eq!(topics(&hub, "fern"), json!(["ferns", "woods"]));
}

#[test]
fn a_day_has_so_many_questions_and_a_default_lets_entries_go() {
    let (hub, service, _runtime) = hub("a_day = 2");
    for name in ["one", "two", "three"] {
        tell(&hub, name, "T", &format!("about {name}"));
    }
    hub.run(&["pull"]).ends(0);
    let pushed = hub.run(&["push", "--format", "json"]).ends(3).stdout;
    let told: Json = serde_json::from_str(&pushed).unwrap();
    assert_eq!((&told["created"], &told["held"], &told["asked"]), (&json!(2), &json!(1), &json!(2)), "{told}");
    let held = hub.run(&["holds"]).ends(0).stdout;
    assert!(held.contains("may be asked 2 times a day"), "{held}");
    hub.run(&["push"]).ends(3);
    assert_eq!(service.lock().unwrap().asked.len(), 2);
    hub.alter("a_day = 2", "a_day = 2\notherwise = [\"plants\"]");
    assert_eq!(hub.json(&["push"])["created"], 1);
    let cards = ["one", "two", "three"].map(|name| topics(&hub, name));
    assert_eq!(cards.iter().filter(|topics| **topics == json!(["plants"])).count(), 1, "{cards:?}");
}

#[test]
fn a_text_in_several_languages_is_asked_about_in_each() {
    let (hub, service, _runtime) = hub("");
    hub.write(
        "desk.toml",
        "[types.story.read]\nfiles = \"*.json\"\n[types.story.fields]\ntext = { kind = \"text\", localised = true }\ntitle = \"text\"\nshown = \"boolean\"\n",
    );
    hub.alter("topics = 'phrases | where (not (it | starts \"Bearer\"))'", "topics = 'phrases@fr | take 1'");
    hub.write(
        "desk/fern.json",
        &json!({ "title": "A", "text": { "en": "ferns", "fr": "fougères" }, "shown": true }).to_string(),
    );
    hub.run(&["pull"]).ends(0);
    assert_eq!(hub.json(&["push"])["asked"], 2);
    assert_eq!(service.lock().unwrap().asked.len(), 2);
    assert_eq!(topics(&hub, "fern"), json!(["fougères"]));
}

#[test]
fn what_is_wrong_with_a_service_is_told_before() {
    let (hub, _service, _runtime) = hub("");
    for (old, new, says) in [
        ("[services.phrases]", "[services.title]", "have a field `title` already"),
        ("[services.phrases]", "[services.Phrases]", "cannot be a service's name"),
        ("text = 'text', most", "text = 'nothing', most", "nothing"),
        ("of = \"desk/story\"", "of = \"desk/card\"", "card"),
        ("at = \"$.phrases[*].text\"", "at = \"phrases\"", "JSONPath"),
        ("many = true", "many = true\notherwise = \"x\"", "`otherwise` must be a list of text"),
        ("title = 'title'", "title = 'phrases'", "title"),
    ] {
        let before = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
        hub.alter(old, new);
        let checked = hub.run(&["check"]).ends(2);
        assert!(checked.stdout.contains(says), "{new}: {}{}", checked.stdout, checked.stderr);
        hub.write("diaporos.toml", &before);
    }
}
