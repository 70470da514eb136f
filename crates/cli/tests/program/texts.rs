//! Files of texts by key, as programs have them: entries in languages, translated like any other.

use crate::harness::HubFolder;

const CONFIG: &str = r#"
[languages]
known = ["en", "fr", "pl"]

[systems.app]
kind = "files"
folder = "app"
profile = "app.toml"
languages = { en = "en", fr = "fr", pl = "pl" }

[briefs.app]
type     = "app/text"
fields   = ["text", "plural"]
messages = ["plural"]
from     = "en"
into     = ["fr", "pl"]
when     = 'translatable'
folder   = "out"
"#;

const PROFILE: &str = r#"
[types.text.read]
files = "FILES"
texts = "FORM"
language_in_name = "en"
[types.text.fields]
text = { kind = "text", localised = true }
plural = { kind = "text", localised = true }
note = "text"
translatable = "boolean"
"#;

fn hub(files: &str, form: &str) -> HubFolder {
    let mut profile = PROFILE.replace("FILES", files).replace("FORM", form);
    if form == "xcstrings" {
        profile = profile.replace("language_in_name = \"en\"\n", "");
    }
    HubFolder::new(&[("diaporos.toml", CONFIG), ("app.toml", &profile)])
}

fn entry(hub: &HubFolder, id: &str) -> serde_json::Value {
    hub.json(&["show", &format!("app/text/{id}")])["fields"].clone()
}

#[test]
fn texts_of_a_program_in_languages_are_translated_with_their_plural_forms() {
    let hub = hub("res/{values,values-*}/strings.xml", "android");
    let english = r#"<resources><!-- On the door --><string name="open">It\'s open</string><plurals name="ferns"><item quantity="one">%d fern</item><item quantity="other">%d ferns</item></plurals><string name="brand" translatable="false">Ostrel</string></resources>"#;
    hub.write("app/res/values/strings.xml", english);
    hub.write("app/res/values-fr/strings.xml", r#"<resources><string name="open">C\'est ouvert</string></resources>"#);
    hub.run(&["pull"]).ends(0);
    let open = entry(&hub, "res/values/strings/open");
    assert_eq!(open["text"], serde_json::json!({ "en": "It's open", "fr": "C'est ouvert" }));
    assert_eq!(open["note"], "On the door");
    assert!(hub.run(&["pull"]).ends(0).stdout.contains("nothing changed"), "the second pull changes nothing");
    let made = hub.json(&["batch", "make", "app"]);
    assert_eq!(made["units"], 3 + 4 + 1, "three forms in French and four in Polish, and one text: {made}");
    hub.run(&["batch", "send", "app-1"]).ends(0);
    let polish = std::fs::read_to_string(hub.path().join("out/out/app-1.pl.xlf")).unwrap();
    assert!(!polish.contains("Ostrel"), "what is not to be translated is not sent");
    // One is gone, and an unknown language is told and taken for none of ours.
    hub.write(
        "app/res/values/strings.xml",
        &english.replace("<!-- On the door --><string name=\"open\">It\\'s open</string>", ""),
    );
    hub.write("app/res/values-de/strings.xml", r#"<resources><string name="open">Offen</string></resources>"#);
    let ran = hub.run(&["pull"]);
    assert_eq!(ran.code, Some(3), "{}", ran.stdout);
    assert!(ran.stderr.contains("`de`"), "{}", ran.stderr);
}

#[test]
fn every_form_is_read_by_its_way_of_naming_languages() {
    for (form, pattern, files, id) in [
        (
            "properties",
            "*.properties",
            [("app.properties", "open = It is open\n"), ("app_fr.properties", "open=C'est ouvert\n")],
            "app/open",
        ),
        (
            "strings",
            "*.lproj/*.strings",
            [
                ("en.lproj/M.strings", "\"open\" = \"It is open\";"),
                ("fr.lproj/M.strings", "\"open\" = \"C'est ouvert\";"),
            ],
            "M/open",
        ),
        (
            "json",
            "*.json",
            [("en.json", r#"{"a": {"open": "It is open"}}"#), ("fr.json", r#"{"a": {"open": "C'est ouvert"}}"#)],
            "a.open",
        ),
        (
            "resx",
            "*.resx",
            [
                ("App.resx", "<root><data name=\"open\"><value>It is open</value></data></root>"),
                ("App.fr.resx", "<root><data name=\"open\"><value>C'est ouvert</value></data></root>"),
            ],
            "App/open",
        ),
        (
            "xcstrings",
            "*.xcstrings",
            [
                (
                    "M.xcstrings",
                    r#"{"sourceLanguage": "en", "strings": {"open": {"localizations": {"en": {"stringUnit": {"value": "It is open"}}, "fr": {"stringUnit": {"value": "C'est ouvert"}}}}}}"#,
                ),
                ("N.xcstrings", r#"{"sourceLanguage": "en", "strings": {}}"#),
            ],
            "M/open",
        ),
    ] {
        let hub = hub(pattern, form);
        files.iter().for_each(|(name, text)| hub.write(&format!("app/{name}"), text));
        let ran = hub.run(&["pull"]);
        assert_eq!(ran.code, Some(0), "{form}: {}{}", ran.stdout, ran.stderr);
        let expected = serde_json::json!({ "en": "It is open", "fr": "C'est ouvert" });
        assert_eq!(entry(&hub, id)["text"], expected, "{form}");
    }
}

#[test]
fn a_text_that_cannot_be_read_stops_no_other() {
    let hub = hub("*.json", "json");
    hub.write("app/en.json", r#"{"good": "Fern", "bad": 3}"#);
    hub.write("app/broken.en.json", "{");
    let ran = hub.run(&["pull"]);
    assert_eq!(ran.code, Some(3), "{}", ran.stdout);
    assert!(ran.stderr.contains("`bad` is no text") && ran.stderr.contains("is not JSON"), "{}", ran.stderr);
    assert_eq!(entry(&hub, "good")["text"]["en"], "Fern");
}

#[test]
fn a_form_says_where_its_languages_are() {
    for (form, from, to, why) in [
        ("android", "language_in_name = \"en\"", "", "`language_in_name` is missing"),
        ("xcstrings", "texts = ", "language_in_name = \"en\"\ntexts = ", "such a file has all languages"),
        ("android", "\"android\"", "\"anroid\"", "did you mean `android`?"),
    ] {
        let hub = hub("*.x", form);
        hub.write("app/.keep", "");
        let profile = std::fs::read_to_string(hub.path().join("app.toml")).unwrap();
        hub.write("app.toml", &profile.replace(from, to));
        let ran = hub.run(&["check"]);
        assert!(format!("{}{}", ran.stdout, ran.stderr).contains(why), "{why}: {}{}", ran.stdout, ran.stderr);
    }
}

#[test]
fn one_that_cannot_be_read_stays_and_what_is_taken_out_beside_it_is_gone() {
    let hub = hub("res/values/strings.xml", "android");
    let file = |inner: &str| format!("<resources><string name=\"a\">A</string>{inner}</resources>");
    let plural = "<plurals name=\"p\"><item quantity=\"one\">x</item><item quantity=\"other\">y</item></plurals>";
    hub.write("app/res/values/strings.xml", &file(&format!("<string name=\"b\">B</string>{plural}")));
    hub.run(&["pull"]).ends(0);
    let broken = "<plurals name=\"p\"><item quantity=\"one\">x</item></plurals>";
    hub.write("app/res/values/strings.xml", &file(broken));
    let ran = hub.run(&["pull"]);
    assert!(ran.code == Some(3) && ran.stderr.contains("`p` lacks the form `other`"), "{}{}", ran.stdout, ran.stderr);
    let state = |key: &str| hub.json(&["show", &format!("app/text/res/values/strings/{key}")])["state"].clone();
    assert_eq!((state("a"), state("b"), state("p")), ("live".into(), "gone".into(), "live".into()));
}
