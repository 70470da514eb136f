//! Messages with variables and plural forms, out and back.

use serde_json::Value as Json;

use crate::batch::text;
use crate::harness::Hub;

const MESSAGE: &str = "{count, plural, =0 {No ferns here} one {# fern here} other {# ferns here}} in {place}";

fn hub(message: &str) -> Hub {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "due      = \"10d\"\n", "due      = \"10d\"\nmessages = [\"common_name\"]\n");
    hub.alter("diaporos.toml", "limits   = { common_name = 80 }\n", "");
    hub.world.plants.edit_text("p-005", "common_name", "eng", message);
    hub.good(&["pull", "catalogue"]);
    hub
}

/// The units of the message in a language: their cases and texts.
fn units(hub: &Hub, language: &str) -> Vec<String> {
    let rows = hub.json(&["batch", "show", "plants-1", "--into", language]);
    let own = rows.as_array().unwrap().iter().filter(|row| row["name"].as_str().unwrap().contains("p-005#common_name"));
    own.map(|row| row["source"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn every_language_gets_its_own_plural_forms() {
    let hub = hub(MESSAGE);
    hub.good(&["batch", "make", "plants"]);
    assert_eq!(units(&hub, "fr").len(), 5, "the sentence, none, one, millions, and the rest");
    assert_eq!(units(&hub, "cy").len(), 8, "the sentence, none, and the six forms of Welsh");
    hub.good(&["batch", "send", "plants-1", "--to", "handover", "--as", "po"]);
    let file = std::fs::read_to_string(hub.path().join("handover/out/plants-1.cy.po")).unwrap();
    assert!(file.contains("\"Plural-Forms: nplurals=6; plural="), "{file}");
    assert!(file.contains("msgid_plural \"<1/> ferns here\"") && file.contains("msgstr[5]"), "{file}");
    let mut filled =
        file.replace("msgid \"<1/> in <2/>\"\nmsgstr \"\"", "msgid \"<1/> in <2/>\"\nmsgstr \"<1/> yn <2/>\"");
    filled = filled.replace("msgid \"No ferns here\"\nmsgstr \"\"", "msgid \"No ferns here\"\nmsgstr \"Dim rhedyn\"");
    let said = ["<1/> rhedyn", "un rhedynen", "<1/> redynen", "<1/> rhedynen", "<1/> rhedynen", "<1/> o redyn"];
    for (at, said) in said.iter().enumerate() {
        filled = filled.replace(&format!("msgstr[{at}] \"\"\n\"\"\n"), &format!("msgstr[{at}] \"{said}\"\n"));
        filled = filled.replace(&format!("msgstr[{at}] \"\""), &format!("msgstr[{at}] \"{said}\""));
    }
    hub.write("back.po", &filled);
    let collected = hub.json(&["batch", "collect", "plants-1", "--from", "back.po"]);
    assert_eq!((&collected["accepted"], &collected["values"]), (&8.into(), &1.into()), "{collected}");
    assert_eq!(
        text(&hub, "p-005", "common_name", "cy"),
        "{count, plural, =0 {Dim rhedyn} one {un rhedynen} zero {# rhedyn} two {# redynen} few {# rhedynen} many {# rhedynen} other {# o redyn}} yn {place}"
    );
}

#[test]
fn what_would_break_a_message_is_rejected() {
    let hub = hub("Hello {name}, {n, plural, one {# fern} other {# ferns}}");
    hub.good(&["batch", "make", "plants", "--into", "fr"]);
    hub.good(&["batch", "send", "plants-1", "--to", "handover"]);
    let file = std::fs::read_to_string(hub.path().join("handover/out/plants-1.fr.xlf")).unwrap();
    let source = regex::Regex::new(r"(?s)<source>(.*?)</source>").unwrap();
    let before = text(&hub, "p-005", "common_name", "fr");
    for (said, why) in [
        ("Bonjour {nom}, <1>", "`{` stands in the text: variables are tags, and are not written out"),
        ("Bonjour", "`{name}` is missing"),
    ] {
        let filled = source.replace_all(&file, |found: &regex::Captures<'_>| {
            let target = match found[1].starts_with("Hello") {
                true if said.contains("{nom}") => found[1].replace("Hello", "Bonjour {nom}"),
                true => said.to_owned(),
                false => found[1].replace("fern", "fougère"),
            };
            format!("<source>{}</source><target>{target}</target>", &found[1])
        });
        hub.write("back.xlf", &filled);
        let ran = hub.run(&["batch", "collect", "plants-1", "--from", "back.xlf", "--format", "json"]).ends(3);
        let told: Json = serde_json::from_str(&ran.stdout).unwrap();
        assert!(told["units"].to_string().contains(why), "{told}");
        assert_eq!(text(&hub, "p-005", "common_name", "fr"), before);
    }
}

#[test]
fn a_broken_message_is_told_before_it_is_sent() {
    let hub = hub("{count, plural, one {# fern}} in {place}");
    let ran = hub.run(&["batch", "make", "plants", "--dry-run"]).ends(3);
    let told = "catalogue/plant-profile/p-005#common_name is not sent: `{count, …}` has no `other`, at character 29";
    assert!(ran.stdout.contains(told), "{}", ran.stdout);
    let made = hub.run(&["batch", "make", "plants", "--format", "json"]).ends(3);
    let made: Json = serde_json::from_str(&made.stdout).unwrap();
    assert_eq!(made["broken"][0]["text"], "catalogue/plant-profile/p-005#common_name");
    assert!(units(&hub, "cy").is_empty(), "nothing of it is sent, the rest is");
    assert!(made["units"].as_u64().unwrap() > 0);
}
