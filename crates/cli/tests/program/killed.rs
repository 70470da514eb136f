//! SIGKILL between the site's write and our note of it.

use std::collections::BTreeSet;
use std::sync::Mutex;
use std::time::Duration;

use diaporos_demo::{Asked, Fault, Rule};
use serde_json::json;

use crate::harness::Hub;
use crate::hooks::{address, call, called, saved};
use crate::serve::{Serving, shows};

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
    let doubt = hub.json(&["status"])["lanes"].take();
    assert!(doubt[0]["in_doubt"].as_u64().unwrap() > 0, "{doubt}");
    let second = hub.json(&["push"]);
    assert!(second["settled"].as_u64().unwrap() > 0, "{second}");
    hub.nothing_is_doubled();
    let third = hub.json(&["push"]);
    assert_eq!((third["requests"].as_u64(), third["unchanged"].as_u64()), (Some(0), Some(36)), "{third}");
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

/// Starts a push again and again, and kills it at so many moments, no two alike and always the same.
fn kill_pushes(hub: &Hub, moments: u32, longest_millis: u64) {
    let mut moment: u64 = 88_172_645_463_325_252;
    for _ in 0..moments {
        moment ^= moment << 13;
        moment ^= moment >> 7;
        moment ^= moment << 17;
        let mut push = hub.start(&["push"]);
        std::thread::sleep(std::time::Duration::from_millis(15 + moment % longest_millis));
        push.kill().unwrap();
        push.wait().unwrap();
    }
}

/// Every page is there once, every intent has an outcome, and one more push sends nothing.
fn all_is_right(hub: &Hub) {
    hub.nothing_is_doubled();
    let ledger = hub.json(&["ledger"]);
    assert!(ledger.as_array().unwrap().iter().all(|row| !row["result"].is_null()), "an intent has no outcome");
    let end = hub.json(&["push"]);
    assert_eq!((&end["unchanged"], &end["requests"], &end["failed"]), (&json!(2_036), &json!(0), &json!(0)), "{end}");
}

#[test]
fn killed_at_200_moments_of_2000_entries() {
    let hub = Hub::with_plants(2_000);
    hub.good(&["pull"]);
    let before = hub.live_pages().len();
    kill_pushes(&hub, 200, 90);
    hub.run(&["push"]).ends(3);
    // What the site created is what it shows: a creation that arrived was never sent again.
    let created = |asked: &&Asked| asked.method == "POST" && asked.path == "/api/pages";
    let created = hub.world.visitor_site.asked().iter().filter(created).count();
    assert_eq!(created, hub.live_pages().len() - before);
    assert!(created > 6_000, "{created}");
    all_is_right(&hub);
}

#[test]
fn killed_at_200_moments_while_the_site_fails_now_and_then() {
    let hub = Hub::with_plants(2_000);
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout = \"400ms\"\nconcurrency = 32");
    for (fault, one_in) in [
        (Fault::LoseAnswer, 20),
        (Fault::Status { status: 503 }, 20),
        (Fault::Throttle { seconds: 0 }, 50),
        (Fault::Stall { millis: 600 }, 100),
    ] {
        hub.world.visitor_site.fail(Rule::now_and_then(fault, one_in));
    }
    hub.good(&["pull"]);
    kill_pushes(&hub, 200, 150);
    hub.json(&["push"]);
    hub.world.visitor_site.mend();
    // A machine that is busy is no fault of the site.
    hub.alter("diaporos.toml", "timeout = \"400ms\"", "timeout = \"10s\"");
    hub.run(&["push"]).ends(3);
    all_is_right(&hub);
}

/// While the site does not tell what became of a request, its entry is kept back and told once.
#[test]
fn what_stays_in_doubt_is_told_once_and_stands_among_the_holds() {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout   = \"10s\"\nretries = 0");
    hub.good(&["pull"]);
    kill_after_write(&hub, "POST");
    let doubt = hub.json(&["status"])["lanes"][0]["in_doubt"].as_u64().unwrap();
    assert!(doubt > 0);
    let finding = Rule { path: Some("/api/pages?".to_owned()), ..Rule::once(Fault::Status { status: 503 }, "GET") };
    hub.world.visitor_site.fail(Rule { times: None, ..finding });
    let told = hub.json(&["push", "profiles"]);
    let rows = told["steps"].as_array().unwrap().iter().filter(|row| row["reason"] == "in-doubt");
    let mut addresses: Vec<&str> = rows.filter_map(|row| row["address"].as_str()).collect();
    let all = addresses.len();
    addresses.sort_unstable();
    addresses.dedup();
    assert!(all > 0 && addresses.len() == all, "each once: {told}");
    assert!(hub.good(&["holds"]).contains("in-doubt"));
    hub.world.visitor_site.mend();
    hub.json(&["push", "profiles"]);
    hub.nothing_is_doubled();
    assert_eq!(hub.json(&["status"])["lanes"][0]["in_doubt"], 0);
}

/// Ten thousand calls in about a minute, sent as those send who try again till they are answered, while what they
/// call is killed again and again.
#[test]
fn none_of_ten_thousand_calls_is_lost_at_50_kills() {
    const CALLS: usize = 10_000;
    const SENDERS: usize = 8;
    let hub = called();
    let at = Mutex::new(String::new());
    let answered = Mutex::new(BTreeSet::new());
    let plant = |number: usize| format!("p-{:03}", number % 20 + 1);
    let send_all = |sender: usize| {
        for number in (sender..CALLS).step_by(SENDERS) {
            loop {
                let to = at.lock().unwrap().clone();
                let status = if to.is_empty() { 0 } else { call(&to, &format!("e-{number}"), &saved(&plant(number))) };
                if status == 202 {
                    answered.lock().unwrap().insert(format!("e-{number}"));
                    break;
                }
                std::thread::sleep(Duration::from_millis(20));
            }
        }
    };
    std::thread::scope(|scope| {
        let senders: Vec<_> = (0..SENDERS).map(|sender| scope.spawn(move || send_all(sender))).collect();
        let mut random = fastrand::Rng::with_seed(50);
        for kill in 0..50_usize {
            hub.world.plants.edit_text(&plant(kill), "common_name", "eng", &format!("Fern {kill}"));
            let serving = Serving::begin(&hub, &[]);
            *at.lock().unwrap() = address(&serving);
            std::thread::sleep(Duration::from_millis(random.u64(50..900)));
            drop(serving);
        }
        let serving = Serving::begin(&hub, &[]);
        *at.lock().unwrap() = address(&serving);
        senders.into_iter().for_each(|sender| sender.join().unwrap());
        // The last edit of each plant is live, and every call that was answered is known and done with.
        let kept = |open: bool| {
            let store = rusqlite::Connection::open(hub.path().join(".diaporos/store.db")).unwrap();
            let sql = format!("SELECT event FROM hook_event {}", if open { "WHERE done IS NULL" } else { "" });
            let mut query = store.prepare(&sql).unwrap();
            query.query_map([], |row| row.get::<_, String>(0)).unwrap().map(Result::unwrap).collect::<BTreeSet<_>>()
        };
        assert_eq!(answered.lock().unwrap().len(), CALLS);
        assert_eq!(kept(false), *answered.lock().unwrap(), "what was answered is kept, once");
        for _ in 0..600 {
            if kept(true).is_empty() {
                break;
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        assert_eq!(kept(true).len(), 0, "each was looked at: {}", serving.said());
        serving.end();
    });
    hub.run(&["pull", "catalogue"]).ends(0);
    let before = hub.writes();
    hub.run(&["push"]).ends(3);
    assert_eq!(hub.writes(), before, "nothing was left to do");
    assert!((30..50).filter(|edit| shows(&hub, &format!("Fern {edit}"))).count() >= 15);
    hub.nothing_is_doubled();
}
