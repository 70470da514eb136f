//! What somebody else changes at the destination: merged, held, or told.

use diaporos_demo::{Fault, Rule};
use regex::Regex;
use serde_json::{Value as Json, json};

use crate::harness::{Hub, masked};

const PLANT: &str = "catalogue/plant-profile/p-007";

/// The English page of the bog myrtle.
fn page(hub: &Hub) -> Json {
    hub.world.pages.with_slug("bog-myrtle").into_iter().find(|page| page["lang"] == "en").unwrap()
}

fn edit(hub: &Hub, fields: &Json) {
    hub.world.pages.edit(page(hub)["id"].as_u64().unwrap(), fields);
}

/// Changes the plant at its source.
fn change(hub: &Hub, fields: &Json) {
    hub.world.plants.edit("p-007", fields);
    hub.good(&["pull", "catalogue"]);
}

/// Pages are numbered in the order in which they arrive, which is nobody's promise.
fn without_ids(text: &str) -> String {
    Regex::new(r"\b9\d{3}\b").unwrap().replace_all(&masked(text), "9nnn").into_owned()
}

fn why_held(hub: &Hub) -> Option<String> {
    let holds = hub.json(&["holds"]);
    let row = holds.as_array().unwrap().iter().find(|row| row["address"] == PLANT)?;
    Some(row["message"].as_str().unwrap().to_owned())
}

#[test]
fn what_only_they_changed_stays_and_what_only_we_changed_goes() {
    let hub = Hub::pushed();
    edit(&hub, &json!({ "heading": "Sweet gale", "banner": "bog.jpg" }));
    change(&hub, &json!({ "habitat": "old wall" }));
    let section = page(&hub)["section"].clone();
    assert_eq!(hub.json(&["push", "profiles"])["updated"], 1);
    let now = page(&hub);
    assert_eq!((&now["heading"], &now["banner"]), (&json!("Sweet gale"), &json!("bog.jpg")));
    assert_ne!(now["section"], section, "our change went");
    // It goes on standing when ours changes elsewhere once more, and no request is lost on it.
    change(&hub, &json!({ "habitat": "bog" }));
    hub.json(&["push", "profiles"]);
    assert_eq!((&page(&hub)["heading"], &page(&hub)["section"]), (&json!("Sweet gale"), &section));
    assert_eq!(hub.json(&["push", "profiles", "--verify"])["requests"], 0);
}

#[test]
fn what_both_changed_is_held_until_a_person_says_field_by_field() {
    let hub = Hub::pushed();
    edit(&hub, &json!({ "heading": "Sweet gale", "teaser": "Smells of resin." }));
    change(
        &hub,
        &json!({ "common_name": { "eng": "Gale bush" }, "description": { "eng": "<p>Keeps moths away.</p>" } }),
    );
    assert_eq!(hub.json(&["push", "profiles"])["held"], 5);
    assert!(why_held(&hub).unwrap().contains("changed there by somebody else since we wrote it: heading, teaser"));
    assert_eq!(page(&hub)["heading"], "Sweet gale", "nothing is overwritten on a guess");
    insta::assert_snapshot!("three_way", without_ids(&hub.good(&["show", PLANT, "--three-way"])));

    let wrong = hub.run(&["resolve", PLANT, "--take", "headline=ours"]).ends(2);
    assert!(wrong.stderr.contains("does not map `headline`"), "{}", wrong.stderr);
    hub.good(&["resolve", PLANT, "--take", "heading=ours"]);
    hub.run(&["push", "profiles"]).ends(3);
    assert!(why_held(&hub).unwrap().ends_with("teaser"), "the other is as open as before");
    assert_eq!(page(&hub)["heading"], "Sweet gale", "and nothing of it goes till then");
    hub.good(&["resolve", PLANT, "--take", "heading=ours,teaser=theirs"]);
    hub.run(&["push", "profiles"]).ends(3);
    let now = page_of(&hub, "gale-bush");
    assert_eq!((&now["heading"], &now["teaser"]), (&json!("Gale bush"), &json!("Smells of resin.")));
    assert_eq!(hub.json(&["push", "profiles", "--verify"])["requests"], 0, "the second run changes nothing");
}

fn page_of(hub: &Hub, slug: &str) -> Json {
    hub.world.pages.with_slug(slug).into_iter().find(|page| page["lang"] == "en").unwrap()
}

#[test]
fn policies_say_whose_a_field_is() {
    let hub = Hub::pushed();
    hub.alter(
        "diaporos.toml",
        "[lanes.profiles.fields]",
        "[lanes.profiles.changed_there_fields]\nheading = \"ours\"\nteaser = \"theirs\"\n\n[lanes.profiles.fields]",
    );
    edit(&hub, &json!({ "heading": "Sweet gale", "teaser": "Smells of resin." }));
    let pushed = hub.json(&["push", "profiles", "--verify"]);
    assert_eq!(pushed["updated"], 1, "{pushed}");
    assert_eq!((&page(&hub)["heading"], &page(&hub)["teaser"]), (&json!("Bog Myrtle"), &json!("Smells of resin.")));
    change(&hub, &json!({ "description": { "eng": "<p>Keeps moths away.</p>" } }));
    hub.json(&["push", "profiles"]);
    assert_eq!(page(&hub)["body"], "<p>Keeps moths away.</p>");
    assert_eq!(page(&hub)["teaser"], "Smells of resin.", "theirs stays although ours changed");
    let faulty = hub.path().join("diaporos.toml");
    let text = std::fs::read_to_string(&faulty).unwrap().replace("heading = \"ours\"", "heading = \"mine\"");
    std::fs::write(&faulty, text).unwrap();
    let ran = hub.run(&["check"]).ends(2);
    assert!(ran.stdout.contains("`mine` is not what can become of fields"), "{}{}", ran.stdout, ran.stderr);
}

#[test]
fn looking_only_says_what_a_push_would_do() {
    let hub = Hub::pushed();
    assert!(hub.good(&["status", "--verify"]).contains("everything is there as it was delivered"));
    edit(&hub, &json!({ "heading": "Sweet gale" }));
    let fern = hub.world.pages.with_slug("royal-fern");
    hub.world.pages.delete(fern[0]["id"].as_u64().unwrap());
    insta::assert_snapshot!("status_verify", without_ids(&hub.run(&["status", "--verify"]).ends(3).stdout));
    assert!(!hub.json(&["status", "--verify"])["documents"].as_array().unwrap().is_empty());
    assert_eq!(why_held(&hub), None, "looking notes nothing");
    let pushed = hub.json(&["push", "--verify"]);
    assert_eq!((&pushed["requests"], &pushed["held"]), (&json!(0), &json!(6)), "{pushed}");
    hub.good(&["resolve", "catalogue/plant-profile/p-001", "--take", "ours"]);
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 1);
    assert_eq!(hub.world.pages.with_slug("royal-fern").len(), 3, "the page that was deleted is there again");
    hub.nothing_is_doubled();
}

/// The paths that were asked for since the last time, by how often.
fn reads(hub: &Hub) -> (usize, usize) {
    let asked = hub.world.visitor_site.asked();
    hub.world.visitor_site.forget();
    let is_one = |path: &str| path.strip_prefix("/api/pages/").is_some_and(|id| id.parse::<u64>().is_ok());
    let listings = asked.iter().filter(|asked| asked.method == "GET" && asked.path == "/api/pages").count();
    (listings, asked.iter().filter(|asked| asked.method == "GET" && is_one(&asked.path)).count())
}

#[test]
fn many_are_compared_by_the_listing_and_what_it_does_not_show_as_known_is_read() {
    let hub = Hub::with_plants(30);
    hub.good(&["pull"]);
    hub.run(&["push", "profiles"]).ends(3);
    reads(&hub);
    assert!(hub.good(&["status", "--verify", "profiles"]).contains("everything is there as it was delivered"));
    assert_eq!(reads(&hub), (1, 0));
    edit(&hub, &json!({ "heading": "Sweet gale" }));
    let fern = hub.world.pages.with_slug("royal-fern");
    hub.world.pages.delete(fern[0]["id"].as_u64().unwrap());
    let told = hub.run(&["status", "--verify", "profiles"]).ends(3).stdout;
    assert!(told.contains("changed there by somebody else, and stays: heading") && told.contains("p-001"), "{told}");
    assert_eq!(reads(&hub), (1, 2), "the one that was changed, and the one that is gone");

    // A listing that fails, or is cut short, costs a look at each and hides nothing.
    for fault in [Fault::Html, Fault::HalfBody, Fault::Status { status: 403 }] {
        hub.world.visitor_site.fail(Rule { path: Some("/api/pages".to_owned()), ..Rule::once(fault, "GET") });
        let told = hub.run(&["status", "--verify", "profiles"]).ends(3).stdout;
        assert!(told.contains("changed there by somebody else, and stays: heading") && told.contains("p-001"));
        let (_, one_by_one) = reads(&hub);
        assert!(one_by_one > 60, "{one_by_one}");
    }
}

/// Lists are merged item by item.
#[test]
fn both_may_add_to_a_list() {
    let hub = Hub::pushed();
    let before = page(&hub)["topics"].as_array().unwrap().clone();
    let with = |more: &str| before.iter().cloned().chain([json!(more)]).collect::<Vec<Json>>();
    edit(&hub, &json!({ "topics": with("moths") }));
    change(&hub, &json!({ "tags": ["shrub", "bog", "public", "resin"] }));
    hub.json(&["push", "profiles"]);
    let topics = page(&hub)["topics"].clone();
    let topics: Vec<&str> = topics.as_array().unwrap().iter().filter_map(Json::as_str).collect();
    assert!(topics.contains(&"moths") && topics.contains(&"resin"), "{topics:?}");
    assert_eq!(hub.json(&["push", "profiles", "--verify"])["requests"], 0);
}

#[test]
fn a_lock_of_somebody_else_is_respected_and_ours_is_given_back() {
    let hub = Hub::pushed();
    let id = page(&hub)["id"].as_u64().unwrap();
    hub.world.pages.lock(id, "Nia Parry", "2026-05-01T10:00:00Z");
    change(&hub, &json!({ "habitat": "old wall" }));
    let before = page(&hub);
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!(pushed["held"], 5, "{pushed}");
    assert!(why_held(&hub).unwrap().contains("locked there: by Nia Parry, since 2026-05-01T10:00:00Z"));
    assert_eq!((page(&hub), hub.world.pages.locked_by(id)), (before, Some("Nia Parry".to_owned())));
    hub.world.pages.unlock(id);
    assert_eq!(hub.json(&["push", "profiles"])["held"], 4);
    assert_ne!(page(&hub)["section"], "bog");
    assert_eq!(hub.world.pages.locked_by(id), None, "ours was given back");

    // A run that died left its own lock.
    hub.world.pages.lock(id, "the hub", "2026-05-01T10:00:00Z");
    change(&hub, &json!({ "habitat": "bog" }));
    assert_eq!(hub.json(&["push", "profiles"])["updated"], 1);
    assert_eq!(hub.world.pages.locked_by(id), None);
}
