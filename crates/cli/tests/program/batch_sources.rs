//! Looking at texts before they are sent, and pseudo-translations of many scripts.

use crate::harness::Hub;

#[test]
fn what_would_be_sent_in_vain_is_told_before() {
    let hub = Hub::pulled();
    let told = hub.run(&["batch", "check"]);
    assert!(told.stdout.contains("texts: "), "{}", told.stdout);
    let rich = "<p>Hello { full name }, this is <code>fern init</code>.</p><p>Les fougères de ce jardin sont dans les murs de la serre avec des mousses.</p>";
    hub.world.plants.edit_text("p-005", "description", "eng", rich);
    hub.alter("tables/terms.csv", "wardens,cy,wardeniaid,\n", "wardens,cy,wardeniaid,\nfern,en,,bracken\n");
    hub.world.plants.edit_text("p-005", "common_name", "eng", "Oak Fern, a bracken");
    hub.good(&["pull", "catalogue"]);
    let ran = hub.run(&["batch", "check", "plants", "--format", "json"]).ends(3);
    let found: serde_json::Value = serde_json::from_str(&ran.stdout).unwrap();
    let own: Vec<String> = found["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|row| row["text"].as_str().unwrap().contains("p-005"))
        .map(|row| format!("{}: {}", row["finding"].as_str().unwrap(), row["what"].as_str().unwrap()))
        .collect();
    assert_eq!(
        own,
        [
            "terms: `bracken` is not to be said for `fern`",
            "kept: fern init",
            "placeholder: `{ full name }` is sent as words",
            "language: it reads like fr, not en: Les fougères de ce jardin sont dans les murs de la serre avec des mousses.",
        ]
    );
    let only = hub.run(&["batch", "check", "--only", "kept"]).ends(0);
    assert!(only.stdout.contains("fern init") && !only.stdout.contains("full name"), "{}", only.stdout);
    hub.run(&["batch", "check", "--only", "nonsense"]).ends(2);
}

#[test]
fn what_would_overflow_its_limit_is_listed() {
    let hub = Hub::pulled();
    hub.world.plants.edit_text("p-005", "common_name", "eng", &"Oak Fern ".repeat(8));
    hub.good(&["pull", "catalogue"]);
    hub.good(&["batch", "make", "plants", "--into", "cy"]);
    let ran = hub.run(&["batch", "pseudo", "plants-1"]).ends(0);
    let told = "catalogue/plant-profile/p-005#common_name.1 into cy: it would have 95 characters, and is cut to 80";
    assert!(ran.stderr.contains(told), "{}", ran.stderr);
}
