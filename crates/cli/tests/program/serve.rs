//! A hub that runs by itself.

use std::fs::File;
use std::process::{Child, Stdio};

use rustix::process::{Pid, Signal, kill_process};
use serde_json::json;

use crate::harness::Hub;

/// `serve` in a hub, and what it says.
pub(crate) struct Serving<'a> {
    hub: &'a Hub,
    child: Child,
}

impl<'a> Serving<'a> {
    pub(crate) fn begin(hub: &'a Hub, args: &[&str]) -> Serving<'a> {
        let said = File::create(hub.path().join("serve.log")).unwrap();
        let child = hub
            .command(&[&["serve", "--listen", "127.0.0.1:0"], args].concat())
            .stdout(Stdio::null())
            .stderr(said)
            .spawn()
            .unwrap();
        let serving = Serving { hub, child };
        serving.says("serve runs");
        serving
    }

    pub(crate) fn said(&self) -> String {
        std::fs::read_to_string(self.hub.path().join("serve.log")).unwrap()
    }

    /// Waits until it says something.
    pub(crate) fn says(&self, what: &str) {
        for _ in 0..2_000 {
            if self.said().contains(what) {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        panic!("it does not say `{what}`: {}", self.said());
    }

    pub(crate) fn signal(&self, signal: Signal) {
        kill_process(Pid::from_child(&self.child), signal).unwrap();
    }

    /// Ends it as a service manager does, and gives what it said.
    pub(crate) fn end(mut self) -> String {
        self.signal(Signal::TERM);
        let ended = self.child.wait().unwrap();
        assert_eq!(ended.code(), Some(0), "{}", self.said());
        self.said()
    }
}

impl Drop for Serving<'_> {
    fn drop(&mut self) {
        // It has ended already where the test went well.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A hub whose catalogue is pulled every second, and whose lanes were pushed once.
pub(crate) fn automatic() -> Hub {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "every     = \"5m\"", "every = \"1s\"");
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    hub.world.visitor_site.forget();
    hub
}

/// Whether the pages of a heading are there, and none is on view.
pub(crate) fn is_off(hub: &Hub, heading: &str) -> bool {
    let rows = hub.world.pages.rows();
    let mut pages = rows.iter().filter(|page| page["heading"] == heading).peekable();
    pages.peek().is_some() && pages.all(|page| page["status"] == "withdrawn")
}

/// Whether a page with a heading is on view.
pub(crate) fn shows(hub: &Hub, heading: &str) -> bool {
    hub.world.pages.rows().iter().any(|page| page["status"] == "live" && page["heading"] == heading)
}

#[test]
fn what_an_editor_saves_is_live_by_itself() {
    let hub = automatic();
    let serving = Serving::begin(&hub, &[]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    hub.world.plants.set_status("p-002", "retired");
    hub.wait_until(|_| is_off(&hub, "Hart's-tongue Fern"));
    // In all its languages: asked to end, it leaves what it has not sent to the next push.
    serving.says("1 withdrawn");
    let said = serving.end();
    assert!(
        said.contains("pulled catalogue/plant-profile: 1 changed") && said.contains("pushed lane profiles: 1 updated"),
        "{said}"
    );
    let before = hub.writes();
    hub.run(&["push"]).ends(3);
    assert_eq!(hub.writes(), before, "nothing was left to do");
    hub.nothing_is_doubled();
}

#[test]
fn a_first_load_is_a_persons() {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "every     = \"5m\"", "every = \"1s\"");
    let plan = hub.json(&["serve", "--plan"]);
    let lane = plan.as_array().unwrap().iter().find(|row| row["what"] == "lane profiles").unwrap().clone();
    assert_eq!(lane["why"], "never pushed: start its first load, `diaporos push profiles`");
    let serving = Serving::begin(&hub, &[]);
    hub.world.catalogue.forget();
    hub.wait_until(|world| !world.catalogue.asked().is_empty());
    std::thread::sleep(std::time::Duration::from_millis(1_500));
    assert_eq!(hub.writes(), 0, "{}", serving.said());
    hub.run(&["push", "profiles"]).ends(3);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    serving.end();
}

#[test]
fn what_is_paused_is_left_alone_till_it_is_resumed() {
    let hub = automatic();
    hub.good(&["pause", "profiles", "--why", "the site moves", "--until", "2h"]);
    let serving = Serving::begin(&hub, &[]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    serving.says("pulled catalogue/plant-profile: 1 changed");
    std::thread::sleep(std::time::Duration::from_millis(1_500));
    assert!(!shows(&hub, "King of ferns"));
    let status = hub.json(&["status"]);
    assert_eq!(
        (&status["paused"][0]["what"], &status["paused"][0]["why"]),
        (&json!("lane profiles"), &json!("the site moves"))
    );
    assert!(hub.good(&["status"]).contains("the site moves"));
    assert!(hub.good(&["resume", "profiles"]).contains("goes on"));
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    assert!(hub.good(&["resume", "profiles"]).contains("was not paused"));
    serving.end();
    assert!(hub.run(&["pause", "profile", "--why", "x"]).ends(2).stderr.contains("did you mean `profiles`?"));
    assert!(
        hub.run(&["pause", "all", "--why", "x", "--until", "yesterday"]).ends(2).stderr.contains("no moment to come")
    );
}

#[test]
fn a_lane_that_only_the_hub_pushes_is_refused_by_hand() {
    let hub = automatic();
    hub.alter("diaporos.toml", "[lanes.profiles]\n", "[lanes.profiles]\nby_hand = \"refused\"\n");
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.good(&["pull"]);
    let refused = hub.run(&["push", "profiles"]).ends(2).stderr;
    assert!(refused.contains("only `serve` pushes `profiles`") && refused.contains("--insist"), "{refused}");
    let others = hub.run(&["push"]).ends(3).stderr;
    assert!(others.contains("left to `serve`"), "{others}");
    assert!(!shows(&hub, "King of ferns"));
    hub.run(&["push", "profiles", "--insist"]).ends(3);
    assert!(shows(&hub, "King of ferns"));
}

#[test]
fn a_configuration_is_taken_over_when_it_is_sound() {
    let hub = automatic();
    let serving = Serving::begin(&hub, &[]);
    hub.alter("diaporos.toml", "heading = 'common_name' ", "heading = 'common_name | shout' ");
    serving.says("the configuration changed and is faulty; the one before goes on: diaporos.toml:");
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    hub.alter("diaporos.toml", "heading = 'common_name | shout' ", "heading = 'common_name | upper' ");
    serving.says("the configuration changed, and is taken over");
    hub.wait_until(|_| shows(&hub, "KING OF FERNS"));
    serving.signal(Signal::HUP);
    for _ in 0..500 {
        if serving.said().matches("is taken over").count() == 2 {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
    let said = serving.end();
    assert_eq!(said.matches("is taken over").count(), 2, "{said}");
}

#[test]
fn other_commands_work_while_it_pushes() {
    let hub = automatic();
    hub.world.visitor_site.fail(diaporos_demo::Rule::once(diaporos_demo::Fault::StallAfter { millis: 3_000 }, "PATCH"));
    let serving = Serving::begin(&hub, &[]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|world| world.visitor_site.asked().iter().any(diaporos_demo::Asked::writes));
    let running = hub.json(&["status"])["running"].clone();
    assert_eq!(running[0]["what"], "lane profiles", "{running}");
    hub.good(&["pull", "bulletins"]);
    hub.run(&["push", "news"]).ends(3);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "Queen of ferns");
    hub.wait_until(|_| shows(&hub, "Queen of ferns"));
    serving.end();
    hub.nothing_is_doubled();
}

#[test]
fn asked_to_end_it_finishes_what_is_under_way() {
    let hub = automatic();
    hub.world.visitor_site.fail(diaporos_demo::Rule::once(diaporos_demo::Fault::StallAfter { millis: 1_500 }, "PATCH"));
    let serving = Serving::begin(&hub, &[]);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|world| world.visitor_site.asked().iter().any(diaporos_demo::Asked::writes));
    let said = serving.end();
    assert!(said.contains("ending: 1 job is under way"), "{said}");
    assert_eq!(hub.json(&["status"])["lanes"][0]["in_doubt"], 0, "the answer was waited for and noted");
    hub.run(&["push"]).ends(3);
    assert!(shows(&hub, "King of ferns"));
    hub.nothing_is_doubled();
}

#[test]
fn an_alert_opens_once_and_closes_when_it_is_over() {
    let hub = automatic();
    assert!(hub.good(&["alerts"]).contains("no alert is open"));
    let serving = Serving::begin(&hub, &[]);
    hub.world.catalogue.fail(diaporos_demo::Rule::always(diaporos_demo::Fault::Status { status: 500 }));
    for _ in 0..3 {
        hub.world.catalogue.forget();
        hub.wait_until(|world| !world.catalogue.asked().is_empty());
    }
    let mut told = serde_json::Value::Null;
    for _ in 0..200 {
        told = hub.json(&["alerts"]);
        if !told.as_array().unwrap().is_empty() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    assert_eq!((&told[0]["alert"], &told[0]["subject"]), (&json!("pull-fails"), &json!("catalogue")), "{told}");
    assert_eq!(hub.run(&["alerts"]).code, Some(3));
    serving.says("alert: pull-fails catalogue: ");
    hub.world.catalogue.mend();
    serving.says("alert over: pull-fails catalogue");
    let said = serving.end();
    assert_eq!(said.matches("alert: pull-fails").count(), 1, "{said}");
    let closed = hub.json(&["alerts", "--closed"]);
    assert!(closed[0]["closed"].is_string(), "{closed}");
    hub.good(&["alerts"]);
}

#[test]
fn what_does_not_end_in_time_is_left_as_a_crash_would_leave_it() {
    let hub = automatic();
    hub.world.catalogue.fail(diaporos_demo::Rule::always(diaporos_demo::Fault::Stall { millis: 55_000 }));
    let serving = Serving::begin(&hub, &[]);
    hub.wait_until(|_| hub.json(&["status"])["running"][0]["what"] == "system catalogue");
    let asked = std::time::Instant::now();
    serving.end();
    assert!(asked.elapsed() < std::time::Duration::from_secs(25), "{:?}", asked.elapsed());
    hub.world.catalogue.mend();
    hub.good(&["pull"]);
}
