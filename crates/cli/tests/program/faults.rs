//! Sources and destinations that fail in every way the stand-ins know.

use diaporos_demo::{Fault, Rule};

use crate::harness::{Hub, masked};

/// Lets the catalogue fail, pulls, and gives what the user reads; then all is well again.
fn pull_with(hub: &Hub, fault: Fault) -> String {
    hub.world.catalogue.fail(Rule::always(fault));
    let ran = hub.run(&["pull", "catalogue"]).ends(1);
    hub.world.catalogue.mend();
    assert!(!ran.stderr.contains(diaporos_demo::CATALOGUE_READ_TOKEN), "{}", ran.stderr);
    masked(ran.stderr.lines().next().unwrap())
}

#[test]
fn a_source_that_fails_is_named_and_nothing_is_taken_for_gone() {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "languages = { eng", "timeout   = \"1500ms\"\nretries   = 0\nlanguages = { eng");
    hub.good(&["pull"]);
    let faults = [
        ("500", Fault::Status { status: 500 }),
        ("401", Fault::Status { status: 401 }),
        ("404", Fault::Status { status: 404 }),
        ("throttled", Fault::Throttle { seconds: 1 }),
        ("time-out", Fault::Stall { millis: 2_000 }),
        ("half a body", Fault::HalfBody),
        ("cut body", Fault::CutBody),
        ("HTML", Fault::Html),
        ("empty", Fault::Empty),
        ("redirects", Fault::RedirectLoop),
        ("dropped", Fault::LoseRequest),
        ("50 MB", Fault::Huge),
    ];
    let told: Vec<String> =
        faults.into_iter().map(|(name, fault)| format!("{name}: {}", pull_with(&hub, fault))).collect();
    insta::assert_snapshot!(told.join("\n"));
    assert_eq!(hub.json(&["entries", "--state", "gone"]).as_array().unwrap().len(), 0);
    let good = hub.json(&["pull", "catalogue"]);
    assert_eq!((good["unchanged"].as_u64(), good["incomplete"].as_u64()), (Some(46), Some(0)), "{good}");
}

#[test]
fn a_source_that_is_not_there() {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "languages = { eng", "retries   = 0\nlanguages = { eng");
    let mut command = hub.command(&["pull", "catalogue"]);
    command.env("CATALOGUE_URL", "http://127.0.0.1:9");
    let ran = crate::harness::ran(command.output().unwrap()).ends(1);
    assert!(
        ran.stderr.contains("catalogue: cannot be reached") && ran.stderr.contains("127.0.0.1:9"),
        "{}",
        ran.stderr
    );
}

#[test]
fn a_page_that_fails_costs_neither_the_pages_before_it_nor_the_other_systems() {
    let hub = Hub::with_plants(250);
    hub.alter("diaporos.toml", "languages = { eng", "retries   = 0\nlanguages = { eng");
    let third =
        Rule { path: Some("type=plant-profile".to_owned()), after: 2, ..Rule::always(Fault::Status { status: 503 }) };
    hub.world.catalogue.fail(third);
    let ran = hub.run(&["pull", "--format", "json"]).ends(3);
    let pulled: serde_json::Value = serde_json::from_str(&ran.stdout).unwrap();
    assert_eq!((pulled["pulled"].as_u64(), pulled["incomplete"].as_u64()), (Some(200 + 18 + 16), Some(1)), "{pulled}");
    hub.world.catalogue.mend();
    let pulled = hub.json(&["pull"]);
    assert_eq!((pulled["new"].as_u64(), pulled["gone"].as_u64()), (Some(78), Some(0)), "{pulled}");
}

#[test]
fn one_feed_that_is_none_leaves_the_other_read() {
    let hub = Hub::new();
    hub.world.bulletins.fail(Rule { path: Some("fernhollow".to_owned()), ..Rule::always(Fault::Html) });
    let ran = hub.run(&["pull", "bulletins"]).ends(3);
    assert!(
        ran.stderr.contains("it is a page of HTML") && ran.stdout.contains("8 entries"),
        "{}{}",
        ran.stdout,
        ran.stderr
    );
}

#[test]
fn a_read_that_fails_once_is_tried_again() {
    let hub = Hub::new();
    hub.world.catalogue.fail(Rule::once(Fault::Status { status: 503 }, "GET"));
    hub.world.catalogue.fail(Rule::once(Fault::Throttle { seconds: 0 }, "GET"));
    hub.good(&["pull", "catalogue"]);
}

/// Lets the site fail at the first create, pushes until all is well, and insists on one page each.
fn push_through(fault: Fault) {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout = \"500ms\"");
    hub.world.visitor_site.fail(Rule { times: Some(3), ..Rule::once(fault, "POST") });
    let ran = hub.run(&["push"]).ends(3);
    hub.world.visitor_site.mend();
    hub.run(&["push"]).ends(3);
    let pushed = hub.json(&["push"]);
    assert_eq!(
        (pushed["unchanged"].as_u64(), pushed["requests"].as_u64()),
        (Some(36), Some(0)),
        "{fault:?} {pushed} {}",
        ran.stdout
    );
    hub.nothing_is_doubled();
}

#[test]
fn a_lost_answer_is_settled_and_nothing_is_doubled() {
    push_through(Fault::LoseAnswer);
}

#[test]
fn a_lost_request_is_sent_again() {
    push_through(Fault::LoseRequest);
}

#[test]
fn an_answer_that_comes_too_late_counts_as_lost() {
    push_through(Fault::StallAfter { millis: 2_000 });
}

#[test]
fn a_site_that_fails_is_tried_again() {
    push_through(Fault::Status { status: 503 });
    push_through(Fault::Throttle { seconds: 0 });
    push_through(Fault::HalfBody);
}

#[test]
fn a_look_up_that_fails_costs_its_own_entry_only() {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout = \"10s\"\nretries = 0");
    hub.world
        .visitor_site
        .fail(Rule { path: Some("slug=royal-fern".to_owned()), ..Rule::always(Fault::Status { status: 500 }) });
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!((pushed["failed"].as_u64(), pushed["created"].as_u64()), (Some(1), Some(20)), "{pushed}");
    hub.world.visitor_site.mend();
    assert_eq!(hub.json(&["push", "profiles"])["adopted"], 1);
}

#[test]
fn a_refused_token_stops_the_lane_at_once() {
    let hub = Hub::pulled();
    let mut command = hub.command(&["push", "profiles"]);
    command.env("SITE_WRITE_TOKEN", "wrong-token");
    let ran = crate::harness::ran(command.output().unwrap());
    assert!(
        ran.stderr.contains("the credential was refused (403: this token may not write pages)")
            && !ran.stderr.contains("wrong-token"),
        "{}",
        ran.stderr
    );
    assert!(hub.writes() <= 12, "{} requests for one refusal", hub.writes());
    assert_eq!(ran.code, Some(3), "{}", ran.stdout);
    assert_eq!(hub.json(&["push", "profiles"])["created"], 20, "all is owed still");
}

#[test]
fn a_feed_that_is_mended_does_not_keep_the_others_from_being_read() {
    let hub = Hub::new();
    hub.world.bulletins.fail(Rule { path: Some("tarnside".to_owned()), times: Some(1), ..Rule::always(Fault::Html) });
    let _ = hub.run(&["pull", "bulletins"]).ends(3);
    hub.world.bulletins.forget();
    assert_eq!(hub.json(&["pull", "bulletins"])["pulled"], 16);
    assert_eq!(hub.world.bulletins.asked().len(), 2);
}
