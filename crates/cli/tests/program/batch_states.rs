//! How far a translation is said to be, and what a person decides about it.

use serde_json::Value as Json;

use crate::batch::{coverage, text};
use crate::harness::Hub;

/// A hub whose brief has these settings besides, with a batch that is out in a folder.
fn out(settings: &str, format: &str) -> Hub {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "due      = \"10d\"\n", &format!("due      = \"10d\"\n{settings}\n"));
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    hub.good(&["batch", "send", "plants-1", "--to", "handover", "--as", format]);
    hub
}

/// The file that is out, each text with a translation of its own in a state.
fn returned(hub: &Hub, state: &str) -> String {
    let text = std::fs::read_to_string(hub.path().join("handover/out/plants-1.cy.xlf")).unwrap();
    let source = regex::Regex::new(r"(?s)<source>(.*?)</source>").unwrap();
    let text = source.replace_all(&text, |found: &regex::Captures<'_>| {
        let own = found[1].replace("the ", "y ").replace("wardens", "wardeniaid");
        let own = if own.starts_with("The Great Maidenhair") { "Y Forwydden Fawr".to_owned() } else { own };
        format!("<source>{}</source><target>Cy {own}</target>", &found[1])
    });
    text.replace("<segment id=\"s1\"", &format!("<segment id=\"s1\"{state}"))
}

fn collected(hub: &Hub, state: &str, code: i32) -> Json {
    let name = format!("{}.xlf", state.chars().filter(char::is_ascii_alphanumeric).collect::<String>());
    hub.write(&name, &returned(hub, state));
    let ran = hub.run(&["batch", "collect", "plants-1", "--from", &name, "--format", "json"]).ends(code);
    serde_json::from_str(&ran.stdout).unwrap()
}

#[test]
fn what_is_below_the_state_that_is_asked_for_waits() {
    let hub = out("accept_from = \"reviewed\"", "xliff-2.1");
    let all = hub.json(&["batch", "show", "plants-1"]).as_array().unwrap().len();
    for (state, why) in [
        ("", "its file does not say that it is reviewed"),
        (" state=\"initial\"", "its file marks it `initial`; the brief accepts from `reviewed` on"),
        (" state=\"translated\"", "its file marks it `translated`; the brief accepts from `reviewed` on"),
        (" state=\"translated\" subState=\"x:mt\"", "its file marks it `x:mt`, which a person has to take or change"),
    ] {
        let told = collected(&hub, state, 3);
        assert_eq!((&told["pending"], &told["accepted"]), (&all.into(), &0.into()), "{state}: {told}");
        assert_eq!(told["units"][0]["reasons"][0], why, "{told}");
        assert_eq!(text(&hub, "p-005", "common_name", "cy"), Json::Null);
    }
    assert_eq!(coverage(&hub, "cy")["waiting"], 3);
    // What waits is paid for once.
    assert_eq!(hub.json(&["batch", "make", "plants", "--into", "cy"])["units"], 0);
    let told = collected(&hub, " state=\"final\"", 0);
    assert_eq!((&told["accepted"], &told["pending"]), (&all.into(), &0.into()), "{told}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Cy Oak Fern");
    // An earlier state overrules nothing.
    let told = collected(&hub, " state=\"reviewed\" subState=\"x:rejected\"", 0);
    assert_eq!((&told["accepted"], &told["unchanged"]), (&0.into(), &all.into()), "{told}");
}

#[test]
fn what_a_memory_suggested_is_a_persons_to_take() {
    let hub = out("accept_from = \"any\"", "po");
    let text_of = |hub: &Hub| std::fs::read_to_string(hub.path().join("handover/out/plants-1.cy.po")).unwrap();
    let filled = text_of(&hub).replace("msgid \"Oak Fern\"\nmsgstr \"\"", "msgid \"Oak Fern\"\nmsgstr \"Rhedynen\"");
    hub.write("fuzzy.po", &filled.replace("msgctxt", "#, fuzzy\nmsgctxt"));
    let ran = hub.run(&["batch", "collect", "plants-1", "--from", "fuzzy.po", "--format", "json"]).ends(3);
    let told: Json = serde_json::from_str(&ran.stdout).unwrap();
    assert_eq!((&told["pending"], &told["accepted"]), (&1.into(), &0.into()), "{told}");
    let waits = hub.json(&["batch", "review", "plants-1"]);
    assert_eq!((&waits[0]["outcome"], &waits[0]["target"]), (&"pending".into(), &"Rhedynen".into()));
    let told = hub.json(&["batch", "review", "plants-1", "--into", "cy", "--accept", "all", "--by", "Gwen"]);
    assert_eq!((&told["accepted"], &told["values"]), (&1.into(), &1.into()), "{told}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Rhedynen");
}

#[test]
fn a_reviewer_decides_by_unit() {
    let hub = out("review = true", "xliff-2.1");
    let told = collected(&hub, " state=\"final\"", 3);
    assert_eq!((&told["accepted"], &told["units"][0]["reasons"][0]), (&0.into(), &"nobody has reviewed it".into()));
    let waits = hub.json(&["batch", "review", "plants-1", "--into", "cy"]);
    let unit = |start: &str| {
        let row = waits.as_array().unwrap().iter().find(|row| row["source"].as_str().unwrap().starts_with(start));
        row.unwrap_or_else(|| panic!("{start}: {waits}"))["unit"].as_str().unwrap().to_owned()
    };
    let (name, label) = (unit("Oak Fern"), unit("Its label"));
    hub.write(
        "decided.csv",
        &format!("\u{feff}unit,decision,text,reason\r\n{name},change,Rhedynen y dderwen,\r\n{label},reject,,\"a label, not a tag\"\r\n"),
    );
    let told =
        hub.json(&["batch", "review", "plants-1", "--into", "cy", "--take", "decided.csv", "--by", "Gwen Tudor"]);
    assert_eq!((&told["accepted"], &told["rejected"], &told["values"]), (&1.into(), &1.into(), &1.into()), "{told}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Rhedynen y dderwen");
    let waits = hub.json(&["batch", "review", "plants-1", "--into", "cy"]);
    let rejected = waits.as_array().unwrap().iter().find(|row| row["outcome"] == "rejected").unwrap();
    assert_eq!((&rejected["reasons"][0], &rejected["reviewer"]), (&"a label, not a tag".into(), &"Gwen Tudor".into()));
    // What came since somebody looked is not what they decided about.
    let tag = unit("The eastern relative");
    let stale = format!("unit,decision,text,reason,seen\r\n{tag},accept,,,Cy something else\r\n");
    hub.write("stale.csv", &stale);
    let ran = hub.run(&["batch", "review", "plants-1", "--into", "cy", "--take", "stale.csv", "--by", "Gwen"]).ends(3);
    assert!(ran.stdout.contains("has come since this one was looked at"), "{}", ran.stdout);
    // What is said twice is done once, and what cannot be is named.
    let told =
        hub.json(&["batch", "review", "plants-1", "--into", "cy", "--take", "decided.csv", "--by", "Gwen Tudor"]);
    assert_eq!((&told["unchanged"], &told["accepted"], &told["rejected"]), (&2.into(), &0.into(), &0.into()), "{told}");
    let lost = ["batch", "review", "plants-1", "--into", "cy", "--accept", "u0123456789abcdef", "--by", "Gwen"];
    assert!(hub.run(&lost).ends(3).stdout.contains("is not in this batch, into cy"));
    let tag = unit("The eastern relative");
    let broken =
        ["batch", "review", "plants-1", "--into", "cy", "--change", &tag, "--text", "<7/> dwyrain", "--by", "Gwen"];
    assert!(hub.run(&broken).ends(3).stdout.contains("cannot be taken: tag 7 is not in the source"));
    // The rest by one word; a file that comes again changes nothing of it.
    hub.good(&["batch", "review", "plants-1", "--into", "cy", "--accept", "all", "--by", "Gwen"]);
    assert_eq!(coverage(&hub, "cy")["rejected"], 1);
    hub.run(&["batch", "collect", "plants-1", "--from", "statefinal.xlf", "--again"]).ends(3);
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Rhedynen y dderwen");
}

#[test]
fn what_came_back_is_seen_on_its_page_before_it_is_accepted() {
    let hub = out("review = true", "xliff-2.1");
    collected(&hub, " state=\"translated\"", 3);
    let args = ["preview", "profiles", "catalogue/plant-profile/p-005"];
    assert!(!hub.good(&args).contains("Cy Oak Fern"));
    assert!(hub.good(&[&args[..], &["--returned", "plants-1"]].concat()).contains("Cy Oak Fern"));
    let other = ["preview", "profiles", "catalogue/plant-profile/p-001", "--returned", "plants-1"];
    assert!(hub.run(&other).ends(0).stderr.contains("has come back in `plants-1`"));
    assert!(hub.run(&["preview", "profiles", "--returned", "plants-1"]).ends(2).stderr.contains("ADDRESS"));
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), Json::Null, "nothing is accepted by being looked at");
}

#[test]
fn a_reviewer_goes_through_what_waits() {
    let hub = out("review = true", "xliff-2.1");
    collected(&hub, " state=\"translated\"", 3);
    let ran =
        hub.run_with(&["batch", "review", "plants-1", "--into", "cy", "--step", "--by", "Gwen"], "a\nr\nnot ours\nq\n");
    let ran = ran.ends(0);
    assert!(ran.stdout.contains("1 accepted, 1 rejected"), "{}", ran.stdout);
    let ran = hub.run_with(&["batch", "review", "plants-1", "--into", "cy", "--step", "--by", "Gwen"], "");
    assert!(ran.ends(0).stdout.contains("Nothing was decided"));
    hub.run_with(&["batch", "review", "plants-1", "--into", "cy", "--step", "--by", "Gwen"], "what\n").ends(2);
}

#[test]
fn the_page_of_a_review_shows_what_differs() {
    let hub = out("review = true", "xliff-2.1");
    let file = returned(&hub, "").replace("Cy Oak Fern", "Cy &lt;script>alert(1)&lt;/script>");
    hub.write("back.xlf", &file);
    hub.run(&["batch", "collect", "plants-1", "--from", "back.xlf"]).ends(3);
    let told = hub.good(&["batch", "review", "plants-1", "--page", "review"]);
    assert!(told.contains("plants-1.cy.review.html") && told.contains("units wait"), "{told}");
    let page = std::fs::read_to_string(hub.path().join("review/plants-1.cy.review.html")).unwrap();
    assert!(page.contains("as it would be read") && page.contains("nobody has reviewed it"), "{page}");
    assert!(!page.contains("<script>alert"), "what came back is never markup of the page");
    assert!(page.contains("--into cy --take FILE"), "{page}");
}
