//! A machine that translates before people do: what it makes is a suggestion, paid for once, whatever it answers.

use diaporos_demo::MachineSlip;
use serde_json::{Value as Json, json};

use crate::harness::Hub;

const MACHINE: &str = r#"
[briefs.plants.machine]
url        = "env:MACHINE_URL"
credential = { bearer = "env:MACHINE_TOKEN" }
send       = { texts = "{texts}", source = "{from}", target = "{into}" }
at         = "$.translations[*].text"
retries    = 0
per_million = 20
currency   = "EUR"
"#;

/// The demo's hub, whose brief has a machine; `more` are further settings of it.
fn hub(more: &str) -> Hub {
    let hub = Hub::pulled();
    let config = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    hub.write("diaporos.toml", &format!("{config}{MACHINE}{more}"));
    hub
}

fn file(hub: &Hub, name: &str) -> String {
    std::fs::read_to_string(hub.path().join(name)).unwrap()
}

fn asked(hub: &Hub) -> usize {
    hub.world.machine.asked().len()
}

#[test]
fn what_it_makes_stands_in_files_as_a_suggestion_and_is_asked_for_once() {
    let hub = hub("");
    let tried = hub.good(&["batch", "make", "plants", "--into", "cy", "--dry-run"]);
    assert!(tried.contains("its machine is asked about") && tried.contains("EUR 0.01"), "{tried}");
    assert_eq!(asked(&hub), 0, "trying asks nobody");
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    let sent = hub.good(&["batch", "send", "plants-1", "--to", "handover"]);
    assert!(sent.starts_with("The machine: it was asked about"), "{sent}");
    let xliff = file(&hub, "handover/out/plants-1.cy.xlf");
    assert!(xliff.contains("<segment id=\"s1\" state=\"initial\" subState=\"diaporos:mt-suggestion\">"), "{xliff}");
    assert!(xliff.contains("<mtc:match ref=\"#s1\" type=\"mt\" origin=\"machine\">"), "{xliff}");
    assert!(xliff.contains("derw rhedynen"), "{xliff}");
    // Another batch of the same texts costs nothing.
    let before = asked(&hub);
    assert_eq!(before, 1, "texts go together");
    hub.good(&["batch", "cancel", "plants-1"]);
    let again = hub.good(&["batch", "make", "plants", "--into", "cy"]);
    assert!(!again.contains("its machine is asked about"), "{again}");
    let told = hub.json(&["batch", "send", "plants-2", "--to", "again", "--as", "po"]);
    assert_eq!((&told["machine"]["asked"], asked(&hub)), (&0.into(), before), "{told}");
    assert!(file(&hub, "again/out/plants-2.cy.po").contains("#, fuzzy"));
    // Untouched it is no translation; one that a person decided about is.
    let untouched = file(&hub, "handover/out/plants-1.cy.xlf").replace("plants-1", "plants-2");
    hub.write("untouched.xlf", &untouched);
    let told = hub.json(&["batch", "collect", "plants-2", "--from", "untouched.xlf"]);
    assert_eq!((&told["accepted"], told["pending"].as_u64() > Some(0)), (&0.into(), true), "{told}");
    let decided = untouched.replace("state=\"initial\" subState=\"diaporos:mt-suggestion\"", "state=\"reviewed\"");
    hub.write("decided.xlf", &decided);
    let told = hub.json(&["batch", "collect", "plants-2", "--from", "decided.xlf"]);
    assert!(told["accepted"].as_u64() > Some(0), "{told}");
}

#[test]
fn in_house_a_person_decides_about_what_it_made() {
    let hub = hub("");
    hub.alter("diaporos.toml", "agency   = \"agency\"", "in_house = true");
    hub.good(&["batch", "make", "plants", "--into", "cy", "--where", "entry.id == \"p-005\""]);
    let sent = hub.good(&["batch", "send", "plants-1"]);
    assert!(sent.contains("`plants-1` stays in the house"), "{sent}");
    hub.good(&["batch", "progress", "plants-1"]);
    let told = hub.json(&["batch", "collect"]);
    assert_eq!((&told["accepted"], told["pending"].as_u64() > Some(0)), (&0.into(), true), "{told}");
    assert_eq!(crate::batch::text(&hub, "p-005", "common_name", "cy"), Json::Null);
    hub.good(&["batch", "review", "plants-1", "--into", "cy", "--accept", "all", "--by", "Gwen"]);
    assert_eq!(crate::batch::text(&hub, "p-005", "common_name", "cy"), "derw rhedynen");
    let told = hub.json(&["batch", "collect"]);
    assert_eq!((&told["pending"], &told["accepted"]), (&0.into(), &0.into()), "{told}");
}

/// Sends a batch while the machine slips.
fn sent_while(slip: MachineSlip, more: &str) -> (Hub, Json, i32) {
    let hub = hub(more);
    let counted = "<p>The wardens count <strong>312 plants</strong> each spring.</p>";
    hub.world.plants.edit_text("p-005", "description", "eng", counted);
    hub.good(&["pull", "catalogue"]);
    hub.world.translation_machine.slip(Some(slip));
    hub.good(&["batch", "make", "plants"]);
    let ran = hub.run(&["batch", "send", "plants-1", "--to", "handover", "--format", "json"]);
    let told = serde_json::from_str(&ran.stdout).unwrap_or_else(|_| json!({ "said": ran.stderr }));
    (hub, told, ran.code.unwrap_or(-1))
}

#[test]
fn what_it_answers_wrongly_is_no_suggestion_and_keeps_nobody_waiting() {
    for (slip, why) in [
        (MachineSlip::LosesTags, "its tags are not those of the text"),
        (MachineSlip::SaysNothing, "it says nothing"),
        (MachineSlip::RefusesNumbers, "a text was refused"),
    ] {
        let (hub, told, code) = sent_while(slip, "");
        assert_eq!(code, 0, "{slip:?}: {told}");
        assert!(told["machine"]["without"].as_u64() > Some(0), "{slip:?}: {told}");
        assert!(told.to_string().contains(why), "{slip:?}: {told}");
        let xliff = file(&hub, "handover/out/plants-1.cy.xlf");
        assert!(xliff.contains("<source>"), "the texts go all the same");
        assert_eq!(xliff.contains("mt-suggestion"), slip != MachineSlip::SaysNothing, "{slip:?}: {xliff}");
    }
}

#[test]
fn where_it_fails_nothing_is_sent_and_sending_again_asks_for_the_rest() {
    for (slip, why) in [
        (MachineSlip::LogIn, "the body looks like HTML"),
        (MachineSlip::LosesOne, "it was sent 1 texts and answered with 0"),
    ] {
        let (hub, told, code) = sent_while(slip, "");
        assert_eq!(code, 1, "{slip:?}: {told}");
        let said = told["said"].as_str().unwrap_or_default();
        assert!(said.contains(why) && said.contains("--without-machine"), "{slip:?}: {told}");
        assert!(!hub.path().join("handover/out").exists(), "{slip:?}: nothing was sent");
        hub.world.translation_machine.slip(None);
        let told = hub.json(&["batch", "send", "plants-1", "--to", "handover"]);
        assert!(told["machine"]["asked"].as_u64() > Some(0), "{slip:?}: {told}");
    }
    let (hub, _, _) = sent_while(MachineSlip::LogIn, "");
    // Neither sending without it nor collecting needs its token.
    hub.alter("diaporos.toml", "env:MACHINE_TOKEN", "env:NO_SUCH_TOKEN");
    hub.run(&["batch", "send", "plants-1", "--to", "handover"]).ends(2);
    hub.good(&["batch", "send", "plants-1", "--to", "handover", "--without-machine"]);
    assert!(!file(&hub, "handover/out/plants-1.cy.xlf").contains("mt-suggestion"));
    hub.good(&["batch", "collect"]);
}

#[test]
fn it_is_asked_no_more_often_than_it_may_be_and_a_secret_is_no_translation() {
    let hub_of_few = hub("together = 1\na_day = 2\n");
    hub_of_few.good(&["batch", "make", "plants", "--into", "cy"]);
    let ran = hub_of_few.run(&["batch", "send", "plants-1", "--to", "handover"]).ends(1);
    assert!(ran.stderr.contains("it may be asked 2 times a day"), "{}", ran.stderr);
    assert_eq!(asked(&hub_of_few), 2);
    let (hub, told, _) = sent_while(MachineSlip::Echoes, "");
    let xliff = file(&hub, "handover/out/plants-1.cy.xlf");
    assert!(!xliff.contains(diaporos_demo::MACHINE_TOKEN), "{told}");
}

#[test]
fn a_brief_with_a_machine_is_checked() {
    for (from, to, why) in [
        ("texts = \"{texts}\"", "texts = \"none\"", "it has no place for the text"),
        ("per_million = 20", "per_million = \"much\"", "is not a price"),
        ("currency   = \"EUR\"", "currency = \"EUR\"\ninto = [\"de\"]", "`de` is not among the brief's languages"),
        ("agency   = \"agency\"", "agency = \"agency\"\nformat = \"csv\"", "cannot tell what a machine made"),
        ("agency   = \"agency\"", "agency = \"agency\"\nin_house = true", "stands instead of `agency` and `folder`"),
    ] {
        let hub = hub("");
        hub.alter("diaporos.toml", from, to);
        let ran = hub.run(&["check"]).ends(2);
        assert!(format!("{}{}", ran.stdout, ran.stderr).contains(why), "{why}: {}{}", ran.stdout, ran.stderr);
    }
}
