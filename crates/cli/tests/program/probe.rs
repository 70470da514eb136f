//! `probe`: what does not work is told by its layer.

use diaporos_demo::{Fault, Rule};

use crate::harness::{Hub, masked, ran};

#[test]
fn all_is_well() {
    insta::assert_snapshot!(masked(&Hub::new().good(&["probe"])));
}

#[test]
fn layers_are_told_apart() {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "languages = { eng", "retries   = 0\nlanguages = { eng");
    let with = |variable: &str, value: &str| {
        let mut command = hub.command(&["probe", "catalogue"]);
        command.env(variable, value);
        ran(command.output().unwrap()).ends(1).stdout
    };
    let last = |text: String| text.lines().last().unwrap().split_whitespace().take(3).collect::<Vec<_>>().join(" ");
    assert_eq!(last(with("CATALOGUE_URL", "http://127.0.0.1:9")), "catalogue TCP bad");
    assert_eq!(last(with("CATALOGUE_URL", "https://nowhere.invalid")), "catalogue DNS bad");
    assert_eq!(last(with("CATALOGUE_READ_TOKEN", "wrong")), "catalogue credential bad");
    hub.world.catalogue.fail(Rule::always(Fault::Status { status: 500 }));
    assert_eq!(last(hub.run(&["probe", "catalogue"]).ends(1).stdout), "catalogue HTTP bad");
    let https = hub.world.catalogue.url().replace("http:", "https:");
    assert_eq!(last(with("CATALOGUE_URL", &https)), "catalogue TLS bad");
}

#[test]
fn what_could_go_wrong_is_warned_of() {
    let hub = Hub::new();
    let read = "read      = { bearer = \"env:CATALOGUE_READ_TOKEN\" }";
    hub.alter("diaporos.toml", read, &format!("{read}\n{}", read.replace("read ", "write")));
    let told = hub.good(&["probe", "catalogue"]);
    assert!(told.contains("`read` and `write` are the same"), "{told}");
    assert!(told.contains("nothing is sent to this system"), "{told}");
    hub.alter("diaporos.toml", "\"env:SITE_URL\"", "\"http://site.invalid\"\nplain_http = true");
    let told = hub.run(&["probe", "visitor-site"]).ends(1).stdout;
    assert!(told.contains("would cross plain http to site.invalid"), "{told}");
}
