//! Words that must have documents of their own at a destination: found or made once, and left as they are.

use std::sync::{Arc, Mutex};

use axum::Router;
use axum::extract::State;
use axum::http::{Method, StatusCode, Uri};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use serde_json::{Map, Value as Json, json};

use crate::harness::{HubFolder, served};

/// A site with topics and articles, which refuses no double. It tells what it was asked to write.
#[derive(Default)]
struct Paper {
    topics: Vec<Json>,
    articles: Vec<Json>,
    wrote: Vec<String>,
    /// So many answers to a new topic are lost, though the topic is made.
    lost: usize,
    /// A topic that it refuses.
    refused: String,
}

type Shared = Arc<Mutex<Paper>>;

async fn paper(State(paper): State<Shared>, method: Method, uri: Uri, body: String) -> Response {
    let mut paper = paper.lock().unwrap();
    let steps: Vec<&str> = uri.path().trim_matches('/').split('/').collect();
    if method != Method::GET {
        paper.wrote.push(format!("{method} {}", uri.path()));
    }
    let is_topic = steps[0] == "topics";
    let (lost, refused) = (paper.lost, paper.refused.clone());
    let of = if is_topic { &mut paper.topics } else { &mut paper.articles };
    let sent: Map<String, Json> = serde_json::from_str(&body).unwrap_or_default();
    let place = steps.get(1).and_then(|id| of.iter().position(|document| document["id"] == **id));
    match (method, steps.len()) {
        (Method::GET, 1) => {
            let asked = uri.query().and_then(|query| query.strip_prefix("slug=")).unwrap_or_default();
            let found: Vec<&Json> = of.iter().filter(|document| document["slug"] == asked).collect();
            json!({ "found": found }).to_string().into_response()
        }
        (Method::GET, _) => match place {
            Some(place) => of[place].to_string().into_response(),
            None => StatusCode::NOT_FOUND.into_response(),
        },
        (Method::POST, 1) if is_topic && sent["slug"] == refused.as_str() => {
            (StatusCode::UNPROCESSABLE_ENTITY, r#"{"detail":"no such topic here"}"#).into_response()
        }
        (Method::POST, 1) => {
            let mut document = sent;
            document.insert("id".to_owned(), format!("{}{}", &steps[0][..1], of.len() + 1).into());
            let document = Json::Object(document);
            of.push(document.clone());
            if is_topic && lost > 0 {
                paper.lost -= 1;
                return StatusCode::GATEWAY_TIMEOUT.into_response();
            }
            document.to_string().into_response()
        }
        (Method::PATCH, 2) if place.is_some() => {
            let document = of[place.unwrap()].as_object_mut().unwrap();
            document.extend(sent);
            json!(document).to_string().into_response()
        }
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}

const CONFIG: &str = r#"
[systems.desk]
kind = "files"
folder = "desk"
profile = "desk.toml"

[systems.paper]
kind = "rest"
url = "URL"
profile = "paper.toml"
settles_within = "1s"
retries = 0

[lanes.articles]
from = "desk/story"
to = "paper/article"
match = "slug"
gone = "keep"

[lanes.articles.fields]
slug = 'entry.id'
topics = 'subjects | each ensure topics'

[lanes.topics]
from = "hub/topic"
to = "paper/topic"
match = "slug"
gone = "keep"

[lanes.topics.fields]
slug = 'word | slug'
name = 'word'
"#;

const PAPER: &str = r#"
[types.article.fields]
slug = { kind = "text", required = true }
topics = { kind = "text", many = true, pattern = "^t[0-9]+$" }

[types.article.write]
find = "GET /articles?slug={key}"
found = "$.found[*]"
read = "GET /articles/{id}"
create = "POST /articles"
update = "PATCH /articles/{id}"
id = "$.id"

[types.topic.fields]
slug = { kind = "text", required = true }
name = { kind = "text", required = true }

[types.topic.write]
find = "GET /topics?slug={key}"
found = "$.found[*]"
read = "GET /topics/{id}"
create = "POST /topics"
update = "PATCH /topics/{id}"
id = "$.id"
"#;

fn hub(stories: &[(&str, &[&str])]) -> (HubFolder, Shared, tokio::runtime::Runtime) {
    let paper = Shared::default();
    let (url, runtime) = served(Router::new().fallback(any(self::paper)).with_state(paper.clone()));
    let desk =
        "[types.story.read]\nfiles = \"*.json\"\n[types.story.fields]\nsubjects = { kind = \"text\", many = true }\n";
    let config = CONFIG.replace("URL", &url);
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("desk.toml", desk), ("paper.toml", PAPER)]);
    for (name, subjects) in stories {
        tell(&hub, name, subjects);
    }
    hub.run(&["pull"]).ends(0);
    (hub, paper, runtime)
}

fn tell(hub: &HubFolder, name: &str, subjects: &[&str]) {
    hub.write(&format!("desk/{name}.json"), &json!({ "subjects": subjects }).to_string());
}

/// What the topics of an article are called.
fn topics_of(paper: &Paper, slug: &str) -> Vec<String> {
    let article = paper.articles.iter().find(|article| article["slug"] == slug).unwrap();
    let names =
        article["topics"].as_array().unwrap().iter().map(|id| {
            paper.topics.iter().find(|topic| topic["id"] == *id).unwrap()["name"].as_str().unwrap().to_owned()
        });
    names.collect()
}

#[test]
fn words_are_found_or_made_once_and_left_as_they_are() {
    let (hub, paper, _runtime) =
        hub(&[("fern", &["Wet woods", "Ferns"]), ("moss", &["wet woods", "Bogs"]), ("plain", &[])]);
    paper.lock().unwrap().topics.push(json!({ "id": "t1", "slug": "ferns", "name": "Ferns & allies" }));
    // What would be made is seen before: words first said in one article are another's too.
    let planned = hub.json(&["push", "--dry-run"]);
    assert_eq!((&planned["created"], &planned["adopted"], &planned["held"]), (&json!(5), &json!(1), &json!(0)));
    let rows = hub.run(&["push", "--dry-run"]).ends(0).stdout;
    assert!(rows.contains("hub/topic/wet-woods") && rows.contains("hub/topic/bogs"), "{rows}");
    assert!(paper.lock().unwrap().wrote.is_empty());
    let shown = hub.run(&["preview", "articles", "desk/story/fern"]).ends(0).stdout;
    assert!(shown.contains("hub/topic/wet-woods"), "{shown}");

    let pushed = hub.json(&["push"]);
    assert_eq!(
        (&pushed["created"], &pushed["adopted"], &pushed["held"]),
        (&json!(5), &json!(1), &json!(0)),
        "{pushed}"
    );
    {
        let paper = paper.lock().unwrap();
        assert_eq!(topics_of(&paper, "fern"), ["Wet woods", "Ferns & allies"]);
        let mut moss = topics_of(&paper, "moss");
        moss.sort_unstable();
        assert_eq!(moss, ["Bogs", "Wet woods"]);
        let made = paper.wrote.iter().filter(|call| *call == "POST /topics").count();
        assert_eq!((made, paper.topics.len(), paper.articles.len()), (2, 3, 3), "{:?}", paper.wrote);
        assert!(!paper.wrote.iter().any(|call| call.contains("PATCH")), "each is written once: {:?}", paper.wrote);
    }
    // Again, with another form of the words: what is there is nobody's to rename.
    assert_eq!(hub.json(&["push"])["requests"], 0);
    hub.alter("name = 'word'", "name = 'word | upper'");
    assert_eq!(hub.json(&["push", "--verify"])["requests"], 0);
    hub.run(&["undo", "1", "--only", "hub/topic/bogs"]).ends(0);
    tell(&hub, "moss", &["Ferns"]);
    hub.run(&["pull"]).ends(0);
    assert_eq!(hub.json(&["push"])["updated"], 1);
    let paper = paper.lock().unwrap();
    assert_eq!(paper.topics.len(), 3, "what nobody needs any more is not ours to take away");
    assert_eq!(paper.wrote.iter().filter(|call| call.contains("/topics/")).count(), 0, "{:?}", paper.wrote);
    assert_eq!(topics_of(&paper, "moss"), ["Ferns & allies"]);
}

#[test]
fn a_lost_answer_doubles_no_word_and_keeps_back_no_other() {
    let (hub, paper, _runtime) = hub(&[("fern", &["Wet woods"]), ("moss", &["Bogs"])]);
    paper.lock().unwrap().lost = 1;
    hub.run(&["push"]);
    hub.run(&["push"]);
    assert_eq!(hub.json(&["push"])["requests"], 0);
    let paper = paper.lock().unwrap();
    assert_eq!((paper.topics.len(), paper.articles.len()), (2, 2), "{:?}", paper.wrote);
    assert_eq!((topics_of(&paper, "fern"), topics_of(&paper, "moss")), (vec!["Wet woods".into()], vec!["Bogs".into()]));
}

#[test]
fn an_entry_whose_word_is_refused_is_held_and_goes_when_the_word_may() {
    let (hub, paper, _runtime) = hub(&[("fern", &["Wet woods", "Ferns"]), ("moss", &["Bogs"])]);
    paper.lock().unwrap().refused = "wet-woods".to_owned();
    let pushed = hub.run(&["push", "--format", "json"]).ends(3);
    assert!(pushed.stdout.contains("hub/topic/wet-woods"), "{}", pushed.stdout);
    assert_eq!(paper.lock().unwrap().articles.len(), 1, "nothing goes with a word's address for its identifier");
    let holds = hub.run(&["holds"]).ends(0).stdout;
    assert!(holds.contains("no such topic here") && holds.contains("desk/story/fern"), "{holds}");
    paper.lock().unwrap().refused.clear();
    // Pushed alone, an entry brings its words.
    hub.run(&["push", "desk/story/fern"]).ends(0);
    let paper = paper.lock().unwrap();
    assert_eq!(topics_of(&paper, "fern"), ["Wet woods", "Ferns"]);
    assert_eq!(paper.topics.len(), 3);
}

#[test]
fn what_cannot_be_ensured_is_told_before() {
    let (hub, _paper, _runtime) = hub(&[("fern", &["Wet woods"])]);
    for (old, new, says) in [
        ("ensure topics", "ensure subjects", "`subjects` is not a lane of words"),
        ("ensure topics", "ensure articles", "`articles` is not a lane of words"),
        ("slug = 'entry.id'", "slug = 'entry.id | ensure topics'", ""),
        (
            "gone = \"keep\"\n\n[lanes.articles.fields]",
            "gone = \"keep\"\nwhen = '(\"x\" | ensure topics) != null'\n\n[lanes.articles.fields]",
            "uses `ensure` in `when`",
        ),
        ("name = 'word'", "name = 'word | ensure topics'", "is a lane of words, and uses `ensure` itself"),
        ("| each ensure topics", "", "no lane has `ensure topics`"),
        ("[systems.desk]", "[systems.hub]", "is where lists, outlines and words come from"),
        ("name = 'word'", "name = 'title'", "title"),
    ] {
        let before = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
        hub.alter(old, new);
        let checked = hub.run(&["check"]);
        assert!(checked.stdout.contains(says), "{new}: {}{}", checked.stdout, checked.stderr);
        hub.write("diaporos.toml", &before);
    }
    // A word that gives no key is the entry's own fault.
    tell(&hub, "fern", &["!!!"]);
    hub.run(&["pull"]).ends(0);
    hub.run(&["push"]).ends(3);
    let holds = hub.run(&["holds"]).ends(0).stdout;
    assert!(holds.contains("gives the word `!!!` no key"), "{holds}");
}
