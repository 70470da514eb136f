//! Launches in two steps, of the built program: saved unseen, then put on view.

use std::collections::BTreeSet;
use std::time::Duration;

use diaporos_demo::{Fault, Rule};
use serde_json::json;

use crate::harness::Hub;

/// A hub whose site saves without showing, and puts on view by a call of its own.
pub(crate) fn saving_apart(hub: Hub) -> Hub {
    let site = "profiles/visitor-site.toml";
    hub.alter(
        site,
        "\"POST /api/pages\", body = { status = \"live\" } }",
        "\"POST /api/pages\", body = { status = \"draft\" } }",
    );
    hub.alter(site, "\"PATCH /api/pages/{id}\", body = { status = \"live\" } }", "\"PATCH /api/pages/{id}\" }");
    hub.alter(site, "words = [\"withdrawn\"]", "words = [\"withdrawn\", \"draft\"]");
    hub.alter(site, "withdraw  =", "publish   = \"POST /api/pages/{id}/publish\"\nwithdraw  =");
    hub
}

fn plant(number: usize) -> String {
    format!("made-up-{number:06}")
}

/// The plants whose pages say a word to visitors, in English.
fn seen_with(hub: &Hub, word: &str) -> BTreeSet<String> {
    let says = |page: &serde_json::Value| {
        page["lang"] == "en" && page["body"].as_str().is_some_and(|body| body.contains(word))
    };
    let on_view = hub.world.pages.on_view().into_iter().map(|(page, _)| page);
    on_view.filter(says).map(|page| page["slug"].as_str().unwrap_or_default().to_owned()).collect()
}

/// Gives so many plants a description, and gathers them in a slate.
fn gather(hub: &Hub, slate: &str, plants: usize) {
    for number in 0..plants {
        hub.world.plants.edit_text(&plant(number), "description", "eng", &format!("<p>{slate} of {number}</p>"));
    }
    hub.good(&["pull", "catalogue"]);
    hub.good(&["slate", "new", slate, "--keep-back", "--lane", "profiles"]);
    let where_ = format!("description@en | starts \"<p>{slate} of\"");
    hub.good(&["slate", "add", slate, "--type", "plant-profile", "--where", &where_]);
}

fn standing(hub: &Hub, slate: &str) -> String {
    let slates = hub.json(&["slate", "list"]);
    let known = slates.as_array().unwrap().iter().find(|row| row["slate"] == slate).unwrap();
    known["standing"].as_str().unwrap().to_owned()
}

#[test]
fn what_cannot_be_saved_leaves_nothing_on_view() {
    let hub = saving_apart(Hub::with_plants(6));
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    gather(&hub, "spring", 6);
    hub.world.visitor_site.forget();
    let refused = Rule { after: 3, times: Some(1), ..Rule::once(Fault::Status { status: 422 }, "PATCH") };
    hub.world.visitor_site.fail(refused);
    let told = hub.run(&["slate", "launch", "spring"]).ends(3).stdout;
    assert!(told.contains("nothing of `spring` is on view: some of it could not be saved"), "{told}");
    assert_eq!((seen_with(&hub, "spring").len(), standing(&hub, "spring")), (0, "saving".to_owned()));
    // A push leaves what is saved alone, and says how to go on.
    let pushed = hub.run(&["push"]).ends(3).stdout;
    assert!(pushed.contains("`slate launch spring` finishes it, and `undo spring` takes it back"), "{pushed}");
    assert_eq!(seen_with(&hub, "spring").len(), 0);
    for (args, says) in [
        (&["slate", "cancel", "spring"][..], "began, and was broken off"),
        (&["slate", "drop", "spring", "--type", "plant-profile"], "began, and was broken off"),
        (&["slate", "launch", "spring", "--at", "2090-01-01T09:00:00Z"], "began, and was broken off"),
    ] {
        let stderr = hub.run(args).ends(1).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
    // Launched again, what is missing is saved, and all of it is shown, by a call of its own each.
    hub.world.visitor_site.forget();
    hub.run(&["slate", "launch", "spring"]).ends(0);
    assert_eq!((seen_with(&hub, "spring").len(), standing(&hub, "spring")), (6, "launched".to_owned()));
    let asked = hub.world.visitor_site.asked();
    let published = asked.iter().filter(|asked| asked.path.ends_with("/publish")).count();
    assert_eq!((published, asked.iter().filter(|asked| asked.method == "PATCH").count()), (18, 3));
    let quiet = hub.json(&["push", "--verify"]);
    assert_eq!((&quiet["requests"], &quiet["drifted"]), (&json!(0), &json!(0)), "{quiet}");
    // Both runs are taken back by the slate's name.
    hub.run(&["undo", "spring"]).ends(0);
    assert_eq!(seen_with(&hub, "spring").len(), 0);
    assert_eq!(seen_with(&hub, "grown from seed").len(), 6, "as it was");
    hub.nothing_is_doubled();
}

#[test]
fn a_launch_that_was_broken_off_is_taken_back() {
    let hub = saving_apart(Hub::with_plants(6));
    hub.good(&["pull"]);
    let before = hub.world.pages.on_view().len();
    gather(&hub, "spring", 6);
    // An answer is lost, and the site does not tell what became of it: what was not seen is not shown.
    let lost = Rule { after: 3, times: Some(1), ..Rule::once(Fault::LoseAnswer, "POST") };
    hub.world.visitor_site.fail(Rule { path: Some("/api/pages".to_owned()), ..lost });
    let finding = Rule { path: Some("/api/pages?".to_owned()), ..Rule::once(Fault::Status { status: 503 }, "GET") };
    hub.world.visitor_site.fail(Rule { after: 36, times: None, ..finding });
    hub.run(&["slate", "launch", "spring"]).ends(3);
    assert_eq!(hub.world.pages.on_view().len(), before, "new pages are not on view");
    assert!(hub.world.pages.rows().iter().any(|page| page["status"] == "draft"));
    hub.world.visitor_site.mend();
    let told = hub.run(&["undo", "spring"]).ends(0).stdout;
    assert!(told.contains("taken back"), "{told}");
    assert_eq!(standing(&hub, "spring"), "cancelled");
    assert_eq!(hub.world.pages.on_view().len(), before);
    // What was in doubt is taken back too: a push does not bring it.
    hub.json(&["push", "profiles"]);
    assert_eq!(seen_with(&hub, "spring").len(), 0);
    hub.good(&["undo", "spring", "--release"]);
    hub.json(&["push", "profiles"]);
    assert_eq!(seen_with(&hub, "spring").len(), 6);
    hub.nothing_is_doubled();
}

#[test]
fn what_is_put_on_view_may_go_many_to_a_call() {
    let hub = saving_apart(Hub::with_plants(20));
    let many = "publish_batch = { call = \"POST /api/pages/publish\", items = \"pages\", revision = \"version\", results = \"$.results[*]\", status = \"$.status\", document = \"$.page\" }\nwithdraw  =";
    hub.alter("profiles/visitor-site.toml", "withdraw  =", many);
    let lock = "[types.page.write.lock]";
    let text = std::fs::read_to_string(hub.path().join("profiles/visitor-site.toml")).unwrap();
    let (head, tail) = text.split_once(lock).unwrap();
    hub.write("profiles/visitor-site.toml", &format!("{head}{}", &tail[tail.find("\n# What").unwrap()..]));
    hub.good(&["pull"]);
    gather(&hub, "spring", 20);
    hub.world
        .visitor_site
        .fail(Rule { path: Some("/api/pages/publish".to_owned()), ..Rule::once(Fault::LoseAnswer, "POST") });
    hub.run(&["slate", "launch", "spring"]).ends(0);
    assert_eq!(seen_with(&hub, "spring").len(), 20);
    let asked = hub.world.visitor_site.asked();
    let calls = asked.iter().filter(|asked| asked.path == "/api/pages/publish").count();
    assert!(calls < 40, "{calls} calls for 60 pages, one of which was lost");
    let quiet = hub.json(&["push", "profiles", "--verify"]);
    assert_eq!(quiet["drifted"], 0, "{quiet}");
}

/// Killed while it saves, nothing is on view; killed while it shows, the next launch shows the rest.
#[test]
fn killed_at_100_moments_of_launches_of_200_entries() {
    const PLANTS: usize = 200;
    let hub = saving_apart(Hub::with_plants(PLANTS));
    hub.good(&["pull"]);
    let (mut kills, mut random) = (0, fastrand::Rng::with_seed(100));
    let mut while_saving = 0;
    for round in 0.. {
        if kills >= 100 {
            break;
        }
        let slate = format!("round-{round}");
        gather(&hub, &slate, PLANTS);
        loop {
            let mut launch = hub.start(&["slate", "launch", &slate]);
            std::thread::sleep(Duration::from_millis(random.u64(30..900)));
            launch.kill().unwrap();
            launch.wait().unwrap();
            kills += 1;
            match standing(&hub, &slate).as_str() {
                "launched" => break,
                "showing" => {}
                _ => {
                    while_saving += 1;
                    assert_eq!(
                        seen_with(&hub, &slate).len(),
                        0,
                        "kill {kills}: nothing is on view before all is saved"
                    );
                }
            }
            if kills % 12 == 0 {
                hub.run(&["slate", "launch", &slate]).ends(0);
                break;
            }
        }
        assert_eq!(seen_with(&hub, &slate).len(), PLANTS, "all of it is on view");
    }
    assert!(while_saving > 20, "{while_saving}");
    hub.nothing_is_doubled();
    let ledger = hub.json(&["ledger"]);
    assert!(ledger.as_array().unwrap().iter().all(|row| !row["result"].is_null()), "an intent has no outcome");
    let end = hub.json(&["push", "profiles", "--verify"]);
    assert_eq!((&end["drifted"], &end["failed"]), (&json!(0), &json!(0)), "{end}");
}
