//! Files for translators, held against schemas and readers that we did not write.

use std::path::{Path, PathBuf};
use std::process::Command;

use crate::batch::text;
use crate::harness::{Hub, skipped};

/// A hub with a batch of texts with markup of many kinds, put into a folder in a format.
fn written(format: &str) -> Hub {
    let hub = Hub::pulled();
    let rich = "<h2>Ferns &amp; \"mosses\"</h2><p>The <b>royal <i>fern</i></b> of <a href=\"/f?a=1&amp;b=2\" title=\"Our 'garden'\">Fernhollow</a>,<br>3 m tall {name}.</p><p><img src=\"a.jpg\" alt=\"A frond > a leaf\"></p><ul><li>One</li><li>Two <code>&lt;three&gt;</code></li></ul>";
    hub.world.plants.edit_text("p-012", "description", "eng", rich);
    hub.good(&["pull", "catalogue"]);
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    hub.good(&["batch", "send", "plants-1", "--to", "handover", "--as", format]);
    hub
}

fn out(hub: &Hub, extension: &str) -> PathBuf {
    hub.path().join(format!("handover/out/plants-1.cy.{extension}"))
}

fn is_there(program: &str, how: &str) -> bool {
    let found = Command::new(program).arg(how).output().is_ok();
    if !found {
        skipped(&format!("`{program}` is not installed; `.ci/run` does it"));
    }
    found
}

fn good(command: &mut Command) -> String {
    let output = command.output().unwrap();
    let told = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    assert!(output.status.success(), "{told}");
    told
}

#[test]
fn xliff_is_valid_by_the_schemas_of_oasis() {
    const SCHEMAS: &str = "/usr/share/php/Symfony/Component/Translation/Resources/schemas";
    if !is_there("xmllint", "--version") {
        return;
    }
    if !Path::new(SCHEMAS).is_dir() {
        skipped("the schemas of XLIFF are not installed; `.ci/run` does it");
        return;
    }
    let place = regex::Regex::new("schemaLocation=\"[^\"]*xml.xsd\"").unwrap();
    for (format, schema) in [("xliff-2.1", "xliff-core-2.0.xsd"), ("xliff-1.2", "xliff-core-1.2-strict.xsd")] {
        let hub = written(format);
        // Elsewhere they look for the schema of `xml:` on the web.
        let text = std::fs::read_to_string(format!("{SCHEMAS}/{schema}")).unwrap();
        hub.write("schema.xsd", &place.replace(&text, "schemaLocation=\"xml.xsd\""));
        std::fs::copy(format!("{SCHEMAS}/xml.xsd"), hub.path().join("xml.xsd")).unwrap();
        hub.good(&["batch", "pseudo", "plants-1", "--as", format]);
        for file in [out(&hub, "xlf"), hub.path().join("plants-1.cy.pseudo.xlf")] {
            let schema = hub.path().join("schema.xsd");
            good(Command::new("xmllint").args(["--noout", "--nonet", "--schema"]).arg(&schema).arg(file));
        }
    }
}

#[test]
fn po_is_what_gettext_takes() {
    if !is_there("msgfmt", "--version") {
        return;
    }
    let hub = written("po");
    hub.good(&["batch", "pseudo", "plants-1", "--as", "po"]);
    for file in [out(&hub, "po"), hub.path().join("plants-1.cy.pseudo.po")] {
        let told = good(Command::new("msgfmt").args(["-c", "--statistics", "-o", "/dev/null"]).arg(&file));
        let which = if file.to_string_lossy().contains("pseudo") { "translated" } else { "untranslated" };
        assert!(told.contains(which), "{told}");
    }
    // What gettext writes again is what was written.
    if !is_there("msgcat", "--version") {
        return;
    }
    good(
        Command::new("msgcat")
            .arg("--no-wrap")
            .arg(hub.path().join("plants-1.cy.pseudo.po"))
            .arg("-o")
            .arg(hub.path().join("again.po")),
    );
    assert_eq!(hub.json(&["batch", "collect", "--from", "again.po"])["values"], 5);
}

/// The translations that a tool is given to carry.
fn filled(hub: &Hub) -> String {
    let text = std::fs::read_to_string(out(hub, "xlf")).unwrap();
    let source = regex::Regex::new(r"(?s)<source>(.*?)</source>").unwrap();
    let filled = source.replace_all(&text, |found: &regex::Captures<'_>| {
        let own =
            found[1].replace("the ", "y ").replace("One", "Un").replace("Two", "Dau").replace("Oak Fern", "Rhedynen");
        format!("<source>{}</source><target>Cy {own}</target>", &found[1])
    });
    filled.into_owned()
}

#[test]
fn what_another_tool_carries_back_is_taken_where_it_is_whole() {
    let qt = ["/usr/lib/qt6/bin/lconvert", "/usr/lib/qt5/bin/lconvert", "lconvert"];
    let Some(lconvert) = qt.into_iter().find(|program| Command::new(program).arg("-help").output().is_ok()) else {
        skipped("`lconvert` is not installed; `.ci/run` does it");
        return;
    };
    let hub = written("xliff-1.2");
    hub.write("filled.xlf", &filled(&hub));
    good(Command::new(lconvert).current_dir(hub.path()).args(["-i", "filled.xlf", "-o", "back.xlf"]));
    let back = std::fs::read_to_string(hub.path().join("back.xlf")).unwrap();
    assert!(back.contains("original=\"\"") && !back.contains("plants-1"), "it leaves nothing of whose it is: {back}");
    let unnamed = hub.run(&["batch", "collect", "--from", "back.xlf"]).ends(3);
    assert!(unnamed.stdout.contains("it does not say of which batch it is"), "{}", unnamed.stdout);
    let collected = hub.run(&["batch", "collect", "plants-1", "--from", "back.xlf", "--format", "json"]).ends(3);
    let collected: serde_json::Value = serde_json::from_str(&collected.stdout).unwrap();
    // It drops text before inline tags; what it has damaged is not taken.
    assert!(collected["accepted"].as_u64().unwrap() >= 6, "{collected}");
    let rejected = collected["rejected"].as_u64().unwrap();
    assert!((1..=3).contains(&rejected), "{collected}");
    assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Cy Rhedynen");
    assert_eq!(text(&hub, "p-012", "description", "cy"), serde_json::Value::Null, "never half a text");
}

#[test]
fn another_reader_of_xliff_reads_every_unit_and_what_it_writes_is_read() {
    let peers = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tests/peers");
    if !peers.join("node_modules/xliff").is_dir() {
        skipped("the readers of tests/peers are not installed: `npm ci --prefix tests/peers`");
        return;
    }
    for format in ["xliff-2.1", "xliff-1.2"] {
        let hub = written(format);
        hub.write("filled.xlf", &filled(&hub));
        let (from, to) = (hub.path().join("filled.xlf"), hub.path().join("back.xlf"));
        let units = good(Command::new("node").arg("xliff.mjs").args([&from, &to]).current_dir(&peers));
        let known = hub.json(&["batch", "show", "plants-1"]).as_array().unwrap().len();
        assert_eq!(units.trim(), known.to_string(), "{format}");
        let ran = hub.run(&["batch", "collect", "plants-1", "--from", "back.xlf", "--format", "json"]);
        let collected: serde_json::Value = serde_json::from_str(&ran.stdout).unwrap();
        assert_eq!(
            (&collected["refused"], &collected["files_refused"]),
            (&0.into(), &0.into()),
            "{format}: {collected}"
        );
        // Of texts that end in a tag it lays out one over lines, and the space that it adds is found.
        assert!(collected["accepted"].as_u64().unwrap() >= 7, "{format}: {collected}");
        assert_eq!(text(&hub, "p-005", "common_name", "cy"), "Cy Rhedynen", "{format}");
    }
}
