//! Batches that a hub makes, sends and collects by itself, and what it tells of them.

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use diaporos_demo::{Fault, Rule};
use jiff::{SignedDuration, Timestamp};
use serde_json::Value as Json;

use crate::harness::Hub;
use crate::serve::{Serving, automatic, shows};
use crate::tell::{Ear, told};

/// A hub whose brief has its times, and an English text that changed since it was translated.
fn timed(lines: &str) -> Hub {
    let hub = automatic();
    hub.alter("diaporos.toml", "[briefs.plants]", &format!("[briefs.plants]\n{lines}"));
    hub
}

fn alerts(hub: &Hub) -> Vec<Json> {
    hub.json(&["alerts"]).as_array().unwrap().clone()
}

#[test]
fn a_brief_makes_sends_and_collects_by_itself() {
    let hub = timed("every = \"1s\"\nleast_words = 5\ncollected = \"1s\"");
    let (ear, url, _runtime) = Ear::listening(&[204]);
    told(&hub, "desk", &url, "on = [\"batch.returned\", \"batch.rejected\"]\nshape = \"event-binary\"");
    let serving = Serving::begin(&hub, &[]);
    serving.says("brief plants: sent plants-1");
    let plan = hub.json(&["serve", "--plan"]);
    let whats: Vec<&str> = plan.as_array().unwrap().iter().filter_map(|row| row["what"].as_str()).collect();
    assert!(whats.contains(&"brief plants") && whats.contains(&"returns of plants"), "{whats:?}");
    hub.world.translators.work(100);
    serving.says("returns of plants");
    let calls = ear.waits_for(1);
    assert_eq!((calls[0].header("ce-type"), calls[0].header("ce-subject")), ("diaporos.batch.returned", "plants-1"));
    assert_eq!((&calls[0].json()["brief"], calls[0].json()["rejected"].as_u64()), (&"plants".into(), None));
    // What came back goes live by itself, and nothing is ordered a second time.
    serving.says("pushed lane profiles");
    std::thread::sleep(std::time::Duration::from_millis(2_200));
    let said = serving.end();
    assert_eq!(said.matches("brief plants: sent").count(), 1, "{said}");
    assert_eq!(hub.json(&["batch", "list"]).as_array().unwrap().len(), 1);
}

#[test]
fn more_than_may_be_sent_is_a_persons_to_send() {
    let hub = timed("every = \"1s\"\nmost_words = 5");
    let serving = Serving::begin(&hub, &[]);
    serving.says("alert: batch plants");
    assert_eq!(hub.json(&["batch", "list"]).as_array().unwrap().len(), 0, "nothing was made");
    let alert = &alerts(&hub)[0];
    assert!(alert["message"].as_str().unwrap().contains("by itself at most 5 are sent"), "{alert}");
    hub.good(&["batch", "make", "plants"]);
    std::thread::sleep(std::time::Duration::from_millis(1_500));
    // What a person made, a person sends.
    assert_eq!(hub.json(&["batch", "list"])[0]["standing"], "made");
    serving.end();
}

#[test]
fn a_batch_whose_sending_was_broken_off_is_sent_by_the_next_time() {
    let hub = timed("every = \"1s\"");
    let refusal = Rule::once(Fault::Status { status: 500 }, "POST");
    hub.world.agency.fail(Rule { path: Some("/orders".to_owned()), ..refusal });
    let serving = Serving::begin(&hub, &[]);
    serving.says("brief plants: sent plants-1");
    serving.end();
    let asked = hub.world.agency.asked();
    let orders = asked.iter().filter(|asked| asked.method == "POST" && asked.path.ends_with("/orders")).count();
    assert_eq!((orders, hub.json(&["batch", "list"]).as_array().unwrap().len()), (2, 1));
}

#[test]
fn what_somebody_changed_there_is_told_and_an_alert_till_it_is_answered() {
    let hub = automatic();
    let (ear, url, _runtime) = Ear::listening(&[204]);
    told(&hub, "desk", &url, "on = [\"entry.edited-there\"]\nshape = \"json\"\nbody = { fields = 'event.fields' }");
    hub.good(&["pull"]);
    let page = hub.world.pages.with_slug("royal-fern").into_iter().find(|page| page["lang"] == "en").unwrap();
    let id = page["id"].as_u64().unwrap();
    hub.world.pages.edit(id, &serde_json::json!({ "heading": "The royal fern" }));
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.good(&["pull"]);
    for _ in 0..2 {
        hub.run(&["push", "profiles", "--verify"]).ends(3);
    }
    hub.good(&["tell", "--now"]);
    let calls = ear.calls();
    assert_eq!(calls.len(), 1, "once, however often it is looked at: {calls:?}");
    assert_eq!(calls[0].json()["fields"], serde_json::json!(["heading"]));
    assert!(alerts(&hub).iter().any(|alert| alert["alert"] == "drift" && alert["subject"] == "profiles"));
    hub.good(&["resolve", "catalogue/plant-profile/p-001", "--lane", "profiles", "--take", "ours"]);
    hub.run(&["push", "profiles"]).ends(3);
    assert!(shows(&hub, "King of ferns") && !alerts(&hub).iter().any(|alert| alert["alert"] == "drift"));
}

#[test]
fn a_credential_that_ends_is_told_before() {
    let hub = automatic();
    let day = |days: i64| (Timestamp::now() + SignedDuration::from_hours(24 * days)).strftime("%Y-%m-%d").to_string();
    let with_end = |line: &str| {
        let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
        let text = text.lines().filter(|line| !line.starts_with("credentials_end")).collect::<Vec<_>>().join("\n");
        hub.write("diaporos.toml", &text.replace("[systems.catalogue]", &format!("[systems.catalogue]\n{line}")));
        alerts(&hub).into_iter().filter(|alert| alert["alert"] == "credential").collect::<Vec<_>>()
    };
    assert_eq!(with_end(&format!("credentials_end = \"{}\"", day(40))).len(), 0);
    let soon = with_end(&format!("credentials_end = \"{}\"", day(3)));
    assert!(soon[0]["message"].as_str().unwrap().contains("ends on") && soon[0]["subject"] == "catalogue", "{soon:?}");
    let over = with_end(&format!("credentials_end = \"{}\"", day(-3)));
    assert!(over[0]["message"].as_str().unwrap().contains("ended on"), "{over:?}");
    assert_eq!(with_end("").len(), 0);
    // A token that says itself when it ends.
    let claims = format!("{{\"exp\": {}}}", Timestamp::now().as_second() + 86_400);
    let token = format!("eyJhbGciOiJIUzI1NiJ9.{}.c2ln", URL_SAFE_NO_PAD.encode(claims));
    let output = hub.command(&["alerts"]).env("CATALOGUE_READ_TOKEN", &token).output().unwrap();
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(said.contains("credential") && said.contains("ends on") && !said.contains(&token), "{said}");
}
