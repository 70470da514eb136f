//! What comes back from translators, with every defect: named, refused where it must be, and the rest
//! kept.

use diaporos_demo::{FileSlip, Slip};

use crate::batch::{coverage, sent, text};
use crate::harness::Hub;

#[test]
fn a_faulty_unit_goes_back_and_the_rest_goes_on() {
    for (slip, source, why) in [
        (Slip::Empty, "Four leaves", "it is empty"),
        (Slip::AltersNumber, "Four leaves", "1987 is not in the source"),
        (Slip::TooLong, "Oak Fern", "at most 80 fit"),
        (Slip::Copies, "Four leaves", "it is the source text again"),
        (Slip::LeavesSpace, "Four leaves", "it ends with a space"),
        (Slip::WrongLetters, "Four leaves", "it is not in Latin letters"),
        (Slip::LosesTag, "The eastern relative", "is missing"),
        (Slip::OverlapsTags, "The eastern relative", "tags 1 and 2 overlap"),
        (Slip::DoublesTag, "The eastern relative", "stands there more than once"),
        (Slip::OtherWords, "The eastern relative", "`wardens` is to be `wardeniaid`"),
    ] {
        let hub = Hub::pulled();
        if source == "The eastern relative" {
            let rich = "<p>The eastern relative of <i>our</i> <b>oak fern</b>,<br>say the wardens.</p>";
            hub.world.plants.edit_text("p-005", "description", "eng", rich);
            hub.good(&["pull", "catalogue"]);
        }
        if slip != Slip::OtherWords {
            // Else the words that nobody has translated lack it too.
            hub.alter("tables/terms.csv", "wardens,cy,wardeniaid,\n", "");
        }
        hub.good(&["batch", "make", "plants", "--into", "cy"]);
        hub.good(&["batch", "send", "plants-1"]);
        hub.world.translators.work(100);
        hub.world.translators.spoil(slip, source, None);
        let collected = hub.json(&["batch", "collect"]);
        assert_eq!((&collected["rejected"], &collected["accepted"]), (&1.into(), &4.into()), "{slip:?}: {collected}");
        let reason = collected["units"][0]["reasons"][0].as_str().unwrap();
        assert!(reason.contains(why), "{slip:?}: {collected}");
        assert_eq!(coverage(&hub, "cy")["rejected"], 1);
        // The next batch does not pay for it again.
        assert_eq!(hub.json(&["batch", "make", "plants", "--into", "cy"])["units"], 0);
        hub.good(&["batch", "reject-note", "plants-1"]);
        let note = std::fs::read_to_string(hub.path().join("plants-1.cy.rejected.xlf")).unwrap();
        assert!(note.contains("category=\"rejected\"") && note.matches("<unit ").count() == 1, "{note}");
        hub.world.translators.mend();
        if slip == Slip::OtherWords {
            hub.alter("tables/terms.csv", "wardens,cy,wardeniaid,", "wardens,cy,,garddwyr");
        }
        let mended = hub.json(&["batch", "collect"]);
        assert_eq!((&mended["accepted"], &mended["unchanged"]), (&1.into(), &4.into()), "{mended}");
        assert_eq!(coverage(&hub, "cy")["percent"], 100);
    }
}

#[test]
fn a_bad_file_is_named_and_left_alone() {
    for (slip, code, why) in [
        (FileSlip::WrongLanguage, 3, "it is into nl, and the batch is into cy"),
        (FileSlip::WrongBatch, 3, "it is of the batch `plants-99`, not of `plants-1`"),
        (FileSlip::Bomb, 3, "it declares entities, which are not read"),
        (FileSlip::ExternalEntity, 3, "it declares entities, which are not read"),
        (FileSlip::Foreign, 3, "this is no XLIFF, PO or CSV of units"),
        (FileSlip::CutOff, 3, "its whole units were looked at"),
    ] {
        let hub = sent();
        hub.world.translators.work(100);
        hub.world.translators.spoil_file(slip, "cy");
        let ran = hub.run(&["batch", "collect"]).ends(code);
        assert!(ran.stdout.contains(why), "{slip:?}: {}", ran.stdout);
        if slip != FileSlip::CutOff {
            assert_eq!(coverage(&hub, "cy")["out"], 3, "nothing of it was taken");
        }
        // A good file is taken all the same.
        hub.world.translators.mend();
        hub.good(&["batch", "collect"]);
        assert_eq!(coverage(&hub, "cy")["percent"], 100, "{slip:?}");
    }
}

#[test]
fn what_a_tool_does_to_a_file_is_borne() {
    let hub = sent();
    hub.world.translators.work(100);
    hub.world.translators.spoil_file(FileSlip::ToolWork, "cy");
    let collected = hub.json(&["batch", "collect"]);
    assert_eq!((&collected["accepted"], &collected["refused"]), (&5.into(), &0.into()), "{collected}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Rhedynen y dderwen");
}

#[test]
fn a_unit_that_stands_twice_or_is_unknown_is_left_alone() {
    let hub = sent();
    hub.world.translators.work(100);
    hub.world.translators.spoil(Slip::Twice, "Four leaves", None);
    hub.world.translators.spoil(Slip::RenamesUnit, "Its label", None);
    let collected = hub.json(&["batch", "collect"]);
    assert_eq!((&collected["accepted"], &collected["refused"]), (&3.into(), &3.into()), "{collected}");
    let reasons: Vec<&str> =
        collected["units"].as_array().unwrap().iter().map(|row| row["reasons"][0].as_str().unwrap()).collect();
    assert!(
        reasons.contains(&"it stands there twice, with different texts")
            && reasons.contains(&"it is not in this batch"),
        "{reasons:?}"
    );
    hub.world.translators.mend();
    hub.good(&["batch", "collect"]);
    assert_eq!(coverage(&hub, "cy")["percent"], 100);
}

#[test]
fn a_translation_of_what_has_changed_since_is_held_or_taken() {
    for policy in ["hold", "take"] {
        let hub = Hub::pulled();
        hub.alter("diaporos.toml", "due      = \"10d\"", &format!("outdated = \"{policy}\""));
        hub.good(&["batch", "make", "plants", "--into", "cy"]);
        hub.good(&["batch", "send", "plants-1"]);
        hub.world.plants.edit_text(
            "p-012",
            "description",
            "eng",
            "<p>Four leaves, one flower. Please stay on the boards.</p>",
        );
        hub.good(&["pull", "catalogue"]);
        hub.world.translators.work(100);
        let collected = hub.json(&["batch", "collect"]);
        let welsh = text(&hub, "p-012", "description", "cy");
        let stands = coverage(&hub, "cy");
        if policy == "hold" {
            assert_eq!((&collected["accepted"], &collected["outdated"]), (&4.into(), &1.into()), "{collected}");
            assert_eq!((welsh, &stands["missing"]), (serde_json::Value::Null, &1.into()), "{stands}");
        } else {
            assert_eq!((&collected["accepted"], &collected["outdated"]), (&5.into(), &0.into()), "{collected}");
            assert_eq!(
                welsh,
                "<p>Pedair deilen, un blodyn, un aeronen ddu. Arhoswch ar y byrddau, os gwelwch yn dda.</p>"
            );
            assert_eq!(stands["out_of_date"], 1, "it is taken, and known to be of an older text: {stands}");
        }
        // What it says now goes out; what did not change does not.
        let made = hub.json(&["batch", "make", "plants", "--into", "cy"]);
        assert_eq!((&made["units"], &made["batch"]), (&1.into(), &"plants-2".into()), "{made}");
    }
}

#[test]
fn a_person_may_take_what_a_check_holds_back() {
    let hub = sent();
    hub.world.translators.work(100);
    hub.world.translators.spoil(Slip::AltersNumber, "Four leaves", None);
    hub.world.translators.spoil(Slip::Empty, "Its label", None);
    hub.run(&["batch", "collect"]).ends(3);
    let rejected = hub.json(&["batch", "show", "plants-1", "--rejected"]);
    let unit = |start: &str| {
        let rows = rejected.as_array().unwrap();
        rows.iter().find(|row| row["source"].as_str().unwrap().starts_with(start)).unwrap()["unit"]
            .as_str()
            .unwrap()
            .to_owned()
    };
    let taken = hub.good(&["batch", "review", "plants-1", "--accept", &unit("Four"), "--into", "cy", "--by", "Gwen"]);
    assert!(taken.contains("1 accepted"), "{taken}");
    assert!(text(&hub, "p-012", "description", "cy").as_str().unwrap().contains("1987"));
    let refused =
        hub.run(&["batch", "review", "plants-1", "--accept", &unit("Its"), "--into", "cy", "--by", "Gwen"]).ends(3);
    assert!(refused.stdout.contains("cannot be taken: it is empty"), "{}", refused.stdout);
    // A faulty file does not put back what was taken.
    hub.good(&["batch", "collect", "--again"]);
    assert!(text(&hub, "p-012", "description", "cy").as_str().unwrap().contains("1987"));
}

#[test]
fn a_return_in_another_encoding_or_of_a_wrong_name() {
    let hub = sent();
    hub.good(&["batch", "pseudo", "plants-1"]);
    let file = std::fs::read_to_string(hub.path().join("plants-1.cy.pseudo.xlf")).unwrap();
    let wide: Vec<u8> = [0xff, 0xfe].into_iter().chain(file.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    std::fs::write(hub.path().join("wide.xlf"), wide).unwrap();
    assert_eq!(hub.json(&["batch", "collect", "--from", "wide.xlf"])["values"], 5);
    let none = hub.run(&["batch", "collect", "--from", "nowhere.xlf"]).ends(1);
    assert!(none.stderr.contains("nowhere.xlf"), "{}", none.stderr);
    hub.write("other.csv", "en,cy\nOak Fern,Rhedynen y dderwen\n");
    let unnamed = hub.run(&["batch", "collect", "--from", "other.csv"]).ends(3);
    assert!(unnamed.stdout.contains("it does not say of which batch it is"), "{}", unnamed.stdout);
}

/// The id of the unit that says this, in a file of units.
fn unit_saying<'a>(file: &'a str, text: &str) -> &'a str {
    let unit = file.split("<unit ").skip(1).find(|unit| unit.contains(&format!("<source>{text}"))).unwrap();
    unit.split('"').nth(1).unwrap()
}

/// An id alone proves nothing: files are renamed, merged and mended by hand.
#[test]
fn a_unit_is_held_against_what_was_sent() {
    let swapped = |file: &str| {
        let (one, other) = (unit_saying(file, "Oak Fern"), unit_saying(file, "Four leaves"));
        file.replace(one, "SWAPPED").replace(other, one).replace("SWAPPED", other)
    };
    let edited = |file: &str| file.replace("<source>Oak Fern", "<source>The Oak Fern");
    let wrapped = |file: &str| file.replace("<source>Oak Fern", "<source>Oak\n   Fern");
    type Change<'a> = &'a dyn Fn(&str) -> String;
    let changes: [(Change<'_>, u64); 3] = [(&swapped, 1), (&edited, 1), (&wrapped, 0)];
    for (number, (change, refused)) in changes.into_iter().enumerate() {
        let hub = Hub::pulled();
        hub.good(&["batch", "make", "plants", "--into", "cy"]);
        hub.good(&["batch", "send", "plants-1", "--to", "handover", "--as", "xliff-2.1"]);
        let file = std::fs::read_to_string(hub.path().join("handover/out/plants-1.cy.xlf")).unwrap();
        let translated = file.replace("Oak Fern</source>", "Oak Fern</source><target>Rhedynen y dderwen</target>");
        assert_ne!(translated, file);
        hub.write("back.xlf", &change(&translated));
        let code = if refused == 1 { 3 } else { 0 };
        let told =
            hub.run(&["batch", "collect", "plants-1", "--from", "back.xlf", "--format", "json"]).ends(code).stdout;
        let told: serde_json::Value = serde_json::from_str(&told).unwrap();
        assert_eq!((&told["refused"], &told["accepted"]), (&refused.into(), &(1 - refused).into()), "{number}: {told}");
        hub.good(&["batch", "memory", "--give", "known.tmx"]);
        let known = std::fs::read_to_string(hub.path().join("known.tmx")).unwrap();
        assert_eq!(known.contains("Rhedynen y dderwen"), refused == 0, "{number}: nothing is learnt of it");
        if refused == 1 {
            assert!(told["units"][0]["reasons"][0].as_str().unwrap().contains("is not what was sent"), "{told}");
        }
    }
}
