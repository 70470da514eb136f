//! Files into a hundred languages, read and written again by tools that we did not write.

use std::path::{Path, PathBuf};
use std::process::Command;

use crate::harness::{Hub, skipped};

/// Languages with every number of plural forms, scripts of every direction, and varieties.
const LANGUAGES: &str = "af am ar as az be bg bn br bs ca ceb cs cy da de dsb el eo es es-MX et eu fa fi fil fo fr fr-CA fy ga gd gl gu ha he hi hr hsb hu hy id ig is it ja ka kk kl km kn ko kw ky lb lg ln lo lt lv mg mk ml mn mr ms mt my nb ne nl nn om or pa pl ps pt-BR pt-PT ro ru se si sk sl so sq sr sr-Latn sv sw ta te tg th ti tk tr uk ur uz vi wo xh yo zh-Hans zh-Hant zu";

/// A hub with a batch into all of them, with a message, rich text and Markdown's like.
fn hub() -> Hub {
    let hub = Hub::pulled();
    let into: Vec<String> = LANGUAGES.split(' ').map(|language| format!("\"{language}\"")).collect();
    hub.alter("diaporos.toml", "into     = [\"fr\", \"cy\"]", &format!("into     = [{}]", into.join(", ")));
    hub.alter(
        "diaporos.toml",
        "agency   = \"agency\"\ndue",
        "folder   = \"carried\"\nmessages = [\"common_name\"]\ndue",
    );
    hub.alter("diaporos.toml", "limits   = { common_name = 80 }\n", "");
    let message = "{count, plural, =0 {No ferns here} one {# fern here} other {# ferns here}} in {place}";
    hub.world.plants.edit_text("p-005", "common_name", "eng", message);
    let rich = "<p>The <b>royal</b> fern,<br>3 m tall &amp; \"green\" \\ {name}.</p><p><img src=\"a.jpg\" alt=\"A frond\"></p>";
    hub.world.plants.edit_text("p-005", "description", "eng", rich);
    hub.good(&["pull", "catalogue"]);
    hub.good(&["batch", "make", "plants", "--where", "entry.id == \"p-005\""]);
    hub
}

fn files(folder: &Path, extension: &str) -> Vec<PathBuf> {
    let files = std::fs::read_dir(folder).unwrap().map(|file| file.unwrap().path());
    let mut files: Vec<PathBuf> =
        files.filter(|file| file.extension().is_some_and(|known| known == extension)).collect();
    files.sort();
    files
}

fn good(command: &mut Command) -> String {
    let output = command.output().unwrap();
    assert!(
        output.status.success(),
        "{}{}",
        String::from_utf8_lossy(&output.stdout),
        String::from_utf8_lossy(&output.stderr)
    );
    String::from_utf8_lossy(&output.stdout).into_owned()
}

#[test]
fn po_of_a_hundred_languages_is_what_three_readers_take() {
    let peers = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tests/peers");
    let python = peers.join("venv/bin/python");
    if !python.is_file() || Command::new("msgfmt").arg("--version").output().is_err() {
        skipped("Python's readers of PO or `msgfmt` are not installed; `.ci/run` does it");
        return;
    }
    let hub = hub();
    hub.good(&["batch", "pseudo", "plants-1", "--as", "po", "--in", "tried"]);
    let written = files(&hub.path().join("tried"), "po");
    assert_eq!(written.len(), LANGUAGES.split(' ').count());
    for file in &written {
        good(Command::new("msgfmt").args(["-c", "-o", "/dev/null"]).arg(file));
    }
    let (babel, polib) = (hub.path().join("babel"), hub.path().join("polib"));
    good(Command::new(&python).arg(peers.join("po.py")).arg(&babel).arg(&polib).args(&written));
    for folder in [babel, polib] {
        let files = files(&folder, "po");
        let names: Vec<&str> = files.iter().map(|file| file.to_str().unwrap()).collect();
        // Neither keeps all of our heading: whose they are is said.
        let collected = hub.json(&[&["batch", "collect", "plants-1", "--again", "--from"], names.as_slice()].concat());
        assert_eq!((&collected["refused"], &collected["files_refused"]), (&0.into(), &0.into()), "{collected}");
        let all: u64 = hub.json(&["batch", "show", "plants-1"]).as_array().unwrap().len() as u64;
        assert_eq!(collected["made_up"], all, "{}", folder.display());
    }
}

#[test]
fn xliff_of_a_hundred_languages_is_valid_and_comes_back() {
    const SCHEMAS: &str = "/usr/share/php/Symfony/Component/Translation/Resources/schemas";
    if !Path::new(SCHEMAS).is_dir() || Command::new("xmllint").arg("--version").output().is_err() {
        skipped("`xmllint` or the schemas of XLIFF are not installed; `.ci/run` does it");
        return;
    }
    let place = regex::Regex::new("schemaLocation=\"[^\"]*xml.xsd\"").unwrap();
    let hub = hub();
    std::fs::copy(format!("{SCHEMAS}/xml.xsd"), hub.path().join("xml.xsd")).unwrap();
    for (format, schema) in [("xliff-2.1", "xliff-core-2.0.xsd"), ("xliff-1.2", "xliff-core-1.2-strict.xsd")] {
        let text = std::fs::read_to_string(format!("{SCHEMAS}/{schema}")).unwrap();
        hub.write("schema.xsd", &place.replace(&text, "schemaLocation=\"xml.xsd\""));
        hub.good(&["batch", "pseudo", "plants-1", "--as", format, "--in", format]);
        let files = files(&hub.path().join(format), "xlf");
        let schema = hub.path().join("schema.xsd");
        good(Command::new("xmllint").args(["--noout", "--nonet", "--schema"]).arg(&schema).args(&files));
        let names: Vec<&str> = files.iter().map(|file| file.to_str().unwrap()).collect();
        let collected = hub.json(&[&["batch", "collect", "--again", "--from"], names.as_slice()].concat());
        let all: u64 = hub.json(&["batch", "show", "plants-1"]).as_array().unwrap().len() as u64;
        assert_eq!((&collected["made_up"], &collected["refused"]), (&all.into(), &0.into()), "{format}");
    }
}
