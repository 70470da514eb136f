//! What a mapping does, seen before anything is sent: `explain`, `preview` in its manners,
//! `functions`, rules, tables, and identifiers of counterparts.

use std::io::Write;
use std::process::Stdio;

use serde_json::{Value as Json, json};

use crate::harness::{Hub, Ran, masked, ran};

#[test]
fn why_an_entry_goes_or_does_not() {
    let hub = Hub::pulled();
    let live = hub.good(&["explain", "catalogue/plant-profile/p-001"]);
    let draft = hub.good(&["explain", "catalogue/plant-profile/p-023"]);
    let held = hub.good(&["explain", "catalogue/plant-profile/p-022"]);
    insta::assert_snapshot!([live, draft, held].join("\n"));
    assert!(hub.good(&["explain", "catalogue/trail/t-1"]).contains("no lane takes entries"));
    let rows = hub.json(&["explain", "catalogue/plant-profile/p-023"]);
    assert_eq!((&rows[0]["holds"], &rows[0]["parts"]["state"]), (&json!(false), &json!("draft")), "{rows}");
}

#[test]
fn the_value_after_every_step() {
    let hub = Hub::pulled();
    insta::assert_snapshot!(hub.good(&["preview", "profiles", "catalogue/plant-profile/p-001", "--steps"]));
}

#[test]
fn what_the_destination_holds_beside_what_would_be_sent() {
    let hub = Hub::pushed();
    let address = "catalogue/plant-profile/p-006";
    assert!(hub.good(&["preview", "profiles", address, "--against"]).contains("all fields are as they should be"));
    let id = hub.world.pages.with_slug("maidenhair-spleenwort")[0]["id"].as_u64().unwrap();
    hub.world.pages.edit(id, &json!({ "byline": "Tomos of Tarnside" }));
    let shown = hub.good(&["preview", "profiles", address, "--against"]);
    assert!(shown.contains("byline   Tomos [-of Tarnside-]{+Arden+}"), "{shown}");
    let rows = hub.json(&["preview", "profiles", address, "--against"]);
    assert_eq!((&rows[0]["field"], &rows[0]["there"]), (&json!("byline"), &json!("Tomos of Tarnside")), "{rows}");
    assert_eq!(rows.as_array().unwrap().len(), 1);
}

/// A run with something on standard input.
fn fed(hub: &Hub, args: &[&str], input: &str) -> Ran {
    let mut child =
        hub.command(args).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    ran(child.wait_with_output().unwrap())
}

#[test]
fn lines_are_mapped_without_a_store() {
    let hub = Hub::new();
    let plant = |id: &str, name: &str| {
        json!({ "id": id, "common_name": { "en": name, "fr": "Nom" }, "latin_name": "L.", "description": { "en": "<p>D</p>", "fr": "<p>D</p>" },
                "habitat": "bog", "tags": ["public"], "curator": "c-1", "byline": 1 })
        .to_string()
    };
    let long = plant("p-3", &"Very long ".repeat(20));
    let input =
        format!("{}\nnot json\n\n{long}\n{}\n", plant("p-1", "Royal Fern"), json!({ "id": "p-4", "state": "draft" }));
    hub.alter("diaporos.toml", "byline  = 'curator.full_name'", "byline  = '\"Ostrel\"'");
    let told = fed(&hub, &["preview", "profiles", "--from", "-"], &input).ends(3);
    let documents: Vec<Json> = told.stdout.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(documents.len(), 2, "{}", told.stdout);
    assert_eq!(
        documents[0],
        json!({ "address": "catalogue/plant-profile/p-1", "language": "en", "fields": {
            "slug": "royal-fern", "heading": "Royal Fern", "teaser": "D", "body": "<p>D</p>", "section": "Wetlands",
            "byline": "Ostrel", "topics": ["public"] } })
    );
    insta::assert_snapshot!(told.stderr);
    assert!(!hub.path().join(".diaporos").exists(), "nothing was kept");
    assert_eq!(hub.writes(), 0);
}

#[test]
fn an_entry_as_a_page_at_three_widths() {
    let hub = Hub::pulled();
    let template = "<h1>{{ fields.heading }}</h1>{{ fields.body|safe }}<p>{{ fields.byline }}</p>";
    std::fs::write(hub.path().join("page.html"), template).unwrap();
    hub.alter("diaporos.toml", "gone  = \"withdraw\"", "gone  = \"withdraw\"\ntemplate = \"page.html\"");
    let shown = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-001", "--html", "look.html"]);
    assert!(shown.contains("look.html"), "{shown}");
    let page = std::fs::read_to_string(hub.path().join("look.html")).unwrap();
    for part in ["360 px", "768 px", "1200 px", "sandbox=\"\"", "Osmonde royale", "&lt;h1&gt;Royal Fern&lt;"] {
        assert!(page.contains(part), "{part}: {page}");
    }
    std::fs::write(hub.path().join("page.html"), "{{ fields.heading").unwrap();
    let told = hub.run(&["preview", "profiles", "catalogue/plant-profile/p-001", "--html", "look.html"]).ends(1);
    assert!(told.stderr.contains("the template"), "{}", told.stderr);
}

#[test]
fn a_broken_rule_holds_and_a_protected_page_stays() {
    let hub = Hub::pushed();
    hub.world.plants.edit("p-006", &json!({ "latin_name": null }));
    hub.world.plants.edit("p-007", &json!({ "tags": ["fern", "public", "new"] }));
    hub.world.plants.set_status("p-008", "retired");
    hub.good(&["pull", "catalogue"]);
    hub.alter(
        "diaporos.toml",
        "[lanes.profiles.require.latin]",
        "[lanes.profiles.protect.front]\nwhen = 'entry.id in [\"p-007\", \"p-008\"]'\nwhy = \"the front page shows it\"\n\n[lanes.profiles.require.latin]",
    );
    let tally = hub.json(&["push", "profiles"]);
    assert_eq!((&tally["requests"], &tally["withdrawn"]), (&json!(0), &json!(0)), "{tally}");
    let holds = hub.json(&["holds"]);
    let of =
        |id: &str| holds.as_array().unwrap().iter().find(|row| row["address"].as_str().unwrap().ends_with(id)).cloned();
    assert_eq!(of("p-006").unwrap()["message"], "a profile is not shown without its Latin name", "{holds}");
    assert!(
        of("p-007").unwrap()["message"]
            .as_str()
            .unwrap()
            .contains("overwrite what is protected: the front page shows it")
    );
    assert!(of("p-008").unwrap()["message"].as_str().unwrap().contains("take away what is protected"));
    hub.good(&["resolve", "catalogue/plant-profile/p-008", "--take", "theirs"]);
    assert!(!hub.good(&["holds"]).contains("p-008"), "what was answered is not asked again");
}

#[test]
fn identifiers_follow_when_a_circle_is_closed() {
    let hub = Hub::pulled();
    hub.world.pages.learn_field("related");
    hub.alter("profiles/visitor-site.toml", "topics  = {", "related = { kind = \"text\", many = true }\ntopics  = {");
    hub.alter(
        "diaporos.toml",
        "topics  = 'tags",
        "related = 'relatives | each counterpart | present'\ntopics  = 'tags",
    );
    hub.run(&["push"]).ends(3);
    let page = |slug: &str, language: &str| {
        hub.world.pages.with_slug(slug).into_iter().find(|page| page["lang"] == language).unwrap()
    };
    for language in ["en", "fr", "cy"] {
        let (one, other) = (page("royal-fern", language), page("harts-tongue-fern", language));
        assert_eq!(one["related"], json!([other["id"].to_string()]), "{language}");
        assert_eq!(other["related"], json!([one["id"].to_string()]), "{language}");
    }
    let before = hub.writes();
    let again = hub.json(&["push"]);
    assert_eq!((&again["requests"], hub.writes()), (&json!(0), before), "the second run changes nothing: {again}");
}

#[test]
fn no_page_keeps_the_identifier_of_one_that_went_in_the_same_push() {
    let hub = Hub::pulled();
    hub.world.pages.learn_field("related");
    hub.alter("profiles/visitor-site.toml", "topics  = {", "related = { kind = \"text\", many = true }\ntopics  = {");
    hub.alter(
        "diaporos.toml",
        "topics  = 'tags",
        "related = 'relatives | each counterpart | present'\ntopics  = 'tags",
    );
    hub.run(&["push"]).ends(3);
    // Both are looked at together: the one while the other is still there.
    for id in ["p-001", "p-002"] {
        hub.world.plants.edit(id, &json!({ "tags": ["fern", "public", "new"] }));
    }
    hub.world.plants.set_status("p-002", "retired");
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push", "profiles"]).ends(3);
    for page in hub.world.pages.with_slug("royal-fern") {
        assert_eq!(page["related"], json!([]), "{page}");
    }
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0, "the second run changes nothing");
}

#[test]
fn a_changed_row_of_a_table_reaches_those_that_use_it() {
    let hub = Hub::pushed();
    hub.alter("tables/sections.csv", "bog,Wetlands", "bog,Marsh and mire");
    let tally = hub.json(&["push", "profiles"]);
    let changed = hub.world.pages.rows().into_iter().filter(|page| page["section"] == "Marsh and mire").count();
    assert!(changed > 0 && tally["updated"].as_u64().unwrap() > 0, "{tally}");
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0);
}

#[test]
fn functions_are_listed() {
    let hub = Hub::new();
    insta::assert_snapshot!(masked(&hub.good(&["functions", "shorten"])));
    assert!(hub.json(&["functions"]).as_array().unwrap().len() > 70);
    assert!(hub.run(&["functions", "shortn"]).ends(2).stderr.contains("did you mean `shorten`?"));
    assert!(hub.good(&["functions", "--group", "dates"]).contains("later BY"));
}
