//! The help is interface: every command has an example, every option a word of explanation.

use crate::harness::{bare, ran};

fn help(args: &[&str]) -> String {
    ran(bare(&[args, &["--help"]].concat()).output().unwrap()).ends(0).stdout
}

/// Every command and subcommand, as the words that name it.
fn commands() -> Vec<Vec<String>> {
    let (mut all, mut open) = (Vec::new(), vec![Vec::new()]);
    while let Some(words) = open.pop() {
        let whole = help(&words.iter().map(String::as_str).collect::<Vec<_>>());
        let listed = whole.split("Commands:\n").nth(1).and_then(|rest| rest.split("\n\n").next()).unwrap_or_default();
        let named = listed.lines().filter(|line| line.starts_with("  ") && !line.starts_with("   "));
        open.extend(
            named
                .filter_map(|line| line.split_whitespace().next())
                .map(|name| [&words[..], &[name.to_owned()]].concat()),
        );
        if !words.is_empty() {
            all.push(words);
        }
    }
    all
}

/// The commands in the examples of a help text, each as its words.
fn examples(text: &str) -> Vec<Vec<String>> {
    let after = text.split("Example").nth(1).unwrap_or_default();
    let lines = after.lines().skip(1).take_while(|line| line.starts_with("  ")).map(str::trim);
    let commands = lines.filter_map(|line| line.strip_prefix("diaporos "));
    commands
        .map(|line| {
            let line = line.split("     ").next().unwrap_or_default();
            let (mut words, mut word, mut quote) = (Vec::new(), String::new(), None);
            for c in line.chars() {
                match (quote, c) {
                    (None, '|' | '>' | '#') => break,
                    (None, '\'' | '"') => quote = Some(c),
                    (Some(open), c) if c == open => quote = None,
                    (None, ' ') => words.extend(Some(std::mem::take(&mut word)).filter(|word| !word.is_empty())),
                    _ => word.push(c),
                }
            }
            words.extend(Some(word).filter(|word| !word.is_empty()));
            words
        })
        .collect()
}

#[test]
fn every_option_of_every_command_is_explained() {
    let commands = commands();
    assert!(commands.len() >= 40, "{commands:?}");
    for command in &commands {
        let text = help(&command.iter().map(String::as_str).collect::<Vec<_>>());
        let lines: Vec<&str> = text.lines().collect();
        let mut options = 0;
        for (place, line) in lines.iter().enumerate().filter(|(_, line)| line.trim_start().starts_with('-')) {
            options += 1;
            let beside = line.trim().split("  ").skip(1).any(|text| !text.trim().is_empty());
            let below = lines.get(place + 1).is_some_and(|next| {
                let next = next.trim_start();
                !next.is_empty() && !next.starts_with('-') && !next.starts_with('[')
            });
            assert!(beside || below, "{command:?}: {line}");
        }
        assert!(options >= 5, "{command:?} has no options: {text}");
    }
}

/// An example that the program does not take as it stands is worse than none.
#[test]
fn every_example_is_one_that_the_program_takes() {
    let mut seen = 0;
    for command in commands() {
        let text = help(&command.iter().map(String::as_str).collect::<Vec<_>>());
        let own = examples(&text);
        let has_subcommands = text.contains("\nCommands:\n");
        assert!(!own.is_empty() || has_subcommands, "{command:?} has no example");
        for words in own {
            seen += 1;
            // Told whole elsewhere, and for minutes.
            if words.first().is_some_and(|word| word == "demo") {
                continue;
            }
            let folder = tempfile::TempDir::new().unwrap();
            let words: Vec<&str> = words.iter().map(String::as_str).collect();
            let ran = ran(bare(&words).current_dir(folder.path()).output().unwrap());
            assert!(!ran.stderr.contains("Usage:"), "{command:?}: {words:?}: {}", ran.stderr);
        }
    }
    assert!(seen >= 50, "{seen}");
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
