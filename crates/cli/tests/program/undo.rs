//! Runs that are taken back, of the built program.

use std::collections::BTreeMap;

use serde_json::{Value as Json, json};

use crate::harness::Hub;
use crate::serve::shows;

/// The number of the last run.
fn last_run(hub: &Hub) -> String {
    let ledger = hub.json(&["ledger", "--most", "1"]);
    ledger[0]["run"].as_u64().unwrap().to_string()
}

/// What a visitor of the site sees: each page that is on view, by its number, without what the site adds.
fn seen(hub: &Hub) -> BTreeMap<u64, Json> {
    let rows = hub.world.pages.rows();
    let live = rows.iter().filter(|page| page["status"] == "live");
    let fields = ["slug", "lang", "heading", "teaser", "body", "section", "byline", "topics"];
    live.map(|page| {
        let shown: serde_json::Map<String, Json> =
            fields.iter().map(|field| ((*field).to_owned(), page[*field].clone())).collect();
        (page["id"].as_u64().unwrap(), Json::Object(shown))
    })
    .collect()
}

fn edit(hub: &Hub, id: &str, name: &str) {
    hub.world.plants.edit_text(id, "common_name", "eng", name);
    hub.good(&["pull", "catalogue"]);
}

#[test]
fn what_a_run_changed_is_as_it_was_and_stays_so_till_it_is_released() {
    let hub = Hub::pushed();
    let before = seen(&hub);
    edit(&hub, "p-002", "Queen of ferns");
    hub.world.plants.set_status("p-003", "retired");
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push", "profiles"]).ends(3);
    assert!(shows(&hub, "Queen of ferns") && seen(&hub).len() < before.len());
    let run = last_run(&hub);
    let writes = hub.writes();
    let plan = hub.run(&["undo", &run, "--dry-run"]).ends(0).stdout;
    assert!(plan.contains("catalogue/plant-profile/p-002") && plan.contains("would be taken back"), "{plan}");
    assert_eq!(hub.writes(), writes, "{plan}");
    hub.run(&["undo", &run]).ends(0);
    assert_eq!(seen(&hub), before);
    // Neither the next push nor a newer change does it again.
    let writes = hub.writes();
    hub.run(&["push"]).ends(3);
    edit(&hub, "p-002", "Empress of ferns");
    hub.run(&["push"]).ends(3);
    hub.run(&["push", "--verify"]).ends(3);
    assert_eq!((hub.writes(), seen(&hub)), (writes, before), "kept as it was");
    assert!(hub.good(&["status"]).contains("2 entries are kept as before a run"));
    let explained = hub.good(&["explain", "catalogue/plant-profile/p-002"]);
    assert!(explained.contains(&format!("is kept as it was before run {run}")), "{explained}");
    assert_eq!(hub.json(&["undo", "--list"]).as_array().unwrap().len(), 2);
    // Once more changes nothing.
    hub.run(&["undo", &run]).ends(3);
    assert_eq!(hub.writes(), writes);
    let only = ["undo", &run, "--release", "--only", "catalogue/plant-profile/p-002"];
    assert!(hub.run(&only).ends(0).stderr.contains("1 entry is released"));
    hub.run(&["push"]).ends(3);
    assert!(shows(&hub, "Empress of ferns") && hub.json(&["undo", "--list"]).as_array().unwrap().len() == 1);
    hub.nothing_is_doubled();
}

#[test]
fn a_first_load_is_taken_back_where_a_person_allows_so_much() {
    let hub = Hub::pulled();
    let before = seen(&hub);
    hub.run(&["push"]).ends(3);
    let loaded = seen(&hub);
    let run = last_run(&hub);
    let asked = hub.run(&["undo", &run]).ends(3);
    assert!(asked.stderr.contains("would be taken away"), "{}", asked.stderr);
    assert!(asked.stderr.contains(&format!("`diaporos undo {run} --allow-removals")), "{}", asked.stderr);
    assert!(asked.stdout.contains("is not taken back; nothing was sent"), "{}", asked.stdout);
    assert_eq!((seen(&hub), hub.json(&["undo", "--list"])), (loaded.clone(), json!([])), "nothing was taken back");
    hub.run(&["undo", &run, "--allow-removals", "100"]).ends(0);
    // A page that was there before is as it was, too.
    assert_eq!(seen(&hub), before);
    let writes = hub.writes();
    hub.run(&["push"]).ends(3);
    assert_eq!(hub.writes(), writes);
    hub.run(&["undo", &run, "--release"]).ends(0);
    hub.run(&["push"]).ends(3);
    assert_eq!(seen(&hub), loaded);
    hub.nothing_is_doubled();
}

#[test]
fn what_somebody_changed_there_since_stays() {
    let hub = Hub::pushed();
    edit(&hub, "p-007", "Bog myrtle of the moss");
    hub.run(&["push", "profiles"]).ends(3);
    let run = last_run(&hub);
    let rows = hub.world.pages.rows();
    let page = rows.iter().find(|page| page["heading"] == "Bog myrtle of the moss").unwrap();
    hub.world.pages.edit(page["id"].as_u64().unwrap(), &json!({ "teaser": "Smells of resin." }));
    let said = hub.run(&["undo", &run]).stdout;
    let rows = hub.world.pages.rows();
    let page = rows.iter().find(|row| row["id"] == page["id"]).unwrap();
    assert_eq!(
        (page["heading"] == "Bog myrtle of the moss", &page["teaser"]),
        (false, &json!("Smells of resin.")),
        "{said}"
    );
    assert!(said.contains("changed there by somebody else"), "{said}");
}

#[test]
fn a_run_that_others_built_on_is_taken_back_from_the_last() {
    let hub = Hub::pushed();
    let before = seen(&hub);
    let mut runs = Vec::new();
    for name in ["Queen of ferns", "Empress of ferns"] {
        edit(&hub, "p-002", name);
        hub.run(&["push", "profiles"]).ends(3);
        runs.push(last_run(&hub));
    }
    let refused = hub.run(&["undo", &runs[0]]).ends(3).stderr;
    assert!(refused.contains(&format!("run {} changed it since", runs[1])), "{refused}");
    hub.run(&["undo", &runs[1]]).ends(0);
    assert!(shows(&hub, "Queen of ferns"));
    let unknown = hub.run(&["undo", "4711"]).ends(2).stderr;
    assert!(unknown.contains("no run 4711"), "{unknown}");
    hub.run(&["undo"]).ends(2);
    assert_ne!(seen(&hub), before);
}

#[test]
fn an_undo_that_was_killed_is_finished_by_the_next_push() {
    let hub = Hub::pushed();
    let before = seen(&hub);
    for id in ["p-002", "p-003", "p-007", "p-010"] {
        hub.world.plants.edit_text(id, "common_name", "eng", &format!("Plant {id}"));
    }
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push", "profiles"]).ends(3);
    let run = last_run(&hub);
    hub.world.visitor_site.forget();
    hub.world
        .visitor_site
        .fail(diaporos_demo::Rule::once(diaporos_demo::Fault::StallAfter { millis: 30_000 }, "PATCH"));
    let mut child = hub.start(&["undo", &run]);
    hub.wait_until(|world| world.visitor_site.asked().iter().any(diaporos_demo::Asked::writes));
    child.kill().unwrap();
    child.wait().unwrap();
    hub.world.visitor_site.mend();
    hub.run(&["push", "profiles"]).ends(3);
    assert_eq!(seen(&hub), before);
    hub.nothing_is_doubled();
}

#[test]
fn what_a_rule_protects_is_protected_from_an_undo() {
    let hub = Hub::pushed();
    edit(&hub, "p-002", "Queen of ferns");
    hub.run(&["push", "profiles"]).ends(3);
    let run = last_run(&hub);
    let rule =
        "[lanes.profiles.protect.named]\nwhen    = 'latin_name != null'\nwhy = \"the board decided\"\n\n[lanes.news]";
    hub.alter("diaporos.toml", "[lanes.news]", rule);
    let said = hub.run(&["undo", &run]).ends(3).stdout;
    assert!(said.contains("the board decided") && shows(&hub, "Queen of ferns"), "{said}");
}
