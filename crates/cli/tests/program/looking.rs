//! `entries`, `show`, `preview`.

use crate::harness::{Hub, masked, skipped};

fn pulled() -> Hub {
    let hub = Hub::new();
    hub.good(&["pull"]);
    hub
}

fn addresses(hub: &Hub, args: &[&str]) -> Vec<String> {
    let rows = hub.json(&[&["entries"], args].concat());
    rows.as_array().unwrap().iter().map(|row| row["address"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn filters_narrow() {
    let hub = pulled();
    assert!(addresses(&hub, &["--system", "bulletins"]).iter().all(|address| address.starts_with("bulletins/item/")));
    assert_eq!(addresses(&hub, &["--type", "trail", "--state", "draft"]).len(), 1);
    assert_eq!(addresses(&hub, &["--state", "draft,withdrawn"]).len(), 4);
    assert_eq!(addresses(&hub, &["--text", "OSMONDE royale"]), ["catalogue/plant-profile/p-001"]);
    assert_eq!(addresses(&hub, &["--most", "3"]).len(), 3);
    assert!(addresses(&hub, &["--text", "no such words"]).is_empty());
}

#[test]
fn a_table_of_entries() {
    insta::assert_snapshot!(masked(&pulled().good(&["entries", "--type", "curator"])));
}

#[test]
fn one_entry_whole() {
    let hub = pulled();
    insta::assert_snapshot!(masked(&hub.good(&["show", "catalogue/plant-profile/p-001"])));
}

#[test]
fn an_address_that_leads_nowhere() {
    let hub = pulled();
    let ran = hub.run(&["show", "catalogue/plant-profil/p-001"]).ends(1);
    insta::assert_snapshot!(ran.stderr);
    let ran = hub.run(&["show", "p-001"]).ends(2);
    insta::assert_snapshot!(ran.stderr);
}

#[test]
fn what_an_entry_becomes() {
    let hub = pulled();
    insta::assert_snapshot!(hub.good(&["preview", "profiles", "catalogue/plant-profile/p-012"]));
    let draft = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-023"]);
    assert!(draft.contains("does not go"), "{draft}");
    let held = hub.run(&["preview", "profiles", "catalogue/plant-profile/p-022"]).ends(3);
    assert!(held.stdout.contains("catalogue/curator/c-99"), "the dead reference is named: {}", held.stdout);
}

#[test]
fn the_very_request_with_the_secret_by_name() {
    let hub = pulled();
    let shown = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-012", "--as-curl"]);
    assert!(!shown.contains(diaporos_demo::SITE_WRITE_TOKEN), "{shown}");
    insta::assert_snapshot!(masked(&shown));
    assert_eq!(hub.writes(), 0, "a preview sends nothing");
}

#[test]
fn the_request_as_shown_is_the_request_that_works() {
    let hub = pulled();
    let shown = hub.good(&["preview", "profiles", "catalogue/plant-profile/p-012", "--as-curl"]);
    let first = shown.split("\n\n").next().unwrap();
    if std::process::Command::new("curl").arg("--version").output().is_err() {
        return skipped("no curl on this machine");
    }
    assert!(in_shell(&hub, first), "{first}");
    assert_eq!((hub.writes(), hub.live_pages().len()), (1, 4), "written once, by that request");
}

/// Runs a `curl` command line in a shell with the hub's variables.
fn in_shell(hub: &Hub, line: &str) -> bool {
    let script = format!("{} --fail --silent --output /dev/null", line.trim_end());
    let shell = std::process::Command::new("sh").arg("-c").arg(script).envs(hub.world.variables()).status();
    shell.unwrap().success()
}
