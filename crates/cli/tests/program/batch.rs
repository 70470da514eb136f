//! `batch`: what is missing goes out once, what comes back goes on.

use diaporos_demo::{Fault, Rule, Slip};
use serde_json::Value as Json;

use crate::harness::{Hub, masked};

/// How a language stands, by the words of `batch coverage`.
pub(crate) fn coverage(hub: &Hub, language: &str) -> Json {
    let all = hub.json(&["batch", "coverage"]);
    all.as_array().unwrap().iter().find(|row| row["language"] == language).unwrap().clone()
}

/// What an entry says in a language.
pub(crate) fn text(hub: &Hub, id: &str, field: &str, language: &str) -> Json {
    hub.json(&["show", &format!("catalogue/plant-profile/{id}")])["fields"][field][language].clone()
}

/// A hub with a batch at the agency.
pub(crate) fn sent() -> Hub {
    let hub = Hub::pulled();
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    hub
}

const NAME: &str = "Rhedynen y dderwen";

#[test]
fn the_whole_way() {
    let hub = Hub::pushed();
    let ferns = "<p>Undivided fronds, glossy as wet leather, on the shaded wall below the old mill.</p><p>Wardens count its <em>312 plants</em> each spring.</p>";
    hub.world.plants.edit_text("p-002", "description", "eng", ferns);
    hub.good(&["pull", "catalogue"]);
    let mut told = Vec::new();
    let mut tell = |args: &[&str], code| {
        told.push(format!("$ diaporos {}\n{}", args.join(" "), masked(&hub.run(args).ends(code).stdout)));
    };
    tell(&["batch", "coverage"], 0);
    tell(&["batch", "make", "plants", "--dry-run"], 0);
    tell(&["batch", "make", "plants"], 0);
    tell(&["batch", "make", "plants"], 0);
    tell(&["batch", "send", "plants-1"], 0);
    tell(&["batch", "send", "plants-1"], 0);
    hub.world.translators.work(50);
    tell(&["batch", "progress"], 0);
    tell(&["batch", "collect"], 0);
    hub.world.translators.work(100);
    hub.world.translators.spoil(Slip::AltersNumber, "312 plants", Some("fr"));
    tell(&["batch", "collect"], 3);
    tell(&["batch", "coverage"], 0);
    tell(&["batch", "show", "plants-1", "--rejected"], 0);
    hub.world.translators.mend();
    tell(&["batch", "collect"], 0);
    tell(&["batch", "collect"], 0);
    tell(&["batch", "list"], 0);
    // Its rows come in the order in which the site answers.
    hub.run(&["push"]).ends(3);
    tell(&["batch", "coverage"], 0);
    insta::assert_snapshot!(told.join("\n"));
    let page = hub.world.pages.with_slug("harts-tongue-fern").into_iter().find(|page| page["lang"] == "fr").unwrap();
    assert_eq!(
        page["body"],
        "<p>Des frondes entières, luisantes comme du cuir mouillé, sur le mur ombragé du vieux moulin.</p><p>Chaque printemps, les gardiens comptent ses <em>312 pieds</em>.</p>",
        "the first paragraph did not change, and kept its translation"
    );
    assert_eq!(hub.json(&["push"])["requests"], 0);
    assert_eq!((hub.world.translators.orders(), hub.world.translators.files()), (1, 2));
}

#[test]
fn an_accepted_translation_survives_pulls_till_the_source_has_its_own() {
    let hub = sent();
    hub.world.translators.work(100);
    hub.good(&["batch", "collect"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    // Nothing came, and something else of the entry came.
    hub.good(&["pull", "catalogue"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    hub.world.plants.edit("p-005", &serde_json::json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    let shown = hub.json(&["show", "catalogue/plant-profile/p-005"]);
    assert_eq!(
        (&shown["translations"][0]["batch"], &shown["translations"][0]["counts"]),
        (&"plants-1".into(), &"this translation".into())
    );
    // The English changes: the Welsh stays, and is out of date.
    hub.world.plants.edit_text("p-005", "common_name", "eng", "Eastern Oak Fern");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    assert_eq!(coverage(&hub, "cy")["out_of_date"], 1);
    // An editor writes Welsh at the source: that counts from now on.
    hub.world.plants.edit_text("p-005", "common_name", "cym", "Rhedynen dderw'r dwyrain");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Rhedynen dderw'r dwyrain");
    assert_eq!(coverage(&hub, "cy")["out_of_date"], 0);
    let shown = hub.json(&["show", "catalogue/plant-profile/p-005"]);
    assert_eq!(shown["translations"][0]["counts"], "the source's, which it changed since");
}

#[test]
fn a_translation_by_hand_is_out_of_date_once_its_source_changes() {
    let hub = Hub::pulled();
    assert_eq!(coverage(&hub, "fr")["out_of_date"], 0);
    hub.world.plants.edit_text("p-010", "description", "eng", "<p>White plumes.</p>");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(coverage(&hub, "fr")["out_of_date"], 1);
    // Another pull, or a change of something else, does not alter that.
    hub.world.plants.edit("p-010", &serde_json::json!({ "habitat": "bog" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!((&coverage(&hub, "fr")["out_of_date"], &coverage(&hub, "cy")["out_of_date"]), (&1.into(), &1.into()));
    hub.world.plants.edit_text("p-010", "description", "fra", "<p>Des plumets blancs.</p>");
    hub.good(&["pull", "catalogue"]);
    assert_eq!((&coverage(&hub, "fr")["out_of_date"], &coverage(&hub, "cy")["out_of_date"]), (&0.into(), &1.into()));
}

#[test]
fn an_order_whose_answer_is_lost_is_placed_once() {
    for (path, fault) in [
        ("/orders", Fault::LoseAnswer),
        ("/files", Fault::LoseAnswer),
        ("/orders", Fault::LoseRequest),
        ("/orders", Fault::Status { status: 503 }),
        ("/orders", Fault::Html),
    ] {
        let hub = Hub::pulled();
        hub.good(&["batch", "make", "plants"]);
        hub.world.agency.fail(Rule { path: Some(path.to_owned()), ..Rule::once(fault, "POST") });
        let first = hub.run(&["batch", "send", "plants-1"]);
        if first.code != Some(0) {
            let again = hub.good(&["batch", "send", "plants-1"]);
            assert!(again.contains("is ordered"), "{again}");
        }
        assert_eq!(hub.world.translators.orders(), 1, "{path} {fault:?}");
        assert!(hub.good(&["batch", "send", "plants-1"]).contains("nothing was done"));
        assert_eq!(hub.world.translators.orders(), 1);
    }
}

#[test]
fn killed_after_the_order_and_before_the_answer_it_is_found() {
    let hub = Hub::pulled();
    hub.good(&["batch", "make", "plants"]);
    hub.world
        .agency
        .fail(Rule { path: Some("/orders".to_owned()), ..Rule::once(Fault::StallAfter { millis: 20_000 }, "POST") });
    let mut send = hub.start(&["batch", "send", "plants-1"]);
    hub.wait_until(|world| world.translators.orders() == 1);
    send.kill().unwrap();
    send.wait().unwrap();
    assert_eq!(hub.json(&["batch", "list"])[0]["standing"], "sending");
    assert!(hub.good(&["batch", "send", "plants-1"]).contains("nothing was ordered twice"));
    assert_eq!(hub.world.translators.orders(), 1);
}

#[test]
fn a_killed_collect_is_finished_by_the_next() {
    let hub = Hub::with_plants(400);
    hub.alter("diaporos.toml", "into     = [\"fr\", \"cy\"]", "into     = [\"nl\"]");
    hub.alter("diaporos.toml", "when     = 'state == \"live\" and \"public\" in tags'\nagency", "agency");
    hub.alter("diaporos.toml", "limits   = { common_name = 80 }\n", "");
    hub.good(&["pull"]);
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    hub.world.translators.work(100);
    for millis in [60, 120, 200, 300] {
        let mut collect = hub.start(&["batch", "collect"]);
        std::thread::sleep(std::time::Duration::from_millis(millis));
        collect.kill().unwrap();
        collect.wait().unwrap();
    }
    hub.good(&["batch", "collect"]);
    let stands = coverage(&hub, "nl");
    assert_eq!((&stands["percent"], &stands["waiting"]), (&100.into(), &0.into()), "{stands}");
    let again = hub.json(&["batch", "collect"]);
    assert_eq!((&again["accepted"], &again["values"]), (&0.into(), &0.into()));
    let versions = hub.json(&["show", "catalogue/plant-profile/made-up-000007"])["versions"].as_array().unwrap().len();
    assert!(versions <= 3, "each of two fields made a version at most: {versions}");
}

#[test]
fn what_is_known_is_not_sent_again() {
    let hub = sent();
    hub.world.translators.work(100);
    hub.good(&["batch", "collect"]);
    let known = hub.path().join("known.tmx");
    let told = hub.good(&["batch", "memory", "--give", "known.tmx"]);
    assert!(told.contains("5 translations"), "{told}");
    // Another hub takes the memory in, and has nothing to send.
    let other = Hub::pulled();
    other.good(&["batch", "memory", "--take", known.to_str().unwrap()]);
    let made = other.json(&["batch", "make", "plants"]);
    assert_eq!((&made["batch"], &made["units"], &made["filled_in"]), (&Json::Null, &0.into(), &5.into()), "{made}");
    assert_eq!(text(&other, "p-005", "common_name", "cy"), NAME);
    assert_eq!(coverage(&other, "cy")["missing"], 0);
    assert_eq!(other.json(&["batch", "make", "plants"])["filled_in"], 0);
}

#[test]
fn a_text_that_stands_twice_is_sent_once() {
    let hub = Hub::pulled();
    for id in ["p-011", "p-013", "p-014"] {
        hub.world.plants.edit_text(id, "description", "eng", "<p>Open all day, but for Mondays.</p>");
    }
    hub.good(&["pull", "catalogue"]);
    let made = hub.json(&["batch", "make", "plants", "--into", "fr"]);
    let french = &made["languages"][0];
    assert_eq!((&french["changed"], &french["repeated"]), (&1.into(), &2.into()), "{made}");
    hub.good(&["batch", "send", "plants-1"]);
    hub.world.translators.work(100);
    let collected = hub.json(&["batch", "collect"]);
    assert_eq!((&collected["accepted"], &collected["values"]), (&3.into(), &3.into()), "{collected}");
    assert_eq!(text(&hub, "p-011", "description", "fr"), text(&hub, "p-014", "description", "fr"));
}

#[test]
fn pseudo_translations_are_for_trying_only() {
    let hub = sent();
    hub.good(&["batch", "pseudo", "plants-1", "--in", "trial"]);
    let collected = hub.json(&["batch", "collect", "--from", "trial/plants-1.cy.pseudo.xlf"]);
    assert_eq!((&collected["values"], &collected["made_up"]), (&5.into(), &5.into()), "{collected}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "⟦Óááķ Féŕñ⟧");
    assert_eq!(
        (&coverage(&hub, "cy")["out"], &coverage(&hub, "cy")["missing"]),
        (&3.into(), &0.into()),
        "it is waited for as before"
    );
    // The real one takes its place, and the rest goes with the batch.
    hub.world.translators.work(40);
    hub.good(&["batch", "collect"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    hub.good(&["batch", "cancel", "plants-1"]);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    assert_eq!(text(&hub, "p-017", "common_name", "cy"), Json::Null, "nothing made up is left");
    let memory = hub.good(&["batch", "memory", "--give", "known.tmx"]);
    assert!(memory.contains("2 translations"), "nothing was learnt of what is made up: {memory}");
}

#[test]
fn a_cancelled_batch_lets_its_texts_go_out_again() {
    let hub = sent();
    hub.world.translators.work(100);
    hub.good(&["batch", "pseudo", "plants-1"]);
    let told = hub.good(&["batch", "cancel", "plants-1"]);
    assert!(told.contains("is cancelled"), "{told}");
    assert!(hub.good(&["batch", "cancel", "plants-1"]).contains("nothing was done"));
    assert_eq!((hub.world.translators.cancelled(), hub.world.translators.orders()), (1, 1));
    let refused = hub.run(&["batch", "collect", "plants-1"]).ends(1);
    assert!(refused.stderr.contains("`plants-1` was cancelled"), "{}", refused.stderr);
    let late = hub.run(&["batch", "collect", "--from", "plants-1.cy.pseudo.xlf"]).ends(3);
    assert!(late.stdout.contains("left alone: the batch `plants-1` was cancelled"), "{}", late.stdout);
    assert_eq!(hub.json(&["batch", "make", "plants"])["batch"], "plants-2");
    hub.good(&["batch", "send", "plants-2"]);
    assert_eq!(hub.world.translators.orders(), 2);
}

#[test]
fn a_folder_is_carried_there_and_back() {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "agency   = \"agency\"", "folder   = \"handover\"");
    hub.good(&["batch", "make", "plants"]);
    let told = hub.good(&["batch", "send", "plants-1"]);
    assert!(told.contains("out/plants-1.cy.xlf") && told.contains("out/plants-1.html"), "{told}");
    let page = std::fs::read_to_string(hub.path().join("handover/out/plants-1.html")).unwrap();
    assert!(page.contains("u69466c89cb980205") && page.contains("Its label has grown with it."), "{page}");
    assert_eq!(hub.json(&["batch", "collect"])["accepted"], 0, "what went out is not what comes back");
    let file = std::fs::read_to_string(hub.path().join("handover/out/plants-1.cy.xlf")).unwrap();
    let wrong = file.replace("<source>Oak Fern</source>", "<source>Oak Fern</source><target>Oak Fern</target>");
    let right =
        file.replace("<source>Oak Fern</source>", "<source>Oak Fern</source><target>Rhedynen y dderwen</target>");
    hub.write("handover/back/an old one.xlf", &wrong.replace("Oak Fern</target>", " x</target>"));
    std::thread::sleep(std::time::Duration::from_millis(20));
    hub.write("handover/back/RENAMED (2).xlf", &right);
    let collected = hub.run(&["batch", "collect", "--format", "json"]).ends(3);
    assert!(
        collected.stdout.contains("\"accepted\":1") && collected.stdout.contains("\"rejected\":1"),
        "{}",
        collected.stdout
    );
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
    let again = hub.json(&["batch", "collect"]);
    assert_eq!((&again["accepted"], &again["rejected"]), (&0.into(), &0.into()), "{again}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME, "an old file never overrules a newer");
}

#[test]
fn every_format_goes_there_and_back() {
    for (format, file) in [
        ("xliff-2.1", "plants-1.cy.xlf"),
        ("xliff-1.2", "plants-1.cy.xlf"),
        ("po", "plants-1.cy.po"),
        ("csv", "plants-1.cy.csv"),
    ] {
        let hub = Hub::pulled();
        hub.good(&["batch", "make", "plants", "--into", "cy"]);
        hub.good(&["batch", "send", "plants-1", "--to", "handover", "--as", format]);
        let out = std::fs::read_to_string(hub.path().join("handover/out").join(file)).unwrap();
        let back = match format {
            "po" => out.replace("msgid \"Oak Fern\"\nmsgstr \"\"", "msgid \"Oak Fern\"\nmsgstr \"Rhedynen y dderwen\""),
            "csv" => out.replace("Oak Fern,", "Oak Fern,Rhedynen y dderwen"),
            _ => out.replace("Oak Fern</source>", "Oak Fern</source><target>Rhedynen y dderwen</target>"),
        };
        assert_ne!(out, back, "{out}");
        hub.write("back", &back.replace('\n', "\r\n"));
        let collected = hub.json(&["batch", "collect", "plants-1", "--from", "back"]);
        assert_eq!(
            (&collected["accepted"], &collected["waiting"], &collected["refused"]),
            (&1.into(), &4.into(), &0.into()),
            "{format}: {collected}"
        );
        assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME, "{format}");
    }
}

#[test]
fn no_secret_is_told_and_each_credential_keeps_to_its_work() {
    let hub = sent();
    hub.world.translators.work(100);
    let told = hub.run(&["-vv", "batch", "collect"]).ends(0);
    assert!(!told.stderr.contains(diaporos_demo::AGENCY_TOKEN) && !told.stdout.contains(diaporos_demo::AGENCY_TOKEN));
    assert!(hub.world.agency.asked().iter().all(|asked| asked.carried_secret));
    let wrong = hub.command(&["batch", "progress"]).env("AGENCY_TOKEN", "wrong").output().unwrap();
    let wrong = crate::harness::ran(wrong).ends(0);
    assert!(wrong.stdout.contains("nothing is waited for"), "all is there, and nobody is asked: {}", wrong.stdout);
}

/// A hub whose translations go back to the catalogue.
fn back_to(back: &str) -> Hub {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "due      = \"10d\"", &format!("back     = \"{back}\""));
    let read = "read      = { bearer = \"env:CATALOGUE_READ_TOKEN\" }";
    hub.alter("diaporos.toml", read, &format!("{read}\nwrite     = {{ bearer = \"env:CATALOGUE_WRITE_TOKEN\" }}"));
    hub.good(&["pull"]);
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    hub.good(&["batch", "send", "plants-1"]);
    hub.world.translators.work(100);
    hub.good(&["batch", "collect"]);
    hub
}

#[test]
fn translations_go_back_to_where_their_texts_came_from() {
    for back in ["source", "both"] {
        let hub = back_to(back);
        let seen_by_lanes = text(&hub, "p-005", "common_name", "cy");
        assert_eq!(seen_by_lanes, if back == "both" { NAME.into() } else { Json::Null });
        let planned = hub.json(&["push", "plants-back", "--dry-run"]);
        assert_eq!(planned["updated"], 3, "{planned}");
        // The English changes at the source meanwhile: it stays, and only the Welsh is written.
        hub.world.plants.edit_text("p-005", "description", "eng", "<p>Changed meanwhile.</p>");
        let pushed = hub.json(&["push", "plants-back"]);
        assert_eq!((&pushed["updated"], &pushed["held"]), (&3.into(), &0.into()), "{pushed}");
        assert_eq!(hub.world.plants.text("p-005", "common_name", "cym").as_deref(), Some(NAME));
        assert_eq!(hub.world.plants.text("p-005", "description", "eng").as_deref(), Some("<p>Changed meanwhile.</p>"));
        assert_eq!(hub.json(&["push", "plants-back"])["requests"], 0, "twice is once");
        hub.good(&["pull", "catalogue"]);
        assert_eq!(text(&hub, "p-005", "common_name", "cy"), NAME);
        assert_eq!(text(&hub, "p-005", "common_name", "en"), "Oak Fern");
        assert_eq!(hub.json(&["push", "plants-back"])["requests"], 0);
        let shown = hub.json(&["show", "catalogue/plant-profile/p-005"]);
        assert_eq!(shown["translations"][0]["counts"], "the source's, which is the same");
        assert_eq!((&coverage(&hub, "cy")["missing"], &coverage(&hub, "cy")["out_of_date"]), (&0.into(), &1.into()));
    }
}

#[test]
fn what_was_written_at_the_source_meanwhile_is_never_overwritten() {
    let hub = back_to("both");
    hub.world.plants.edit_text("p-005", "common_name", "cym", "Rhedynen arall");
    hub.world.plants.delete("p-012");
    let pushed = hub.run(&["push", "plants-back", "--format", "json"]).ends(3);
    let pushed: Json = serde_json::from_str(&pushed.stdout).unwrap();
    assert_eq!((&pushed["updated"], &pushed["held"]), (&1.into(), &2.into()), "{pushed}");
    assert_eq!(hub.world.plants.text("p-005", "common_name", "cym").as_deref(), Some("Rhedynen arall"));
    let reasons: Vec<Json> =
        hub.json(&["holds", "plants-back"]).as_array().unwrap().iter().map(|row| row["reason"].clone()).collect();
    assert_eq!(reasons, ["changed-there", "deleted-there"]);
    // A person decides for the translation.
    hub.good(&["resolve", "catalogue/plant-profile/p-005", "--lane", "plants-back", "--take", "ours"]);
    hub.run(&["push", "plants-back"]).ends(3);
    assert_eq!(hub.world.plants.text("p-005", "common_name", "cym").as_deref(), Some(NAME));
    // Left alone, what the source has wins with the next pull.
    let hub = back_to("both");
    hub.world.plants.edit_text("p-005", "common_name", "cym", "Rhedynen arall");
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push", "plants-back"])["held"], 0);
    assert_eq!(hub.world.plants.text("p-005", "common_name", "cym").as_deref(), Some("Rhedynen arall"));
}

#[test]
fn an_answer_that_is_lost_on_the_way_back_is_settled_by_reading() {
    let hub = back_to("both");
    hub.world.catalogue.fail(Rule { times: Some(2), ..Rule::once(Fault::LoseAnswer, "PATCH") });
    hub.run(&["push", "plants-back"]).ends(0);
    hub.good(&["push", "plants-back"]);
    for id in ["p-005", "p-012", "p-017"] {
        assert!(hub.world.plants.text(id, "description", "cym").is_some(), "{id}");
    }
    let patches = hub.world.catalogue.asked().iter().filter(|asked| asked.method == "PATCH").count();
    assert_eq!(patches, 3, "nothing was written twice");
    assert_eq!(hub.json(&["push", "plants-back"])["requests"], 0);
}

#[test]
fn what_is_late_is_marked() {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "due      = \"10d\"", "due      = \"1ms\"");
    hub.good(&["batch", "make", "plants"]);
    hub.good(&["batch", "send", "plants-1"]);
    assert_eq!(hub.json(&["batch", "list"])[0]["late"], true);
    assert!(hub.run(&["batch", "progress"]).ends(3).stdout.contains("late"));
    hub.world.translators.work(100);
    hub.good(&["batch", "collect"]);
    let list = hub.json(&["batch", "list"]);
    assert_eq!(
        (&list[0]["late"], &list[0]["standing"], &list[0]["percent"]),
        (&false.into(), &"done".into(), &100.into())
    );
}

#[test]
fn an_agency_that_does_not_answer_costs_nothing() {
    let hub = sent();
    hub.world.agency.fail(Rule::always(Fault::Status { status: 500 }));
    let shown = hub.run(&["batch", "progress"]).ends(1);
    assert!(shown.stdout.contains("plants-1") && shown.stderr.contains("500"), "{}{}", shown.stdout, shown.stderr);
    hub.run(&["batch", "collect"]).ends(1);
    hub.run(&["batch", "cancel", "plants-1"]).ends(1);
    assert_eq!(hub.json(&["batch", "list"])[0]["standing"], "sent", "it is waited for as before");
    hub.good(&["batch", "cancel", "plants-1", "--here"]);
    assert_eq!(hub.json(&["batch", "list"])[0]["standing"], "cancelled");
}

#[test]
fn what_cannot_be_translated_is_the_same_in_any_language() {
    let hub = Hub::pulled();
    hub.world.plants.edit_text("p-012", "description", "eng", "<p>Fernhollow</p><p>12.50</p>");
    hub.good(&["pull", "catalogue"]);
    let made = hub.json(&["batch", "make", "plants"]);
    assert_eq!((&made["units"], &made["filled_in"]), (&4.into(), &2.into()), "{made}");
    assert_eq!(text(&hub, "p-012", "description", "cy"), "<p>Fernhollow</p><p>12.50</p>");
    assert_eq!(coverage(&hub, "fr")["percent"], 100);
    assert_eq!(hub.json(&["batch", "make", "plants"])["filled_in"], 0, "twice is once");
}
