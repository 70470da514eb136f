//! The help is interface: every command has an example, every option a word of explanation.

use crate::harness::{bare, ran};

fn help(args: &[&str]) -> String {
    ran(bare(&[args, &["--help"]].concat()).output().unwrap()).ends(0).stdout
}

fn commands() -> Vec<String> {
    let whole = help(&[]);
    let listed = whole.split("Commands:\n").nth(1).unwrap().split("\n\n").next().unwrap().to_owned();
    listed
        .lines()
        .filter(|line| line.starts_with("  ") && !line.starts_with("   "))
        .filter_map(|line| line.split_whitespace().next().map(str::to_owned))
        .collect()
}

#[test]
fn every_command_has_an_example_and_every_option_is_explained() {
    let commands = commands();
    assert!(commands.len() >= 12, "{commands:?}");
    for command in &commands {
        let text = help(&[command]);
        assert!(text.contains("Example") && text.contains(&format!("diaporos {command}")), "{command} has no example");
        let lines: Vec<&str> = text.lines().collect();
        for (place, line) in lines.iter().enumerate().filter(|(_, line)| line.trim_start().starts_with("--")) {
            let explained =
                line.trim().contains("  ") || lines.get(place + 1).is_some_and(|next| !next.trim().is_empty());
            assert!(explained, "{command}: {line}");
        }
    }
}

#[test]
fn the_front_page() {
    insta::assert_snapshot!(help(&[]));
}

#[test]
fn wrong_usage_is_exit_code_2() {
    for args in [&["pul"][..], &["show"], &["pull", "--format", "xml"], &[]] {
        let ran = ran(bare(args).output().unwrap());
        assert_eq!(ran.code, Some(2), "{args:?}");
    }
}

#[test]
fn outside_a_hub_the_way_in_is_told() {
    let folder = tempfile::TempDir::new().unwrap();
    let ran = ran(bare(&["status"]).current_dir(folder.path()).output().unwrap());
    insta::assert_snapshot!(ran.ends(2).drawn());
}
