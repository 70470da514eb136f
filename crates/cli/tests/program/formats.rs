//! Results as people and as programs read them.

use crate::harness::Hub;

#[test]
fn every_result_comes_in_every_format() {
    let hub = Hub::pushed();
    let commands: [&[&str]; 11] = [
        &["check"],
        &["pull"],
        &["entries"],
        &["show", "catalogue/plant-profile/p-001"],
        &["preview", "profiles"],
        &["preview", "profiles", "--as-curl"],
        &["push", "--dry-run"],
        &["push"],
        &["status"],
        &["holds"],
        &["ledger"],
    ];
    for command in commands {
        let run = |format: &str| hub.run(&[command, &["--format", format]].concat());
        let json: serde_json::Value =
            serde_json::from_str(&run("json").stdout).unwrap_or_else(|error| panic!("{command:?} {error}"));
        assert!(json.is_array() || json.is_object());
        let lines = run("jsonl").stdout;
        assert!(
            lines.lines().all(|line| serde_json::from_str::<serde_json::Value>(line).is_ok()),
            "{command:?} {lines}"
        );
        let text = run("csv").stdout;
        let mut csv = csv::Reader::from_reader(text.as_bytes());
        let width = csv.headers().unwrap().len();
        assert!(width > 0 && csv.records().all(|record| record.unwrap().len() == width), "{command:?} {text}");
    }
}

#[test]
fn rows_are_the_same_in_json_and_in_lines() {
    let hub = Hub::pushed();
    let whole = hub.json(&["ledger"]);
    let lines = hub.good(&["ledger", "--format", "jsonl"]);
    let lines: Vec<serde_json::Value> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(*whole.as_array().unwrap(), lines);
}

#[test]
fn a_reader_that_has_seen_enough_is_no_failure() {
    let hub = Hub::pushed();
    let mut child =
        hub.command(&["entries", "--format", "jsonl"]).stdout(std::process::Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    assert_eq!(child.wait().unwrap().code(), Some(0));
}

#[test]
fn the_ledger_holds_no_secret() {
    let hub = Hub::pushed();
    for format in ["table", "jsonl"] {
        let shown = hub.good(&["ledger", "--format", format]);
        assert!(!shown.contains(diaporos_demo::SITE_WRITE_TOKEN));
    }
    let store = std::fs::read(hub.path().join(".diaporos/store.db")).unwrap();
    let token = diaporos_demo::SITE_WRITE_TOKEN.as_bytes();
    assert!(!store.windows(token.len()).any(|part| part == token), "the store holds the token");
}
