//! `entries`, `show`, `preview`.

use crate::harness::{Hub, masked, skipped};

fn addresses(hub: &Hub, args: &[&str]) -> Vec<String> {
    let rows = hub.json(&[&["entries"], args].concat());
    rows.as_array().unwrap().iter().map(|row| row["address"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn filters_narrow() {
    let hub = Hub::pulled();
    assert!(addresses(&hub, &["--system", "bulletins"]).iter().all(|address| address.starts_with("bulletins/item/")));
    assert_eq!(addresses(&hub, &["--type", "trail", "--state", "draft"]).len(), 1);
    assert_eq!(addresses(&hub, &["--state", "draft,withdrawn"]).len(), 4);
    assert_eq!(addresses(&hub, &["--text", "OSMONDE royale"]), ["catalogue/plant-profile/p-001"]);
    assert_eq!(addresses(&hub, &["--most", "3"]).len(), 3);
    assert!(addresses(&hub, &["--text", "no such words"]).is_empty());
}

#[test]
fn a_table_of_entries() {
    insta::assert_snapshot!(masked(&Hub::pulled().good(&["entries", "--type", "curator"])));
}

#[test]
fn one_entry_whole() {
    let hub = Hub::pulled();
    insta::assert_snapshot!(masked(&hub.good(&["show", "catalogue/plant-profile/p-001"])));
}

#[test]
fn an_address_that_leads_nowhere() {
    let hub = Hub::pulled();
    let ran = hub.run(&["show", "catalogue/plant-profil/p-001"]).ends(1);
    insta::assert_snapshot!(ran.stderr);
    let ran = hub.run(&["show", "p-001"]).ends(2);
    insta::assert_snapshot!(ran.stderr);
}

#[test]
fn what_an_entry_becomes() {
    let hub = Hub::pulled();
    insta::assert_snapshot!(hub.good(&["preview", "profiles", "catalogue/plant-profile/p-012"]));
    let draft = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-023"]);
    assert!(draft.contains("does not go"), "{draft}");
    let held = hub.run(&["preview", "profiles", "catalogue/plant-profile/p-022"]).ends(3);
    assert!(held.stdout.contains("catalogue/curator/c-99"), "the dead reference is named: {}", held.stdout);
}

#[test]
fn the_very_request_with_the_secret_by_name() {
    let hub = Hub::pulled();
    let shown = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-012", "--as-curl"]);
    assert!(!shown.contains(diaporos_demo::SITE_WRITE_TOKEN), "{shown}");
    insta::assert_snapshot!(masked(&shown));
    assert_eq!(hub.writes(), 0, "a preview sends nothing");
}

#[test]
fn the_request_as_shown_is_the_request_that_works() {
    let hub = Hub::pulled();
    let shown = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-012", "--as-curl"]);
    let first = shown.split("\n\n").next().unwrap();
    if std::process::Command::new("curl").arg("--version").output().is_err() {
        return skipped("no curl on this machine");
    }
    assert!(in_shell(&hub, first), "{first}");
    assert_eq!((hub.writes(), hub.live_pages().len()), (1, 4), "written once, by that request");
}

/// Runs a `curl` command line in a shell with the hub's variables.
fn in_shell(hub: &Hub, line: &str) -> bool {
    let script = format!("{} --fail --silent --output /dev/null", line.trim_end());
    let shell = std::process::Command::new("sh").arg("-c").arg(script).envs(hub.world.variables()).status();
    shell.unwrap().success()
}

#[test]
fn entries_by_expression_in_order_with_columns() {
    let hub = Hub::pulled();
    let args = ["entries", "--type", "exhibit", "--where", "opens > \"2026-04\"", "--sort", "-opens"];
    let rows = hub.json(&[&args[..], &["--columns", "title@en,opens,host=host.full_name"]].concat());
    insta::assert_json_snapshot!(rows);
    hub.alter(
        "diaporos.toml",
        "[lanes.profiles]",
        "[views.soon]\ntype = \"exhibit\"\nwhere = 'opens > \"2026-04\"'\nsort = \"-opens\"\ncolumns = [\"title@en\", \"opens\", \"host=host.full_name\"]\n\n[lanes.profiles]",
    );
    assert_eq!(hub.json(&["entries", "--view", "soon"]), rows, "a view is the same list under a name");
    assert!(hub.run(&["entries", "--view", "son"]).ends(2).stderr.contains("did you mean `soon`?"));
}

#[test]
fn a_fault_in_a_typed_expression_is_pointed_at() {
    let hub = Hub::pulled();
    insta::assert_snapshot!(hub.run(&["entries", "--where", "opens > | date"]).ends(2).stderr);
    let told = hub.run(&["entries", "--type", "trail", "--sort", "-minuts"]).ends(2);
    assert!(told.stderr.contains("did you mean `minutes`?"), "{}", told.stderr);
    let told = hub.run(&["entries", "--type", "trail", "--where", "minutes > \"long\""]).ends(2);
    assert!(told.stderr.contains("integer or null and text have no order"), "{}", told.stderr);
    let told = hub.run(&["entries", "--where", "fields.minutes > \"long\""]).ends(1);
    assert!(told.stderr.contains("catalogue/trail/t-1: integer and text have no order"), "{}", told.stderr);
}

#[test]
fn text_is_found_in_any_language_and_case_by_words() {
    let hub = Hub::pulled();
    for (text, count) in
        [("rhedynen gyf", 1), ("FOUGÈRE femelle", 1), ("fougere", 4), ("ern", 0), ("\"", 0), ("p-001", 1)]
    {
        assert_eq!(addresses(&hub, &["--text", text]).len(), count, "{text}");
    }
}

#[test]
fn the_tree_of_references() {
    let hub = Hub::pulled();
    insta::assert_snapshot!(hub.good(&["refs", "catalogue/trail/t-1"]));
    let back = hub.good(&["refs", "catalogue/curator/c-4", "--back", "--depth", "1"]);
    assert!(back.contains("└─ catalogue/"), "{back}");
    assert!(hub.good(&["refs", "catalogue/exhibit/x-5"]).contains("catalogue/curator/c-99  dead end"));
    let rows = hub.json(&["refs", "catalogue/trail/t-1"]);
    assert!(rows.as_array().unwrap().iter().any(|row| row["end"] == "circle: it stands above"), "{rows}");
}

#[test]
fn models_declared_inferred_and_compared() {
    let hub = Hub::pulled();
    insta::assert_snapshot!(hub.good(&["model", "list"]));
    insta::assert_snapshot!(hub.good(&["model", "infer", "catalogue/plant-profile"]));
    insta::assert_snapshot!(hub.good(&["model", "compare", "catalogue/plant-profile", "visitor-site/page"]));
    assert!(
        hub.run(&["model", "show", "catalogue/plnt-profile"]).ends(2).stderr.contains("did you mean `plant-profile`?")
    );
}

#[test]
fn one_entry_in_languages_versions_and_differences() {
    let hub = Hub::pulled();
    hub.world.plants.edit("p-006", &serde_json::json!({ "habitat": "old wall", "latin_name": null }));
    hub.good(&["pull", "catalogue"]);
    let address = "catalogue/plant-profile/p-006";
    let between = hub.json(&["show", address, "--between", "1,2"]);
    insta::assert_json_snapshot!(between);
    assert_eq!(hub.json(&["show", address, "--between", "1"]), between, "up to the newest");
    let first = hub.json(&["show", address, "--version", "1"]);
    assert_ne!(first["fields"]["habitat"], "old wall");
    let side_by_side = hub.json(&["show", address, "--lang", "en,fr"]);
    assert_eq!(side_by_side[0]["field"], "common_name");
    assert_eq!(side_by_side[0]["en"], "Maidenhair Spleenwort");
    assert!(hub.run(&["show", address, "--version", "9"]).ends(1).stderr.contains("it has 2"));
}

#[test]
fn an_item_as_received() {
    let hub = Hub::pulled();
    let address = "catalogue/plant-profile/p-006";
    let item = hub.json(&["show", address, "--raw"]);
    assert_eq!(
        (&item["id"], &item["status"]),
        (&serde_json::json!("p-006"), &serde_json::json!("published")),
        "{item}"
    );
    hub.world.plants.edit("p-006", &serde_json::json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    let now = hub.json(&["show", address, "--raw"]);
    assert_eq!(now["content"]["habitat"], "old wall");
    assert_eq!(hub.json(&["show", address, "--raw", "--version", "1"]), item, "an older version keeps its own");
    let address = addresses(&hub, &["--system", "bulletins", "--most", "1"]).remove(0);
    let shown = hub.good(&["show", &address, "--raw"]);
    assert!(shown.trim_start().starts_with('<') && shown.contains("<title"), "{shown}");
}

#[test]
fn a_model_is_kept_and_its_drift_told() {
    let hub = Hub::pulled();
    assert!(hub.good(&["check", "--models"]).contains("no models are kept"));
    let schema: serde_json::Value =
        serde_json::from_str(&hub.good(&["model", "show", "visitor-site/page", "--schema"])).unwrap();
    assert_eq!(schema["properties"]["slug"], serde_json::json!({ "type": "string", "maxLength": 80 }));
    assert_eq!(schema["properties"]["body"]["additionalProperties"]["contentMediaType"], "text/html");
    assert!(hub.good(&["model", "keep", "visitor-site/page"]).contains("models/visitor-site/page.json: 7 fields"));
    assert!(hub.good(&["check", "--models"]).contains("every kept model is as its system says today"));
    hub.alter("profiles/visitor-site.toml", "max_length = 80", "max_length = 60");
    hub.alter("profiles/visitor-site.toml", "topics  = { kind = \"text\", many = true }", "topics  = \"text\"");
    hub.alter(
        "diaporos.toml",
        "topics  = 'tags + (description@en | keywords 2) | unique'",
        "topics  = 'tags | join \", \"'",
    );
    hub.alter("diaporos.toml", "topics  = 'categories | unique'", "topics  = 'categories | join \", \"'");
    insta::assert_snapshot!(hub.run(&["check", "--models"]).ends(3).stdout);
    hub.write("models/visitor-site/page.json", "{}");
    let told = hub.run(&["check"]).ends(2).stdout;
    assert!(told.contains("this is no model of a type: it has no `properties`"), "{told}");
}

#[test]
fn what_changed_at_the_sources() {
    let hub = Hub::pulled();
    hub.world.plants.edit("p-006", &serde_json::json!({ "habitat": "old wall", "latin_name": null }));
    hub.world.plants.set_status("p-007", "retired");
    hub.good(&["pull", "catalogue"]);
    insta::assert_snapshot!(masked(&hub.good(&["changes", "--lane", "profiles", "--most", "2"])));
    let rows = hub.json(&["changes", "--system", "catalogue", "--most", "2"]);
    let what: Vec<&str> = rows.as_array().unwrap().iter().map(|row| row["what"].as_str().unwrap()).collect();
    assert_eq!(what, ["changed", "state changed"], "{rows}");
    let of_one = hub.json(&["changes", "catalogue/plant-profile/p-006"]);
    assert_eq!((&of_one[0]["fields"][0]["old"], &of_one[1]["what"]), (&"rockery".into(), &"new".into()), "{of_one}");
    assert!(hub.good(&["changes", "--since", "2100-01-01"]).contains("no changes"));
    assert_eq!(hub.json(&["changes", "--since", "1h"]).as_array().unwrap().len(), 64);
    assert!(hub.run(&["changes", "--since", "soon"]).ends(2).stderr.contains("neither a duration nor a moment"));
}

#[test]
fn a_change_that_alters_nothing_of_what_is_delivered_is_told_apart() {
    let hub = Hub::pushed();
    hub.world.plants.edit("p-006", &serde_json::json!({ "habitat": "old wall" }));
    hub.world.plants.edit("p-007", &serde_json::json!({ "latin_name": "Myrica gale L." }));
    hub.world.plants.set_status("p-008", "retired");
    hub.good(&["pull", "catalogue"]);
    let told = hub.good(&["changes", "--lane", "profiles", "--most", "3"]);
    for expected in
        ["→ profiles: section", "→ profiles: nothing, what it delivers is as it was", "→ profiles: goes no longer"]
    {
        assert!(told.contains(expected), "{told}");
    }
    let rows = hub.json(&["changes", "catalogue/plant-profile/p-007"]);
    assert_eq!(rows[0]["reaches"]["profiles"], "nothing, what it delivers is as it was", "{rows}");
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!((&pushed["updated"], &pushed["withdrawn"]), (&serde_json::json!(1), &serde_json::json!(1)), "{pushed}");
}
