//! Entries that are looked at, pushed and withdrawn alone: by address, by condition, by destination.

use serde_json::json;

use crate::harness::Hub;
use crate::serve::{is_off, shows};

fn edit(hub: &Hub, ids: &[&str]) {
    for id in ids {
        hub.world.plants.edit_text(id, "common_name", "eng", &format!("Plant {id}"));
    }
    hub.good(&["pull", "catalogue"]);
}

#[test]
fn some_entries_are_pushed_alone() {
    let hub = Hub::pushed();
    edit(&hub, &["p-002", "p-003", "p-007"]);
    let plan = hub.run(&["push", "catalogue/plant-profile/p-003", "--dry-run"]).ends(0).stdout;
    assert!(plan.contains("p-003") && !plan.contains("p-002") && plan.contains("1 updated"), "{plan}");
    hub.run(&["push", "catalogue/plant-profile/p-003"]).ends(0);
    assert_eq!(
        [shows(&hub, "Plant p-003"), shows(&hub, "Plant p-002"), shows(&hub, "Plant p-007")],
        [true, false, false]
    );
    // Once more there is nothing to do.
    assert!(hub.run(&["push", "catalogue/plant-profile/p-003"]).ends(0).stdout.contains("1 unchanged"));
    hub.run(&["push", "--to", "visitor-site", "--where", "habitat == \"bog\""]).ends(3);
    assert_eq!([shows(&hub, "Plant p-002"), shows(&hub, "Plant p-007")], [false, true]);
    // The rest is owed still.
    hub.run(&["push"]).ends(3);
    assert!(shows(&hub, "Plant p-002"));
    for (args, says) in [
        (&["push", "catalogue/curator/c-1"][..], "no lane takes any of these entries"),
        (&["push", "--to", "visitor-sit"], "did you mean `visitor-site`?"),
        (&["push", "--where", "habitat =="], "--where"),
    ] {
        let stderr = hub.run(args).ends(2).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
    assert!(hub.run(&["push", "catalogue/plant-profile/p-999"]).ends(1).stderr.contains("there is no entry"));
    hub.nothing_is_doubled();
}

#[test]
fn the_matrix_says_how_each_entry_stands_on_each_lane() {
    let hub = Hub::pushed();
    edit(&hub, &["p-002"]);
    let args = ["status", "--entries", "--system", "catalogue", "--type", "plant-profile", "--format", "json"];
    let rows: serde_json::Value = serde_json::from_str(&hub.run(&args).ends(0).stdout).unwrap();
    let standing = |id: &str| {
        let address = format!("catalogue/plant-profile/{id}");
        let row = rows.as_array().unwrap().iter().find(|row| row["address"] == address.as_str()).unwrap();
        (row["profiles"]["standing"].clone(), row["profiles"]["reason"].clone(), row.get("news").is_some())
    };
    assert_eq!(standing("p-002"), (json!("owed"), json!(null), false));
    assert_eq!(standing("p-003"), (json!("delivered"), json!(null), false));
    assert_eq!(standing("p-017"), (json!("held"), json!("unfit"), false));
    let table = hub.good(&["status", "--entries", "--most", "3"]);
    assert!(table.contains("✓ delivered") && table.contains("there are more"), "{table}");
    let stderr = hub.run(&["status", "--type", "plant-profile"]).ends(2).stderr;
    assert!(stderr.contains("--entries"), "{stderr}");
}

#[test]
fn many_are_withdrawn_together_where_a_person_allows_so_many() {
    let hub = Hub::pushed();
    let which = ["--type", "plant-profile", "--where", "\"fern\" in tags"];
    let with = |more: &[&'static str]| [&["withdraw", "--from", "visitor-site"], &which[..], more].concat();
    let plan = hub.run(&with(&["--dry-run"])).ends(0).stdout;
    let count = plan.matches("it would be taken off").count();
    assert!(count > 2, "{plan}");
    let asked = hub.run(&with(&["--allow-removals", "2"])).ends(1).stderr;
    assert!(asked.contains("would be taken off, and at most 2 are"), "{asked}");
    hub.run(&with(&[])).ends(0);
    let allowed = count.to_string();
    hub.run(&["push", "profiles", "--allow-removals", &allowed]).ends(3);
    assert!(is_off(&hub, "Royal Fern"));
    hub.run(&with(&["--put-back"])).ends(0);
    hub.run(&["push", "profiles"]).ends(3);
    assert!(shows(&hub, "Royal Fern"));
    let stderr = hub.run(&["withdraw", "--from", "visitor-site"]).ends(2).stderr;
    assert!(stderr.contains("no entry is meant"), "{stderr}");
}
