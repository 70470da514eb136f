use super::*;
use crate::config::{FILE, load};

fn at() -> Timestamp {
    "2026-11-29T12:00:00Z".parse().unwrap()
}

fn hub(lines: &str) -> (tempfile::TempDir, Config, Store) {
    let folder = tempfile::tempdir().unwrap();
    let text = format!("[tell.chat]\nto = \"https://chat.example/hook\"\n{lines}\n");
    std::fs::write(folder.path().join(FILE), text).unwrap();
    let loaded = load(folder.path(), &|_, _| Vec::new(), at()).unwrap();
    let config = loaded.config.unwrap_or_else(|| panic!("{:#?}", loaded.reports));
    let store = Store::open_for_change(&config.store_place(&|_| None).unwrap()).unwrap();
    (folder, config, store)
}

/// What is told of a sample, if it is.
fn told(lines: &str, kind: Topic) -> Result<Option<NewMessage>, RenderError> {
    let (_folder, config, store) = hub(lines);
    let happening = Happening { number: 7, ..sample(kind, at()) };
    message_of(&config, &store, &config.tells[0], &happening, "0123")
}

#[test]
fn a_cloud_event_in_the_body() {
    let message = told("on = [\"entry.created\"]", Topic::Created).unwrap().unwrap();
    assert_eq!((message.media.as_str(), message.headers.len()), ("application/cloudevents+json", 0));
    let event: Json = serde_json::from_str(&message.body).unwrap();
    let data = json!({
        "lane": "profiles", "destination": "visitor-site", "language": "en", "id_there": "1", "sample": true,
        "subject": "catalogue/plant-profile/sample",
    });
    assert_eq!(
        event,
        json!({
            "specversion": "1.0", "id": "7", "source": "urn:diaporos:0123", "type": "diaporos.entry.created",
            "subject": "catalogue/plant-profile/sample", "time": "2026-11-29T12:00:00Z",
            "datacontenttype": "application/json", "data": data,
        })
    );
}

#[test]
fn a_cloud_event_in_headers() {
    let message = told("on = [\"run.changed\"]\nshape = \"event-binary\"", Topic::RunChanged).unwrap().unwrap();
    let headers: Vec<String> = message.headers.iter().map(|(name, value)| format!("{name}: {value}")).collect();
    assert_eq!(
        headers,
        [
            "ce-specversion: 1.0",
            "ce-id: 7",
            "ce-source: urn:diaporos:0123",
            "ce-type: diaporos.run.changed",
            "ce-subject: run%201",
            "ce-time: 2026-11-29T12:00:00Z"
        ]
    );
    assert_eq!(in_header("é \"x\" 100%"), "%C3%A9%20%22x%22%20100%25");
}

#[test]
fn json_as_expressions_have_it() {
    let lines = "on = [\"entry.held\"]\nshape = \"json\"\n[tell.chat.body]\ntext = '\"held on \" + event.lane + \": \" + event.message'\nkind = 'event.kind'";
    let message = told(lines, Topic::Held).unwrap().unwrap();
    assert_eq!(message.body, r#"{"text":"held on profiles: heading is too long","kind":"entry.held"}"#);
}

#[test]
fn only_what_is_wished_is_told() {
    assert_eq!(told("on = [\"entry.created\"]", Topic::Held).unwrap(), None);
    let when = |condition: &str| told(&format!("on = [\"entry.held\"]\nwhen = '{condition}'"), Topic::Held);
    assert!(when("event.lane == \"profiles\"").unwrap().is_some());
    assert_eq!(when("event.lane == \"news\"").unwrap(), None);
    assert_eq!(when("habitat == \"bog\"").unwrap(), None, "the entry is not known");
}
