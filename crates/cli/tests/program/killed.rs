//! SIGKILL between the site's write and our note of it.

use diaporos_demo::{Asked, Fault, Rule};
use serde_json::json;

use crate::harness::Hub;

/// Kills a push once the site has carried out a write of that method, before it answers.
fn kill_after_write(hub: &Hub, method: &str) {
    hub.world.visitor_site.forget();
    hub.world.visitor_site.fail(Rule { times: None, ..Rule::once(Fault::StallAfter { millis: 20_000 }, method) });
    let mut push = hub.start(&["push"]);
    hub.wait_until(|world| world.visitor_site.asked().iter().any(Asked::writes));
    push.kill().unwrap();
    push.wait().unwrap();
    hub.world.visitor_site.mend();
}

#[test]
fn a_page_whose_answer_died_with_us_is_found_not_doubled() {
    let hub = Hub::new();
    hub.good(&["pull"]);
    kill_after_write(&hub, "POST");
    let doubt = hub.json(&["status"]);
    assert!(doubt[0]["in_doubt"].as_u64().unwrap() > 0, "{doubt}");
    let second = hub.json(&["push"]);
    assert!(second["settled"].as_u64().unwrap() > 0, "{second}");
    hub.nothing_is_doubled();
    let third = hub.json(&["push"]);
    assert_eq!((third["requests"].as_u64(), third["unchanged"].as_u64()), (Some(0), Some(37)), "{third}");
    let ledger = hub.json(&["ledger"]);
    assert!(ledger.as_array().unwrap().iter().all(|row| !row["result"].is_null()), "an intent has no outcome");
}

#[test]
fn an_update_and_a_withdrawal_are_settled_by_reading() {
    let hub = Hub::new();
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    hub.world.plants.edit("p-006", &json!({ "habitat": "old wall" }));
    hub.world.plants.set_status("p-007", "retired");
    hub.good(&["pull", "catalogue"]);
    kill_after_write(&hub, "PATCH");
    let second = hub.json(&["push"]);
    assert!(second["settled"].as_u64().unwrap() > 0, "{second}");
    let pages = hub.world.pages.with_slug("maidenhair-spleenwort");
    assert!(pages.iter().all(|page| page["section"] == "Garden"), "{pages:?}");
    let versions: Vec<&serde_json::Value> = pages.iter().map(|page| &page["version"]).collect();
    assert!(versions.iter().all(|version| **version == 2), "each was written once: {versions:?}");
    assert_eq!(hub.json(&["push"])["requests"], 0);
}

#[test]
fn killed_again_and_again_it_still_ends_right() {
    let hub = Hub::with_plants(300);
    hub.good(&["pull"]);
    for round in 0..25u64 {
        let mut push = hub.start(&["push"]);
        std::thread::sleep(std::time::Duration::from_millis(5 + 7 * round));
        push.kill().unwrap();
        push.wait().unwrap();
    }
    hub.run(&["push"]).ends(3);
    hub.nothing_is_doubled();
    let end = hub.json(&["push"]);
    assert_eq!(
        (end["unchanged"].as_u64(), end["requests"].as_u64(), end["failed"].as_u64()),
        (Some(337), Some(0), Some(0)),
        "{end}"
    );
}
