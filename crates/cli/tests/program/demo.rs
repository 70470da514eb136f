//! The demo tells its story to the end, and serves the same by hand.

use std::io::{BufRead, BufReader};
use std::process::Stdio;

use crate::harness::{bare, ran};

#[test]
fn the_story_ends_well() {
    let told = ran(bare(&["demo"]).output().unwrap()).ends(0);
    assert!(told.stdout.contains("$ diaporos push") && told.stdout.contains("found done"), "{}", told.stdout);
}

#[test]
fn served_by_hand_from_a_second_terminal() {
    let folder = tempfile::TempDir::new().unwrap();
    let hub = folder.path().join("gardens");
    let hub_text = hub.to_str().unwrap();
    let mut served =
        bare(&["demo", "--serve", "--in", hub_text]).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
    let lines = BufReader::new(served.stdout.take().unwrap()).lines().map(Result::unwrap);
    let variables: Vec<(String, String)> = lines
        .take(9)
        .map(|line| {
            let (name, value) = line.strip_prefix("export ").unwrap().split_once('=').unwrap();
            (name.to_owned(), value.to_owned())
        })
        .collect();
    let pulled = ran(bare(&["pull"]).current_dir(&hub).envs(variables).output().unwrap()).ends(0);
    assert!(pulled.stdout.contains("62 new"), "{}", pulled.stdout);
    let interrupted = std::process::Command::new("kill").args(["-INT", &served.id().to_string()]).status().unwrap();
    assert!(interrupted.success());
    assert_eq!(served.wait().unwrap().code(), Some(0), "Ctrl-C ends it cleanly");
}
