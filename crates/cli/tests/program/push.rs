//! `push`: what is owed, once.

use serde_json::json;

use crate::harness::{Hub, masked};

#[test]
fn the_second_push_sends_nothing() {
    let hub = Hub::pulled();
    let first = hub.json(&["push"]);
    assert_eq!(
        (first["created"].as_u64(), first["adopted"].as_u64(), first["held"].as_u64()),
        (Some(35), Some(1), Some(5))
    );
    let rows = hub.world.pages.rows();
    hub.world.visitor_site.forget();
    let second = hub.json(&["push"]);
    for nothing in ["created", "updated", "adopted", "withdrawn", "failed", "requests"] {
        assert_eq!(second[nothing], 0, "{nothing}");
    }
    assert_eq!(second["unchanged"], 36);
    assert_eq!(hub.writes(), 0);
    assert_eq!(hub.world.pages.rows(), rows);
}

#[test]
fn a_dry_run_is_the_plan_that_the_push_carries_out() {
    let hub = Hub::pulled();
    let steps = |json: &serde_json::Value| {
        let step = |row: &serde_json::Value| {
            let of = |name: &str| row[name].as_str().unwrap_or_default().to_owned();
            (of("address"), of("language"), of("step"), row["changes"].clone().to_string(), of("message"))
        };
        let mut steps: Vec<_> = json["steps"].as_array().unwrap().iter().map(step).collect();
        steps.sort();
        steps
    };
    let planned = hub.json(&["push", "--dry-run"]);
    assert_eq!(hub.writes(), 0);
    let done = hub.json(&["push"]);
    assert_eq!(steps(&planned), steps(&done));
    assert_eq!(planned["requests"], done["requests"]);
    assert_eq!(hub.writes() as u64, done["requests"].as_u64().unwrap());
}

#[test]
fn what_exists_there_is_adopted_and_its_other_fields_stay() {
    let hub = Hub::pushed();
    let pages = hub.world.pages.with_slug("royal-fern");
    assert_eq!(pages.len(), 3, "a page per language, none doubled");
    let english = pages.iter().find(|page| page["lang"] == "en").unwrap();
    assert_eq!((english["id"].as_u64(), &english["heading"]), (Some(9001), &json!("Royal Fern")));
    assert_eq!(english["banner"], "summer.jpg", "what the lane does not map is not touched");
    let items: Vec<&serde_json::Value> = pages.iter().map(|page| &page["item"]).collect();
    assert!(items.iter().all(|item| **item == "item-9001"), "the languages belong together: {items:?}");
}

#[test]
fn only_what_changed_is_sent() {
    let hub = Hub::pushed();
    hub.world.plants.edit("p-006", &json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    let pushed = hub.json(&["push"]);
    assert_eq!((pushed["updated"].as_u64(), pushed["requests"].as_u64()), (Some(1), Some(3)), "{pushed}");
    assert_eq!(hub.writes(), 3);
}

#[test]
fn a_changed_reference_reaches_those_that_used_it() {
    let hub = Hub::pushed();
    hub.world.plants.edit("c-1", &json!({ "full_name": "Mair Fenwick-Rhys" }));
    hub.good(&["pull", "catalogue"]);
    assert!(hub.json(&["push"])["updated"].as_u64().unwrap() > 0);
    let pages = hub.world.pages.with_slug("harts-tongue-fern");
    assert!(pages.iter().all(|page| page["byline"] == "Mair Fenwick-Rhys"), "{pages:?}");
}

#[test]
fn what_is_gone_is_withdrawn_and_what_returns_is_put_back() {
    let hub = Hub::pushed();
    hub.world.plants.set_status("p-006", "retired");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push"])["withdrawn"], 1);
    let slug = "maidenhair-spleenwort";
    assert!(hub.world.pages.with_slug(slug).iter().all(|page| page["status"] == "withdrawn"));
    hub.world.plants.set_status("p-006", "published");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push"])["updated"], 1);
    let pages = hub.world.pages.with_slug(slug);
    assert!(pages.len() == 3 && pages.iter().all(|page| page["status"] == "live"), "{pages:?}");
}

#[test]
fn a_hand_edit_there_is_not_written_over() {
    let hub = Hub::pushed();
    let page = &hub.world.pages.with_slug("maidenhair-spleenwort")[0];
    let (id, language) = (page["id"].as_u64().unwrap(), page["lang"].clone());
    hub.world.pages.edit(id, &json!({ "section": "by hand" }));
    hub.world.plants.edit("p-006", &json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push", "profiles"])["held"], 5);
    let now = || hub.world.pages.rows().into_iter().find(|row| row["id"] == id).unwrap();
    assert_eq!(now()["section"], "by hand");
    let holds = hub.good(&["holds"]);
    assert!(holds.contains("diaporos resolve catalogue/plant-profile/p-006 --take ours"), "{holds}");
    hub.good(&["resolve", "catalogue/plant-profile/p-006", "--take", "ours"]);
    hub.run(&["push"]).ends(3);
    assert_eq!(now()["section"], "Garden", "{language}");
}

#[test]
fn a_hand_edit_of_a_field_that_is_not_ours_stays_and_does_not_stop_us() {
    let hub = Hub::pushed();
    let id = hub.world.pages.with_slug("maidenhair-spleenwort")[0]["id"].as_u64().unwrap();
    hub.world.pages.edit(id, &json!({ "banner": "winter.jpg" }));
    hub.world.plants.edit("p-006", &json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push"])["updated"], 1);
    let now = hub.world.pages.rows().into_iter().find(|row| row["id"] == id).unwrap();
    assert_eq!((&now["section"], &now["banner"]), (&json!("Garden"), &json!("winter.jpg")));
}

#[test]
fn two_entries_with_one_key_do_not_share_a_page() {
    let hub = Hub::pushed();
    assert_eq!(hub.world.pages.with_slug("oak-fern").len(), 0, "which of them it is to be is not ours to choose");
    let held = hub.json(&["holds"]);
    let taken: Vec<&str> = held
        .as_array()
        .unwrap()
        .iter()
        .filter(|row| row["reason"] == "key-taken")
        .map(|row| row["address"].as_str().unwrap())
        .collect();
    assert_eq!(taken, ["catalogue/plant-profile/p-004", "catalogue/plant-profile/p-005"]);
    hub.world.plants.edit_text("p-005", "common_name", "eng", "Eastern oak fern");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push", "profiles"])["created"], 2);
    // One that is delivered keeps its key, and another cannot come to it.
    hub.world.plants.edit_text("p-005", "common_name", "eng", "Oak Fern");
    hub.good(&["pull", "catalogue"]);
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!(hub.world.pages.with_slug("oak-fern").len(), 3, "{pushed}");
    assert!(hub.good(&["holds"]).contains("`catalogue/plant-profile/p-004` has the same key there"));
}

#[test]
fn holds_say_why_and_what_to_do() {
    insta::assert_snapshot!(masked(&Hub::pushed().good(&["holds"])));
}

#[test]
fn a_held_entry_goes_once_it_is_mended() {
    let hub = Hub::pushed();
    hub.world.plants.edit("p-022", &json!({ "curator": "c-1" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push"])["created"], 1);
    assert_eq!(hub.json(&["holds"]).as_array().unwrap().len(), 4);
}

#[test]
fn the_reading_credential_is_never_used_to_write() {
    let hub = Hub::pulled();
    let mut command = hub.command(&["push"]);
    command.env_remove("SITE_WRITE_TOKEN");
    let ran = crate::harness::ran(command.output().unwrap()).ends(2);
    assert!(ran.stderr.contains("SITE_WRITE_TOKEN is not set"), "{}", ran.stderr);
    assert_eq!(hub.writes(), 0);
}

#[test]
fn status_counts_what_is_where() {
    let hub = Hub::pulled();
    let before = hub.json(&["status"])["lanes"].take();
    assert_eq!((before[0]["owed"].as_u64(), before[0]["delivered"].as_u64()), (Some(28), Some(0)), "{before}");
    hub.run(&["push"]).ends(3);
    insta::assert_snapshot!(masked(&hub.good(&["status"])));
}

#[test]
fn what_is_taken_off_by_hand_stays_off_until_it_is_put_back() {
    let hub = Hub::pushed();
    let address = "catalogue/plant-profile/p-006";
    let live = || hub.live_pages().iter().filter(|page| page["slug"] == "maidenhair-spleenwort").count();
    assert_eq!(live(), 3);
    let told = hub.good(&["withdraw", address, "--from", "visitor-site"]);
    assert!(told.contains("the next push takes it off"), "{told}");
    assert_eq!(hub.json(&["push"])["withdrawn"], 1);
    assert_eq!(live(), 0);
    // Neither another push nor a change at its source brings it back.
    hub.world.plants.edit("p-006", &json!({ "habitat": "bog" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push"])["requests"], 0);
    assert!(hub.good(&["explain", address]).contains("is kept off by hand"));
    assert!(hub.good(&["withdraw", address, "--from", "visitor-site"]).contains("kept off already"));
    hub.good(&["withdraw", address, "--from", "visitor-site", "--put-back"]);
    assert_eq!(hub.json(&["push"])["updated"], 1);
    assert_eq!(live(), 3);
    assert_eq!(hub.json(&["push"])["requests"], 0);
    let none = hub.run(&["withdraw", "catalogue/trail/t-1", "--from", "visitor-site"]).ends(2);
    assert!(none.stderr.contains("no lane takes entries of `catalogue/trail`"), "{}", none.stderr);
}

#[test]
fn the_ledger_tells_for_which_change_how_often_tried_and_how_to_send_it_again() {
    let hub = Hub::pushed();
    hub.world.plants.edit("p-007", &json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    hub.world.visitor_site.fail(diaporos_demo::Rule {
        times: Some(9),
        ..diaporos_demo::Rule::once(diaporos_demo::Fault::Status { status: 422 }, "PATCH")
    });
    hub.run(&["push", "profiles"]).ends(3);
    hub.world.visitor_site.mend();
    hub.run(&["push", "profiles"]).ends(3);
    let rows = hub.json(&["ledger", "--entry", "catalogue/plant-profile/p-007", "--lane", "profiles"]);
    let rows = rows.as_array().unwrap();
    let last = rows.last().unwrap();
    assert_eq!((&last["result"], &last["version"], &last["tries"]), (&json!("done"), &json!(2), &json!(2)), "{last}");
    let failed = hub.json(&["ledger", "--failed"]);
    assert!(failed.as_array().unwrap().iter().all(|row| row["result"] != "done"), "{failed}");

    let curl = hub.good(&["ledger", "--entry", "catalogue/plant-profile/p-007", "--as-curl"]);
    assert!(
        curl.contains("curl -X PATCH") && curl.contains("$SITE_WRITE_TOKEN") && curl.contains("if-match"),
        "{curl}"
    );
    assert!(curl.contains("\"item\"") && !curl.contains(diaporos_demo::SITE_WRITE_TOKEN), "{curl}");

    assert!(hub.good(&["ledger", "--prune", "90d"]).contains("0 requests were"));
    assert!(hub.run(&["ledger", "--prune", "soon"]).ends(2).stderr.contains("--prune 90d"));
    assert!(hub.good(&["ledger", "--prune", "0s"]).contains("requests were taken out"));
    assert_eq!(hub.json(&["ledger"]).as_array().unwrap().len(), 0);
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0, "what was delivered is known all the same");
}

/// What cannot be looked up is not absent: no fallback is delivered in its place, by no command.
#[test]
fn a_store_that_is_damaged_where_a_reference_leads_stops_the_push() {
    let hub = Hub::pushed();
    hub.alter("diaporos.toml", "byline  = 'curator.full_name'", "byline  = 'curator.full_name ?? \"the gardens\"'");
    let curators =
        "entry IN (SELECT entry.id FROM entry JOIN entry_type ON entry_type.id = type WHERE name = 'curator')";
    // No version is packed by a dictionary of that number.
    hub.in_store(&format!("UPDATE version SET packing = 99 WHERE {curators}"));
    for command in [
        &["push", "profiles"][..],
        &["push", "profiles", "--dry-run"],
        &["explain", "catalogue/plant-profile/p-002"],
        &["preview", "profiles", "catalogue/plant-profile/p-002"],
        &["preview", "profiles", "catalogue/plant-profile/p-002", "--steps"],
        &["check", "--entries"],
    ] {
        let ran = hub.run(command);
        assert!(
            ran.code == Some(1) && ran.stderr.contains("the store"),
            "{command:?} {:?} {}{}",
            ran.code,
            ran.stdout,
            ran.stderr
        );
    }
    assert_eq!(hub.writes(), 0);
}

/// A large push tells what is new and what is wrong, and counts the rest.
#[test]
fn a_large_push_is_counted_and_a_known_hold_is_not_told_again() {
    let hub = Hub::with_plants(150);
    hub.good(&["pull"]);
    let listed = hub.run(&["push", "--dry-run", "--rows", "profiles"]).ends(3).stdout;
    let shown = hub.run(&["push", "profiles"]).ends(3).stdout;
    assert!(shown.lines().count() < 120 && listed.lines().count() > 170, "{shown}");
    assert!(shown.contains("more to create") && shown.contains("`--rows` lists them all"), "{shown}");
    assert!(shown.contains("hold"), "new holds are shown: {shown}");
    let again = hub.run(&["push", "profiles"]).ends(3).stdout;
    assert!(again.contains("entries are held as before") && !again.contains("unfit"), "{again}");
    assert!(hub.run(&["push", "profiles", "--rows"]).stdout.contains("unfit"));
}
