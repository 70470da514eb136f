//! Taking out what is no longer needed, of the built program.

use serde_json::json;

use crate::harness::Hub;

#[test]
fn what_is_no_longer_needed_is_taken_out_and_nothing_else() {
    let hub = Hub::pushed();
    assert!(hub.good(&["tidy"]).contains("everything is kept"));
    for number in 0..4 {
        hub.world.plants.edit_text("p-001", "common_name", "eng", &format!("Fern {number}"));
        hub.good(&["pull"]);
        hub.run(&["push"]).ends(3);
    }
    hub.world.plants.delete("p-002");
    hub.world.plants.delete("x-1");
    hub.world.plants.delete("t-1");
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    let gone = hub.json(&["entries", "--state", "gone"]).as_array().unwrap().len();
    assert!(gone >= 2, "{gone}");
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    hub.write("diaporos.toml", &format!("{text}\n[keep]\nversions = \"1s\"\ngone = \"1s\"\nledger = \"1s\"\n[keep.of.news]\ntype = \"bulletins/item\"\nversions = \"90d\"\n"));
    std::thread::sleep(std::time::Duration::from_millis(1_200));
    let counted = hub.json(&["tidy", "--dry-run"]);
    let rows = |told: &serde_json::Value, what: &str, of: &str| {
        let row = told["rows"].as_array().unwrap().iter().find(|row| row["what"] == what && row["type"] == of).cloned();
        row.map_or(json!(null), |row| row["rows"].clone())
    };
    assert_eq!(rows(&counted, "versions", "catalogue/plant-profile"), 3, "{counted}");
    assert_eq!(counted["taken_out"], 0);
    assert_eq!(rows(&hub.json(&["tidy", "--dry-run"]), "versions", "catalogue/plant-profile"), 3, "nothing was done");
    hub.world.visitor_site.forget();
    let done = hub.json(&["tidy"]);
    assert!(done["taken_out"].as_u64().unwrap() > 10, "{done}");
    assert_eq!(hub.json(&["tidy"])["taken_out"], 0, "once is enough");
    let versions = hub.json(&["show", "catalogue/plant-profile/p-001"])["versions"].as_array().unwrap().len();
    assert_eq!(versions, 2, "the newest, and the one before it");
    let left = hub.json(&["entries", "--state", "gone"]);
    let left: Vec<&str> = left.as_array().unwrap().iter().map(|row| row["address"].as_str().unwrap()).collect();
    assert_eq!(left, ["catalogue/plant-profile/p-002"], "it has pages still, which are off view");
    hub.good(&["check", "--store"]);
    hub.good(&["ledger", "--verify"]);
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    assert_eq!(hub.writes(), 0, "what was delivered is known as before");
}
