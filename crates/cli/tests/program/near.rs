//! Near matches, varieties of languages, and what a batch costs by them.

use crate::harness::Hub;

fn tmx(from: &str, into: &str, pairs: &[(&str, &str)]) -> String {
    let units: String = pairs
        .iter()
        .map(|(source, target)| format!("<tu><tuv xml:lang=\"{from}\"><seg>{source}</seg></tuv><tuv xml:lang=\"{into}\"><seg>{target}</seg></tuv></tu>"))
        .collect();
    format!(
        "<?xml version=\"1.0\"?><tmx version=\"1.4\"><header creationtool=\"x\" creationtoolversion=\"1\" segtype=\"block\" o-tmf=\"x\" adminlang=\"en\" srclang=\"{from}\" datatype=\"plaintext\"/><body>{units}</body></tmx>"
    )
}

#[test]
fn what_is_nearly_the_same_is_offered_and_costs_less() {
    let hub = Hub::pulled();
    let rates = "rates    = { currency = \"EUR\", new = 0.20, near_85 = 0.05, exact = 0.01, minimum = 1 }";
    hub.alter("diaporos.toml", "rates    = { currency = \"EUR\", new = 0.14, changed = 0.09, repeated = 0 }", rates);
    hub.world.plants.edit_text("p-005", "description", "eng", "<p>The wardens count all of the ferns in May.</p>");
    hub.good(&["pull", "catalogue"]);
    let known = [("The wardens count all of the ferns in June.", "Mae’r wardeniaid yn cyfri’r rhedyn ym mis Mehefin.")];
    hub.write("known.tmx", &tmx("en", "cy", &known));
    hub.good(&["batch", "memory", "--take", "known.tmx"]);
    let made = hub.json(&["batch", "make", "plants", "--into", "cy"]);
    let row = &made["languages"][0];
    assert_eq!((&row["words_near_85"], &row["words_near_95"]), (&9.into(), &0.into()), "{made}");
    let without = hub.json(&["batch", "make", "plants", "--into", "fr", "--dry-run"]);
    assert!(!without.to_string().contains("\"words_near_85\":9"), "nothing near is known in French: {without}");
    for (format, offered) in [
        ("xliff-2.1", vec!["similarity=\"89.0\"", "origin=\"taken in\"", "ym mis Mehefin"]),
        ("xliff-1.2", vec!["match-quality=\"89%\"", "alttranstype=\"proposal\"", "ym mis Mehefin"]),
        ("po", vec!["#| msgid \"The wardens count all of the ferns in June.\"", "#, fuzzy", "near (taken in, 89 %)"]),
    ] {
        hub.good(&["batch", "send", "plants-1", "--to", format, "--as", format]);
        let file = std::fs::read_dir(hub.path().join(format).join("out")).unwrap();
        let file = file
            .map(|file| file.unwrap().path())
            .find(|path| path.extension().is_some_and(|e| e == "xlf" || e == "po"));
        let text = std::fs::read_to_string(file.unwrap()).unwrap();
        offered.iter().for_each(|part| assert!(text.contains(part), "{format}: {part}\n{text}"));
    }
    // What was offered and nobody touched is not translated.
    let untouched = std::fs::read(hub.path().join("po/out/plants-1.cy.po")).unwrap();
    std::fs::write(hub.path().join("untouched.po"), untouched).unwrap();
    let collected = hub.json(&["batch", "collect", "plants-1", "--from", "untouched.po"]);
    assert_eq!((&collected["pending"], &collected["accepted"]), (&0.into(), &0.into()), "{collected}");
}

#[test]
fn translators_see_where_a_text_is_read() {
    let hub = Hub::pulled();
    let limits = "limits   = { common_name = 80 }";
    let references = "references = { Page = '\"https://gardens.example/\" + entry.id', Shelf = 'curator.full_name', Nothing = 'if entry.id == \"x\" then \"y\" else null' }";
    hub.alter("diaporos.toml", limits, &format!("{limits}\n{references}"));
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    for (format, expected) in [
        ("xliff-2.1", "<note category=\"reference\" priority=\"3\">Page: https://gardens.example/p-005</note>"),
        ("xliff-1.2", "<note from=\"reference\" priority=\"3\">Page: https://gardens.example/p-005</note>"),
        ("po", "#. reference, Page: https://gardens.example/p-005"),
    ] {
        hub.good(&["batch", "send", "plants-1", "--to", format, "--as", format]);
        let ending = if format == "po" { "po" } else { "xlf" };
        let text = std::fs::read_to_string(hub.path().join(format!("{format}/out/plants-1.cy.{ending}"))).unwrap();
        assert!(text.contains(expected) && !text.contains("Nothing"), "{text}");
    }
    let page = std::fs::read_to_string(hub.path().join("xliff-2.1/out/plants-1.html")).unwrap();
    assert!(page.contains("<a href=\"https:&#x2f;&#x2f;gardens.example&#x2f;p-005\""), "{page}");
}

#[test]
fn a_memory_that_names_no_region_does_for_every_region() {
    let hub = Hub::pulled();
    hub.write("known.tmx", &tmx("en-GB", "cy", &[("Oak Fern", "Rhedynen y dderwen")]));
    hub.good(&["batch", "memory", "--take", "known.tmx"]);
    let made = hub.good(&["batch", "make", "plants", "--into", "cy"]);
    assert!(made.contains("some of what is carried over was translated from en-GB into cy"), "{made}");
    assert_eq!(crate::batch::text(&hub, "p-005", "common_name", "cy"), "Rhedynen y dderwen");
}

#[test]
fn another_variety_is_another_language() {
    let hub = Hub::pulled();
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    hub.good(&["batch", "send", "plants-1", "--to", "handover"]);
    let file = std::fs::read_to_string(hub.path().join("handover/out/plants-1.cy.xlf")).unwrap();
    for (said, code) in [("cy-GB", 0), ("cy_GB", 0), ("cym", 0), ("kw", 3)] {
        hub.write("back.xlf", &file.replace("trgLang=\"cy\"", &format!("trgLang=\"{said}\"")));
        hub.run(&["batch", "collect", "plants-1", "--from", "back.xlf", "--again"]).ends(code);
    }
}
