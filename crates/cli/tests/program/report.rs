//! Reports of the built program.

use jiff::Timestamp;
use serde_json::Value as Json;

use crate::harness::Hub;

/// A hub that did a little of everything.
fn busy() -> Hub {
    let hub = Hub::pushed();
    let page = hub.world.pages.with_slug("bog-myrtle").into_iter().find(|page| page["lang"] == "en").unwrap();
    hub.world.pages.edit(page["id"].as_u64().unwrap(), &serde_json::json!({ "teaser": "Smells of resin." }));
    hub.world.plants.edit_text("p-002", "common_name", "eng", &"<script>alert(1)</script> long ".repeat(9));
    hub.world.plants.edit("p-007", &serde_json::json!({ "habitat": "old wall" }));
    hub.good(&["pull"]);
    for _ in 0..2 {
        hub.run(&["push", "profiles", "--verify"]).ends(3);
    }
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    hub.world.translators.work(100);
    hub.run(&["batch", "collect"]).ends(3);
    hub
}

fn rows<'a>(report: &'a Json, of: &str) -> &'a Vec<Json> {
    report[of].as_array().unwrap()
}

#[test]
fn a_report_tells_what_a_hub_did_in_every_form() {
    let hub = busy();
    let report = hub.json(&["report", "--since", "1d"]);
    let flow = |of: &str, name: &str, what: &str| {
        let flow = rows(&report, of).iter().find(|flow| flow["name"] == name).unwrap();
        let count = rows(flow, "counts").iter().find(|count| count["what"] == what).unwrap();
        let by_day: u64 = rows(count, "by_day").iter().filter_map(Json::as_u64).sum();
        assert_eq!(count["sum"], by_day);
        by_day
    };
    assert_eq!(
        flow("systems", "catalogue", "new"),
        hub.json(&["entries", "--system", "catalogue"]).as_array().unwrap().len() as u64
    );
    let changes = hub.json(&["changes", "--system", "catalogue"]);
    let changed = changes.as_array().unwrap().iter().filter(|row| row["what"] != "new").count();
    assert!(changed >= 2);
    assert_eq!(flow("systems", "catalogue", "changed"), changed as u64);
    let live = hub.live_pages().len() as u64;
    assert!(flow("lanes", "profiles", "created") + flow("lanes", "news", "created") <= live);
    assert!(flow("lanes", "profiles", "updated") > 0);
    let latency = rows(&report, "latency").iter().find(|row| row["lane"] == "profiles").unwrap();
    assert!(latency["worst"].as_f64() >= latency["p95"].as_f64() && latency["p95"].as_f64() >= latency["p50"].as_f64());
    // What is held is told once, however often it is looked at.
    let times = |kind: &str, reason: &str| {
        let row = rows(&report, "troubles").iter().find(|row| row["kind"] == kind && row["reason"] == reason);
        row.map_or(0, |row| row["times"].as_u64().unwrap())
    };
    let holds = hub.json(&["holds"]);
    let unfit =
        holds.as_array().unwrap().iter().filter(|row| row["lane"] == "profiles" && row["reason"] == "unfit").count();
    // One more was held till its translations came back, and is owed a look since.
    assert_eq!((times("held", "unfit"), times("edited", "changed there by somebody else")), (unfit as u64 + 1, 1));
    assert!(rows(&report, "held_fields").iter().any(|row| row["field"] == "heading"));
    assert_eq!(rows(&report, "edited_fields")[0]["field"], "teaser");
    let translated = &rows(&report, "translated")[0];
    assert!(translated["words"].as_u64() > Some(0) && translated["price"].as_str().unwrap().starts_with("EUR "));

    let page = |name: &str| {
        hub.run(&["report", name, "--since", "1d"]).ends(0);
        std::fs::read_to_string(hub.path().join(name)).unwrap()
    };
    let html = page("report.html");
    assert!(html.matches("<svg role=\"img\" aria-label=").count() == 3 && !html.contains("<script"), "{html}");
    assert!(!html.contains("http://") || html.matches("http://").all(|_| html.contains("http://www.w3.org/2000/svg")));
    assert!(page("report.md").contains("| profiles | edited | changed there by somebody else | 1 |"));
    assert_eq!(serde_json::from_str::<Json>(&page("report.json")).unwrap()["systems"], report["systems"]);
    assert!(page("report.csv").starts_with("of,name,day,what,value\n"));
}

#[test]
fn a_span_without_anything_and_one_that_is_none() {
    let hub = Hub::pushed();
    let empty = hub.good(&["report", "--since", "2001-01-01", "--until", "2001-02-01"]);
    for line in
        ["2001-01-01 to 2001-01-31", "Nothing came in.", "Nothing was sent.", "All went as planned.", "None opened."]
    {
        assert!(empty.contains(line), "{line}: {empty}");
    }
    let tomorrow = (Timestamp::now() + jiff::SignedDuration::from_hours(48)).to_string();
    for (args, says) in [
        (&["report", "--since", "1d", "--until", "2001-01-01"][..], "ends before it begins"),
        (&["report", "--since", &tomorrow], "ends before it begins"),
        (&["report", "--since", "yesterdayish"], "neither a duration nor a moment"),
        (&["report", "report.pdf"], "does not say in which form"),
    ] {
        let stderr = hub.run(args).ends(2).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
    assert!(!hub.path().join("report.pdf").exists());
    let nowhere = hub.run(&["report", "no/such/folder/report.html"]).ends(1).stderr;
    assert!(nowhere.contains("no/such/folder/report.html"), "{nowhere}");
}
