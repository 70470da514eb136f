//! Asking a system by hand.

use serde_json::json;

use crate::harness::Hub;

const CALL: &str = "GET /v1/entries?type=plant-profile";

fn asked(hub: &Hub) -> Vec<String> {
    let asked = hub.world.catalogue.asked();
    hub.world.catalogue.forget();
    asked.iter().map(|asked| format!("{} {} {}", asked.method, asked.path, asked.carried_secret)).collect()
}

#[test]
fn an_answer_is_shown_with_what_it_tells_of_its_listing() {
    let hub = Hub::new();
    let told = hub.json(&["ask", "catalogue", CALL]);
    assert_eq!(told["status"], 200);
    let facts: Vec<String> =
        told["facts"].as_array().unwrap().iter().map(|fact| fact["told"].as_str().unwrap().to_owned()).collect();
    assert!(facts.iter().any(|fact| fact.contains("each with id")), "{facts:?}");
    assert_eq!(asked(&hub).len(), 1);
    let list = facts.iter().find_map(|fact| fact.split('`').nth(1)).unwrap().to_owned();
    let ids = hub.good(&["ask", "catalogue", CALL, "--at", &format!("{list}.id")]);
    assert!(ids.lines().next() == Some("p-001") && ids.lines().count() > 10, "{ids}");
    let shown = hub.good(&["ask", "catalogue", CALL]);
    assert!(shown.starts_with("200 after ") && shown.contains("more; `--whole` shows them"), "{shown}");
    assert!(!hub.good(&["ask", "catalogue", CALL, "--whole"]).contains("`--whole` shows them"));
    assert!(asked(&hub).iter().all(|asked| asked.ends_with("true")), "with the credential for reading");
}

#[test]
fn what_may_change_something_goes_with_the_credential_for_writing_and_a_word_alone() {
    let hub = Hub::pushed();
    let id = hub.world.pages.with_slug("royal-fern")[0]["id"].clone();
    let call = format!("PATCH /api/pages/{id}");
    let body = r#"{"section":"bog"}"#;
    for (args, expected) in [
        (vec!["ask", "visitor-site", &call, "--body", body], "PATCH may change something there"),
        (vec!["ask", "visitor-site", &call, "--body", body, "--write"], "nobody can be asked about PATCH"),
        (vec!["ask", "visitor-site", "POST /api/pages", "--body", body], "POST may change something there"),
        (vec!["ask", "visitor-site", "get /api/pages"], "did you mean `GET`?"),
        (vec!["ask", "visitor-site", "GET http://other.example/x"], "is not a path"),
        (vec!["ask", "visitor-site", "GET //other.example/x"], "is not a path"),
        (vec!["ask", "catalogue", CALL, "--header", "Authorization: Bearer x"], "is a credential"),
        (vec!["ask", "catalogue", CALL, "--header", "accept"], "is not a header"),
        (vec!["ask", "bulletins", "GET /x"], "is not reached at one address over HTTP"),
    ] {
        let ran = hub.run(&args).ends(2);
        assert!(ran.stderr.contains(expected), "{args:?}: {}", ran.stderr);
    }
    assert_eq!(hub.writes(), 0);
    let stale = hub.run(&["ask", "visitor-site", &call, "--body", body, "--write", "--yes"]).ends(1);
    assert!(stale.stdout.starts_with("428 after "), "{}", stale.stdout);
    let version = format!("if-match: \"{}\"", hub.world.pages.with_slug("royal-fern")[0]["version"]);
    hub.good(&["ask", "visitor-site", &call, "--body", body, "--header", &version, "--write", "--yes"]);
    assert_eq!(hub.world.pages.with_slug("royal-fern")[0]["section"], json!("bog"));
}

#[test]
fn an_answer_that_is_no_good_is_shown_whole_and_ends_with_1() {
    let hub = Hub::new();
    let ran = hub.run(&["ask", "catalogue", "GET /v1/entries/nothing-here"]).ends(1);
    assert!(ran.stdout.starts_with("404 after "), "{}", ran.stdout);
    assert_eq!(asked(&hub).len(), 1, "it is not tried again");
}

#[test]
fn the_request_can_be_had_for_a_shell_and_no_secret_is_in_it() {
    let hub = Hub::new();
    let told = hub.good(&["ask", "catalogue", CALL, "--as-curl"]);
    assert!(told.starts_with("curl -X GET ") && told.contains("$CATALOGUE_READ_TOKEN"), "{told}");
    assert!(asked(&hub).is_empty());
}

/// From an answer to a profile that pulls: what was asked by hand is read by it.
#[test]
fn an_answer_becomes_a_profile_that_pulls() {
    let hub = Hub::new();
    let answer = hub.good(&["ask", "catalogue", "GET /v1/entries?type=curator", "--format", "json"]);
    let answer: serde_json::Value = serde_json::from_str(&answer).unwrap();
    let body = answer.get("body").unwrap_or(&answer);
    hub.write("curators.json", &body.to_string());
    hub.good(&["init", "--from-answer", "curators.json", "--path", "/v1/entries?type=curator", "--system", "people"]);
    let profile = std::fs::read_to_string(hub.path().join("profiles/people.toml")).unwrap();
    assert!(profile.contains("list      = \"/v1/entries?type=curator\""), "{profile}");
    let again = hub.run(&["init", "--from-answer", "curators.json", "--path", "/x", "--system", "people"]);
    assert!(again.code == Some(1) && again.stderr.contains("it is there already"), "{}", again.stderr);
    let config = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let people = "[systems.people]\nkind = \"rest\"\nurl = \"env:CATALOGUE_URL\"\nprofile = \"profiles/people.toml\"\nread = { bearer = \"env:CATALOGUE_READ_TOKEN\" }\nlanguages = { eng = \"en\", fra = \"fr\", cym = \"cy\" }\n";
    hub.write("diaporos.toml", &format!("{people}\n{config}"));
    let told = hub.json(&["pull", "people"]);
    assert!(told["new"].as_u64().unwrap() > 0, "{told}\n{profile}");
}
