//! Slates, of the built program.

use serde_json::json;

use crate::harness::Hub;
use crate::serve::{Serving, automatic, is_off, shows};

fn edit(hub: &Hub, ids: &[&str]) {
    for id in ids {
        hub.world.plants.edit_text(id, "common_name", "eng", &format!("Spring {id}"));
    }
    hub.good(&["pull", "catalogue"]);
}

fn address(id: &str) -> String {
    format!("catalogue/plant-profile/{id}")
}

#[test]
fn a_slate_keeps_back_is_checked_whole_launched_and_taken_back() {
    let hub = Hub::pushed();
    hub.good(&["slate", "new", "spring", "--keep-back"]);
    edit(&hub, &["p-002", "p-003", "p-007"]);
    hub.good(&["slate", "add", "spring", &address("p-002"), &address("p-003"), &address("p-007")]);
    // Ordinary pushes leave it alone, and say so.
    let pushed = hub.run(&["push"]).ends(3);
    assert!(pushed.stdout.contains("kept back by the slate `spring`"), "{}", pushed.stdout);
    assert!(!shows(&hub, "Spring p-002"));
    assert!(hub.good(&["holds"]).contains("slate show NAME"));
    // A fault in one keeps all of them: named, with the way out.
    hub.world.plants.edit_text("p-003", "common_name", "eng", &"long ".repeat(60));
    hub.good(&["pull", "catalogue"]);
    let checked = hub.run(&["slate", "check", "spring"]).ends(3).stdout;
    for part in ["unfit: slug@", "version 2 then, 3 now", "nothing of `spring` goes till this is mended: 2 faults"] {
        assert!(checked.contains(part), "{part}: {checked}");
    }
    let writes = hub.writes();
    hub.run(&["slate", "launch", "spring"]).ends(3);
    assert_eq!(hub.writes(), writes, "all or nothing");
    edit(&hub, &["p-003"]);
    hub.good(&["slate", "add", "spring", &address("p-003")]);
    // What somebody has open there stands against it too.
    let page = hub.world.pages.with_slug("lady-fern")[0]["id"].as_u64().unwrap();
    hub.world.pages.lock(page, "Nia Parry", "2026-05-01T10:00:00Z");
    let checked = hub.run(&["slate", "check", "spring"]).ends(3).stdout;
    assert!(checked.contains("is open there: Nia Parry, since 2026-05-01T10:00:00Z"), "{checked}");
    hub.world.pages.unlock(page);
    assert!(hub.run(&["slate", "check", "spring"]).ends(0).stdout.contains("3 entries could go now"));
    hub.run(&["slate", "launch", "spring"]).ends(0);
    for id in ["p-002", "p-003", "p-007"] {
        assert!(shows(&hub, &format!("Spring {id}")), "{id}");
    }
    let shown = hub.good(&["slate", "show", "spring"]);
    assert!(shown.contains("was launched at") && shown.contains("profiles ✓ delivered"), "{shown}");
    let again = hub.run(&["slate", "launch", "spring"]).ends(1).stderr;
    assert!(again.contains("`spring` is launched"), "{again}");
    // Taken back by its name.
    hub.run(&["undo", "spring"]).ends(0);
    assert!(!shows(&hub, "Spring p-002") && shows(&hub, "Hart's-tongue Fern"));
    hub.nothing_is_doubled();
}

#[test]
fn a_slate_withdraws_together_and_is_cancelled() {
    let hub = Hub::pushed();
    hub.good(&["slate", "new", "autumn", "--withdraw", "--lane", "profiles"]);
    hub.good(&["slate", "add", "autumn", &address("p-002"), "--with-references", "1"]);
    let shown = hub.json(&["slate", "show", "autumn"]);
    assert!(shown["entries"].as_array().unwrap().len() > 1, "with its curator: {shown}");
    // What no lane of the slate takes is said.
    let refused = hub.run(&["slate", "launch", "autumn"]).ends(3).stdout;
    assert!(refused.contains("no lane of the slate takes it"), "{refused}");
    hub.good(&["slate", "drop", "autumn", "--type", "curator"]);
    hub.run(&["slate", "launch", "autumn"]).ends(0);
    assert!(is_off(&hub, "Hart's-tongue Fern"));
    hub.run(&["push"]).ends(3);
    assert!(is_off(&hub, "Hart's-tongue Fern"), "it stays off");
    // Taken back, it is on view again till it is released, or taken off once more.
    hub.run(&["undo", "autumn"]).ends(0);
    assert!(shows(&hub, "Hart's-tongue Fern"));
    hub.run(&["push"]).ends(3);
    assert!(shows(&hub, "Hart's-tongue Fern"));
    hub.run(&["undo", "autumn", "--release"]).ends(0);
    hub.run(&["push"]).ends(3);
    assert!(is_off(&hub, "Hart's-tongue Fern"));
    hub.run(&["undo", "autumn"]).ends(3);
    let off = ["withdraw", &address("p-002"), "--from", "visitor-site"];
    hub.run(&[&off[..], &["--put-back"]].concat()).ends(0);
    hub.run(&["push"]).ends(3);
    assert!(shows(&hub, "Hart's-tongue Fern"));
    // Who withdraws what is kept as it was is the last to say so.
    edit(&hub, &["p-002"]);
    hub.run(&["push"]).ends(3);
    let run = hub.json(&["ledger", "--most", "1"])[0]["run"].to_string();
    hub.run(&off).ends(0);
    hub.run(&["undo", &run]).ends(0);
    assert!(shows(&hub, "Hart's-tongue Fern"));
    hub.run(&off).ends(0);
    hub.run(&["push"]).ends(3);
    assert!(is_off(&hub, "Hart's-tongue Fern"));

    hub.good(&["slate", "new", "spring", "--keep-back"]);
    edit(&hub, &["p-003"]);
    hub.good(&["slate", "add", "spring", &address("p-003")]);
    hub.run(&["push"]).ends(3);
    assert!(!shows(&hub, "Spring p-003"));
    hub.good(&["slate", "cancel", "spring"]);
    hub.run(&["push"]).ends(3);
    assert!(shows(&hub, "Spring p-003"));
    let all = hub.json(&["slate", "list"]);
    assert_eq!((&all[0]["standing"], &all[1]["standing"]), (&json!("cancelled"), &json!("launched")));
}

#[test]
fn a_launch_that_was_killed_is_finished_by_the_next() {
    let hub = Hub::pushed();
    hub.good(&["slate", "new", "spring", "--keep-back"]);
    let ids = ["p-002", "p-003", "p-007", "p-010"];
    edit(&hub, &ids);
    let addresses: Vec<String> = ids.iter().map(|id| address(id)).collect();
    hub.good(&[&["slate", "add", "spring"][..], &addresses.iter().map(String::as_str).collect::<Vec<_>>()].concat());
    hub.world.visitor_site.forget();
    hub.world
        .visitor_site
        .fail(diaporos_demo::Rule::once(diaporos_demo::Fault::StallAfter { millis: 30_000 }, "PATCH"));
    let mut child = hub.start(&["slate", "launch", "spring"]);
    hub.wait_until(|world| world.visitor_site.asked().iter().any(diaporos_demo::Asked::writes));
    child.kill().unwrap();
    child.wait().unwrap();
    hub.world.visitor_site.mend();
    assert_eq!(hub.json(&["slate", "list"])[0]["standing"], "open");
    hub.run(&["slate", "launch", "spring"]).ends(0);
    assert!(ids.iter().all(|id| shows(&hub, &format!("Spring {id}"))));
    hub.nothing_is_doubled();
}

#[test]
fn what_makes_no_slate_is_refused() {
    let hub = Hub::pushed();
    for (args, code, says) in [
        (&["slate", "new", "Spring!"][..], 2, "cannot name a slate"),
        (&["slate", "new", "spring", "--lane", "profils"], 2, "did you mean `profiles`?"),
        (&["slate", "show", "spring"], 2, "spring"),
        (&["slate", "launch", "spring"], 2, "spring"),
        (&["undo", "spring"], 2, "spring"),
    ] {
        let stderr = hub.run(args).ends(code).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
    hub.good(&["slate", "new", "spring"]);
    for (args, code, says) in [
        (&["slate", "new", "spring"][..], 2, "already"),
        (&["slate", "add", "spring"], 2, "no entry is meant"),
        (&["slate", "add", "spring", "catalogue/plant-profile/p-999"], 1, "p-999"),
        (&["slate", "check", "spring"], 2, "nothing is in `spring`"),
        (&["slate", "launch", "sprin"], 2, "did you mean `spring`?"),
        (&["undo", "spring"], 1, "was not launched"),
    ] {
        let stderr = hub.run(args).ends(code).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
}

#[test]
fn serve_launches_a_slate_at_its_hour_and_says_what_stands_against_it() {
    let hub = automatic();
    hub.good(&["slate", "new", "spring", "--keep-back"]);
    edit(&hub, &["p-002", "p-003"]);
    hub.good(&["slate", "add", "spring", &address("p-002"), &address("p-003")]);
    for (at, says) in
        [("2020-03-01T09:00", "is past"), ("tomorrow", "is no moment"), ("2030-03-31T01:30", "twice, or never")]
    {
        let stderr = hub.run(&["slate", "launch", "spring", "--at", at, "--zone", "Europe/London"]).ends(2).stderr;
        assert!(stderr.contains(says), "{at}: {stderr}");
    }
    let soon = |seconds: i64| (jiff::Timestamp::now() + jiff::SignedDuration::from_secs(seconds)).to_string();
    hub.good(&["slate", "launch", "spring", "--at", &soon(3)]);
    let plan = hub.json(&["serve", "--plan"]);
    assert!(plan.as_array().unwrap().iter().any(|row| row["what"] == "slate spring"), "{plan}");
    let serving = Serving::begin(&hub, &[]);
    std::thread::sleep(std::time::Duration::from_millis(1_200));
    assert!(!shows(&hub, "Spring p-002"), "not before its hour");
    hub.wait_until(|_| shows(&hub, "Spring p-002") && shows(&hub, "Spring p-003"));
    serving.says("lane profiles: launched, as run");
    // One with a fault waits for a person, who is told.
    hub.good(&["slate", "new", "summer", "--keep-back"]);
    hub.world.plants.edit_text("p-007", "common_name", "eng", &"long ".repeat(60));
    hub.good(&["pull", "catalogue"]);
    hub.good(&["slate", "add", "summer", &address("p-007")]);
    hub.good(&["slate", "launch", "summer", "--at", &soon(1)]);
    serving.says("alert: slate summer");
    serving.end();
}
