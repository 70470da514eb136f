//! What people decide of an entry's fields stays, whatever a source gives, until they said it ends.

use serde_json::json;

use crate::harness::Hub;

const P006: &str = "catalogue/plant-profile/p-006";

/// What a lane makes of the entry, field by field.
fn mapped(hub: &Hub, field: &str) -> String {
    let rows = hub.json(&["preview", "profiles", P006]);
    rows.as_array().unwrap().iter().filter(|row| row["field"] == field).map(|row| row["value"].to_string()).collect()
}

#[test]
fn what_is_amended_is_delivered_and_counts_whatever_is_pulled() {
    let hub = Hub::pushed();
    let before = hub.writes();
    hub.good(&["amend", P006, "--set", "common_name=Wall fern", "--language", "en", "--why", "the label says so"]);
    assert!(mapped(&hub, "heading").contains("Wall fern"), "{}", mapped(&hub, "heading"));
    let told = hub.json(&["push", "profiles"]);
    assert_eq!(told["failed"].as_u64().unwrap_or_default(), 0, "{told}");
    assert!(hub.writes() > before, "{told}");
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0, "the same again");
    // The source goes on, and what was decided stays; what it says is seen beside it.
    hub.world.plants.edit("p-006", &json!({ "common_name": { "eng": "Spleenwort", "fra": "Capillaire" } }));
    hub.good(&["pull", "catalogue"]);
    let heading = mapped(&hub, "heading");
    assert!(
        heading.contains("Wall fern") && heading.contains("Capillaire") && !heading.contains("Spleenwort"),
        "{heading}"
    );
    let shown = hub.json(&["show", P006]);
    assert_eq!(shown["fields"]["common_name"]["en"], "Spleenwort", "what the source gives");
    assert_eq!(shown["amended"][0]["counts"], "yes");
    assert!(hub.good(&["explain", P006]).contains("amended: common_name@en is Wall fern"));
    assert!(hub.good(&["preview", "profiles", P006, "--steps"]).contains("amended: common_name@en is Wall fern"));
    hub.good(&["amend", "--drop", "p-006-common-name"]);
    assert!(mapped(&hub, "heading").contains("Spleenwort"));
    assert_eq!(hub.json(&["amend"]).as_array().unwrap().len(), 0);
}

#[test]
fn an_amendment_until_the_source_changes_ends_then_and_says_so() {
    let hub = Hub::pulled();
    hub.good(&["amend", P006, "--set", "common_name=Wall fern", "--language", "en", "--until-changed"]);
    assert!(mapped(&hub, "heading").contains("Wall fern"));
    hub.world.plants.edit("p-006", &json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    assert!(mapped(&hub, "heading").contains("Wall fern"), "another field changed");
    hub.world.plants.edit("p-006", &json!({ "common_name": { "eng": "Spleenwort" } }));
    hub.good(&["pull", "catalogue"]);
    assert!(mapped(&hub, "heading").contains("Spleenwort"));
    assert_eq!(hub.json(&["amend"])[0]["counts"], "no: the source changed it since");
}

#[test]
fn items_come_and_go_for_one_lane_and_the_file_may_be_edited() {
    let hub = Hub::pulled();
    hub.good(&["amend", P006, "--set", "tags-=walls", "--set", "tags+=shade", "--lane", "profiles"]);
    let topics = mapped(&hub, "topics");
    assert!(topics.contains("shade") && !topics.contains("walls"), "{topics}");
    let file = std::fs::read_to_string(hub.path().join("amendments.toml")).unwrap();
    assert!(file.contains("[amendments.p-006-tags]") && file.contains("[amendments.p-006-tags-2]"), "{file}");
    // A remark of a person's own stays, whatever is taken back.
    hub.write("amendments.toml", &format!("# ours\n{file}"));
    hub.good(&["amend", "--drop", "p-006-tags"]);
    let file = std::fs::read_to_string(hub.path().join("amendments.toml")).unwrap();
    assert!(file.contains("# ours") && file.contains("shade") && !file.contains("walls"), "{file}");
    assert!(mapped(&hub, "topics").contains("walls"));

    // What cannot be is told before anything is kept.
    for (set, told) in [
        ("tags=x", "write it as JSON"),
        ("latin_name+=x", "is no list"),
        ("common_name=x", "say which by `--language`"),
        ("comon_name=x", "there is no field"),
        ("tags+=shade", ""),
    ] {
        let ran = hub.run(&["amend", P006, "--set", set]);
        if !told.is_empty() {
            assert!(ran.code != Some(0) && ran.stderr.contains(told), "{set}: {}", ran.stderr);
        }
    }
    // A faulty file stops everything, and is named with its place.
    hub.write("amendments.toml", "[amendments.x]\nentry = \"nowhere\"\nfield = \"a\"\nset = 1\nadd = 2\n");
    let ran = hub.run(&["check"]);
    let told = format!("{}{}", ran.stdout, ran.stderr);
    assert!(ran.code == Some(2) && told.contains("amendments.toml:2") && told.contains("says one of"), "{told}");
}
