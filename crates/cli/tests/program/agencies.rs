//! Agencies as they are: with prices to be accepted, forms, calls of their own, and one for each language.

use diaporos_demo::{Fault, Rule};

use crate::harness::Hub;
use crate::hooks::{address, send};
use crate::serve::Serving;

const QUOTE: &str = "
[translation.quote]
shown    = \"GET /orders/{id}\"
price    = \"$.price\"
currency = \"$.currency\"
accepted = \"$.accepted\"
accept   = \"POST /orders/{id}/accept\"
";

/// A hub whose agency says what an order costs; `rates` stand in the brief's.
fn asking(price: &str, rates: &str) -> Hub {
    let hub = Hub::pulled();
    let profile = std::fs::read_to_string(hub.path().join("profiles/agency.toml")).unwrap();
    hub.write("profiles/agency.toml", &format!("{profile}{QUOTE}"));
    hub.alter("diaporos.toml", "new = 0.14,", &format!("new = 0.14, {rates}"));
    hub.world.translators.ask(price);
    hub.good(&["batch", "make", "plants"]);
    hub
}

#[test]
fn a_price_is_accepted_by_a_person_who_saw_it() {
    let hub = asking("8.26", "");
    let sent = hub.run(&["batch", "send", "plants-1"]).ends(3).stdout;
    assert!(sent.contains("The agency asks EUR 8.26") && sent.contains("--accept 8.26"), "{sent}");
    hub.world.translators.work(100);
    let told = hub.json(&["batch", "collect"]);
    assert_eq!(told["accepted"], 0, "nothing is begun: {told}");
    let row = &hub.json(&["batch", "quote", "plants-1"])[0];
    assert_eq!(
        (&row["standing"], &row["price"], &row["by_our_rates"]),
        (&"asked".into(), &"EUR 8.26".into(), &"EUR 8.26".into())
    );
    // Another price than was seen is not accepted.
    hub.world.translators.ask("80.26");
    let ran = hub.run(&["batch", "quote", "plants-1", "--accept", "8.26"]).ends(1);
    assert!(ran.stderr.contains("the agency asks EUR 80.26 by now, and not 8.26"), "{}", ran.stderr);
    // A lost answer accepts nothing twice.
    let lost = Rule::once(Fault::LoseAnswer, "POST");
    hub.world.agency.fail(Rule { path: Some("/accept".to_owned()), ..lost });
    let told = hub.good(&["batch", "quote", "plants-1", "--accept", "80.260"]);
    assert!(told.contains("accepted: EUR 80.26"), "{told}");
    hub.good(&["batch", "quote", "plants-1", "--accept", "80.26"]);
    let accepted = hub.world.agency.asked().into_iter().filter(|asked| asked.path.ends_with("/accept")).count();
    assert_eq!(accepted, 1);
    hub.world.translators.work(100);
    assert!(hub.json(&["batch", "collect"])["accepted"].as_u64() > Some(0));
}

#[test]
fn a_small_price_is_accepted_by_itself_and_one_that_is_not_said_is_waited_for() {
    let hub = asking("8.26", "accept_up_to = 10,");
    let sent = hub.good(&["batch", "send", "plants-1"]);
    assert!(sent.contains("The agency's price is accepted: EUR 8.26"), "{sent}");
    let hub = asking("", "accept_up_to = 10,");
    let sent = hub.run(&["batch", "send", "plants-1"]).ends(3).stdout;
    assert!(sent.contains("has not said its price yet"), "{sent}");
    hub.run(&["batch", "quote", "plants-1", "--accept", "1"]).ends(1);
    let hub = Hub::pulled();
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    let ran = hub.run(&["batch", "quote", "plants-1"]).ends(1);
    assert!(ran.stderr.contains("does not say what it will cost"), "{}", ran.stderr);
}

#[test]
fn files_go_in_a_form_with_what_belongs_beside_them() {
    let hub = Hub::pulled();
    let upload = "upload    = { call = \"POST /files\", body = { name = \"{key}\", language = \"{language}\" } }\nform      = \"file\"";
    hub.alter("profiles/agency.toml", "upload    = \"POST /files?name={key}\"", upload);
    hub.good(&["check"]);
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    assert_eq!((hub.world.translators.forms(), hub.world.translators.files()), (1, 1));
    hub.world.translators.work(100);
    let told = hub.json(&["batch", "collect"]);
    assert!(told["accepted"].as_u64() > Some(0), "{told}");
}

#[test]
fn each_language_has_a_carrier_of_its_own() {
    let hub = Hub::pulled();
    hub.world.plants.edit_text("p-005", "common_name", "eng", "Sensitive Fern");
    hub.good(&["pull", "catalogue"]);
    let own = "rates    = { currency = \"EUR\", new = 0.14, changed = 0.09, repeated = 0 }";
    let parted = format!("{own}\nby_language = {{ cy = {{ folder = \"welsh\" }} }}");
    hub.alter("diaporos.toml", own, &parted);
    let made = hub.json(&["batch", "make", "plants"]);
    assert_eq!(made["batches"], serde_json::json!(["plants-1", "plants-2"]), "{made}");
    let into = |name: &str| {
        let rows = hub.json(&["batch", "list"]);
        rows.as_array().unwrap().iter().find(|row| row["batch"] == name).unwrap()["into"].clone()
    };
    assert_ne!(into("plants-1"), into("plants-2"));
    let names = ["plants-1", "plants-2"];
    let sent: Vec<String> = names.iter().map(|name| hub.good(&["batch", "send", name])).collect();
    assert_eq!(sent.iter().filter(|told| told.contains("is ordered")).count(), 1, "{sent:?}");
    assert_eq!(sent.iter().filter(|told| told.contains("welsh/out")).count(), 1, "{sent:?}");
    assert_eq!(hub.world.translators.orders(), 1);
    // What was made before its languages were parted is not sent to one of them.
    hub.alter("diaporos.toml", &parted, own);
    hub.world.plants.edit_text("p-005", "common_name", "eng", "Another Fern");
    hub.good(&["pull", "catalogue"]);
    hub.good(&["batch", "make", "plants"]);
    hub.alter("diaporos.toml", own, &parted);
    let ran = hub.run(&["batch", "send", "plants-3"]).ends(1);
    assert!(ran.stderr.contains("have different carriers by now"), "{}", ran.stderr);
}

#[test]
fn an_agency_that_calls_is_collected_from_at_once() {
    let hub = Hub::pulled();
    let config = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let hook = "\n[hooks.agency]\nsystem = \"agency\"\nverify = \"bearer\"\nsecrets = \"file:token\"\n";
    hub.write("diaporos.toml", &format!("{config}{hook}"));
    hub.write("token", "t0ken-of-the-agency");
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    let serving = Serving::begin(&hub, &[]);
    let url = format!("{}/hooks/agency", address(&serving));
    hub.world.translators.work(100);
    let call = |id: &str| {
        let token = [("authorization", "Bearer t0ken-of-the-agency"), ("webhook-id", id)];
        send("POST", &url, &token, "{\"order\": \"o-1\"}").0
    };
    assert_eq!(call("1"), 202);
    serving.says("accepted");
    serving.end();
    assert_eq!(crate::batch::text(&hub, "p-005", "common_name", "cy"), "Rhedynen y dderwen");
}
