//! Kind `graphql` as a destination: what an operation's answer says, and what it leaves open.

use serde_json::{Value as Json, json};

use crate::contract::{Destination, hub_to, put_files, takes_what_it_is_sent};
use crate::graphql_server::{Pages, Wrong, pages_server};
use crate::harness::HubFolder;

const WRITE: &str = r#"
find     = { query = "find.graphql" }
found    = "$.data.pages[*]"
read     = { query = "page.graphql", document = "$.data.page" }
create   = { query = "create.graphql", document = "$.data.createPage.page", problems = "$.data.createPage.problems[*]" }
update   = { query = "update.graphql", document = "$.data.updatePage.page", problems = "$.data.updatePage.problems[*]" }
withdraw = { query = "hide.graphql", document = "$.data.hidePage", variables = { page = "{id}" } }
withdrawn = { at = "$.status", words = ["hidden"] }
delete   = { query = "delete.graphql" }
id       = "$.id"
revision = "$.version"
codes    = { STALE_PAGE = "differs" }
"#;
const PAGE: &str = "fragment Whole on Page { id version slug title tags status }";

/// A hub from a folder of plants to the pages of a server.
fn hub(url: &str) -> HubFolder {
    hub_with(url, WRITE)
}

/// The same, written in another way.
fn hub_with(url: &str, write: &str) -> HubFolder {
    let hub = hub_to("graphql", &format!("url = \"{url}\"\nsettles_within = \"1s\"\nretries = 0"), write);
    let saved = "page { ...Whole } problems { message field code }";
    for (name, text) in [
        ("find", "query Find($key: String!) { pages(slug: $key) { ...Whole } }".to_owned()),
        ("page", "query Page($id: ID!) { page(id: $id) { ...Whole } }".to_owned()),
        ("create", format!("mutation Make($input: PageInput!) {{ createPage(input: $input) {{ {saved} }} }}")),
        (
            "update",
            format!(
                "mutation Save($id: ID!, $revision: Int, $input: PageInput!) {{ updatePage(id: $id, revision: $revision, input: $input) {{ {saved} }} }}"
            ),
        ),
        (
            "hide",
            "mutation Hide($page: ID!, $revision: Int) { hidePage(id: $page, revision: $revision) { ...Whole } }"
                .to_owned(),
        ),
    ] {
        hub.write(&format!("{name}.graphql"), &format!("{text}\n{PAGE}\n"));
    }
    hub.write(
        "delete.graphql",
        "mutation Delete($id: ID!, $revision: Int) { deletePage(id: $id, revision: $revision) }",
    );
    hub
}

fn plants(hub: &HubFolder, plants: &[(&str, &str)]) {
    put_files(&hub.path().join("plants"), plants);
    hub.json(&["pull", "garden", "--allow-gone", "3"]);
}

fn push(hub: &HubFolder) -> Json {
    hub.json(&["push", "out", "--allow-removals", "3"])
}

fn titles(pages: &Pages, slug: &str) -> Vec<String> {
    pages.with_slug(slug).into_iter().filter_map(|page| page.title).collect()
}

#[test]
fn to_graphql() {
    let (url, pages, _runtime) = pages_server();
    let hands = pages.clone();
    let title = move |slug: &str| titles(&pages, slug).pop();
    let retitle = move |slug: &str, title: &str| hands.retitle(slug, title);
    takes_what_it_is_sent(&Destination { hub: hub(&url), title: Box::new(title), retitle: Box::new(retitle) });
}

#[test]
fn problems_in_a_payload_hold_the_entry_field_by_field() {
    let (url, pages, _runtime) = pages_server();
    let hub = hub(&url);
    plants(&hub, &[("1", "Fern"), ("2", "A title that is far too long for this")]);
    let pushed = push(&hub);
    assert_eq!((&pushed["created"], &pushed["held"]), (&json!(1), &json!(1)), "{pushed}");
    let why = hub.json(&["holds"])[0]["message"].as_str().unwrap().to_owned();
    assert!(why.contains("input.title: at most 20 letters"), "{why}");
    plants(&hub, &[("1", "Fern"), ("2", "Moss")]);
    assert_eq!(push(&hub)["created"], 1);
    assert_eq!(titles(&pages, "2"), ["Moss"]);
}

#[test]
fn what_somebody_saved_since_is_not_written_over() {
    let (url, pages, _runtime) = pages_server();
    let hub = hub(&url);
    plants(&hub, &[("1", "Fern")]);
    push(&hub);
    pages.retitle("1", "Their fern");
    plants(&hub, &[("1", "Royal fern")]);
    assert_eq!(push(&hub)["held"], 1, "the version was told, and is another there");
    assert_eq!(titles(&pages, "1"), ["Their fern"]);
}

/// Also where the operation that takes it away cannot be told which version is meant.
#[test]
fn what_somebody_saved_since_is_not_taken_away() {
    for text in [None, Some("mutation Delete($id: ID!) { deletePage(id: $id) }")] {
        let (url, pages, _runtime) = pages_server();
        let hub = hub(&url);
        if let Some(text) = text {
            hub.write("delete.graphql", text);
        }
        plants(&hub, &[("1", "Fern"), ("2", "Moss")]);
        push(&hub);
        pages.retitle("1", "Their fern");
        plants(&hub, &[("2", "Moss")]);
        let pushed = push(&hub);
        assert_eq!((&pushed["held"], &pushed["deleted"]), (&json!(1), &json!(0)), "{text:?}: {pushed}");
        assert_eq!(titles(&pages, "1"), ["Their fern"]);
    }
}

#[test]
fn an_answer_that_does_not_say_that_it_was_done_is_found_out_and_nothing_is_doubled() {
    for wrong in [Wrong::AnswerLost, Wrong::ErrorAfter, Wrong::LogIn, Wrong::Busy] {
        let (url, pages, _runtime) = pages_server();
        let hub = hub(&url);
        plants(&hub, &[("1", "Fern")]);
        pages.go_wrong(&[wrong]);
        let first = push(&hub);
        if matches!(wrong, Wrong::AnswerLost | Wrong::ErrorAfter) {
            assert_eq!((&first["created"], titles(&pages, "1").len()), (&json!(1), 1), "{wrong:?}: {first}");
        }
        push(&hub);
        assert_eq!(titles(&pages, "1"), ["Fern"], "{wrong:?}");
        plants(&hub, &[("1", "Royal fern")]);
        pages.go_wrong(&[wrong]);
        push(&hub);
        push(&hub);
        assert_eq!(titles(&pages, "1"), ["Royal fern"], "{wrong:?}");
        let before = pages.changes();
        assert_eq!(push(&hub)["requests"], 0, "{wrong:?}");
        assert_eq!(pages.changes(), before, "{wrong:?}");
    }
}

/// What a search gives beside an error may not be all that there is: nothing is created on that.
#[test]
fn a_search_that_is_answered_in_part_finds_nothing_out() {
    let (url, pages, _runtime) = pages_server();
    let hub = hub(&url);
    plants(&hub, &[("1", "Fern")]);
    pages.go_wrong(&[Wrong::InPart]);
    let told = hub.run(&["push", "out"]).ends(3);
    assert!(format!("{}{}", told.stdout, told.stderr).contains("the shelf is closed"), "{}", told.stdout);
    assert_eq!(pages.changes(), 0);
    assert_eq!(push(&hub)["created"], 1);
}

#[test]
fn operations_are_checked_before_anything_is_asked() {
    let (url, _, _runtime) = pages_server();
    for (file, text, expected) in [
        ("page", "mutation Page($id: ID!) { deletePage(id: $id) }", "it is a mutation"),
        ("page", "query Page($id: ID!, $shelf: Int!) { page(id: $id) { id } }", "`$shelf` must have a value"),
        ("hide", "mutation Hide($id: ID!) { hidePage(id: $id) { id } }", "it declares no variable `$page`"),
        (
            "update",
            "mutation Save($id: ID!) { updatePage(id: $id) { page { id } } }",
            "it declares no variable `$input`",
        ),
        ("create", "mutation Make($input: PageInput!) {", "the operation in create.graphql"),
        ("create", "{ a } query B { b }", "the operation in create.graphql"),
    ] {
        let hub = hub(&url);
        hub.write(&format!("{file}.graphql"), text);
        let told = hub.run(&["check"]).ends(2);
        assert!(told.stdout.contains(expected), "{expected}: {}{}", told.stdout, told.stderr);
    }
}

/// What would be sent is seen first: the very body, with its variables.
#[test]
fn a_dry_run_asks_for_no_change() {
    let (url, pages, _runtime) = pages_server();
    let hub = hub(&url);
    plants(&hub, &[("1", "Fern")]);
    let told = hub.run(&["push", "out", "--dry-run"]).ends(0).stdout;
    assert!(told.contains("create"), "{told}");
    assert_eq!(pages.changes(), 0);
}

#[test]
fn a_document_is_locked_by_operations_while_it_is_written() {
    let (url, pages, _runtime) = pages_server();
    let lock = "lock = { take = { query = \"lock.graphql\" }, release = { query = \"unlock.graphql\" }, look = { query = \"lock-of.graphql\" }, holder = \"$.data.lock.holder\", token = \"$.data..token\", us = \"the hub\" }\n";
    let hub = hub_with(&url, &format!("{WRITE}{lock}"));
    hub.write("lock.graphql", "mutation Lock($id: ID!) { lockPage(id: $id) { holder token } }");
    hub.write("unlock.graphql", "mutation Unlock($id: ID!, $lock: String!) { unlockPage(id: $id, lock: $lock) }");
    hub.write("lock-of.graphql", "query LockOf($id: ID!) { lock(id: $id) { holder token } }");
    let update = std::fs::read_to_string(hub.path().join("update.graphql")).unwrap();
    let update = update
        .replace("$input: PageInput!) {", "$lock: String, $input: PageInput!) {")
        .replace("revision: $revision, input", "revision: $revision, lock: $lock, input");
    hub.write("update.graphql", &update);
    plants(&hub, &[("1", "Fern"), ("2", "Moss")]);
    assert_eq!(push(&hub)["created"], 2);
    // Somebody else's lock is respected, and told; ours that a crash left behind is given back.
    pages.lock("1", Some("Mair"));
    pages.lock("2", Some("the hub"));
    plants(&hub, &[("1", "Royal fern"), ("2", "Peat moss")]);
    let pushed = push(&hub);
    assert_eq!((&pushed["updated"], &pushed["held"]), (&json!(1), &json!(1)), "{pushed}");
    let why = hub.json(&["holds"])[0]["message"].as_str().unwrap().to_owned();
    assert!(why.contains("Mair"), "{why}");
    pages.lock("1", None);
    assert_eq!(push(&hub)["updated"], 1);
    assert!(!pages.is_locked(), "what was taken is given back");
}

#[test]
fn what_is_there_is_compared_by_a_query_that_lists_it() {
    let (url, pages, _runtime) = pages_server();
    let hub = hub_with(&url, &format!("{WRITE}listed = {{ query = \"all.graphql\", items = \"$.data.all[*]\" }}\n"));
    hub.write("all.graphql", &format!("query All {{ all {{ ...Whole }} }}\n{PAGE}\n"));
    let names: Vec<(String, String)> = (1..=30).map(|number| (number.to_string(), format!("Plant {number}"))).collect();
    let all: Vec<(&str, &str)> = names.iter().map(|(id, title)| (id.as_str(), title.as_str())).collect();
    plants(&hub, &all);
    assert_eq!(push(&hub)["created"], 30);
    let before = pages.looks();
    let told = hub.json(&["push", "out", "--verify"]);
    assert_eq!((&told["requests"], pages.looks() - before), (&json!(0), 0), "{told}");
    pages.retitle("7", "Their plant");
    let told = hub.run(&["push", "out", "--verify", "--format", "json"]).ends(3).stdout;
    assert!(told.contains("\"drifted\":1"), "{told}");
}

#[test]
fn fields_that_a_listing_leaves_out_are_asked_for_entry_by_entry() {
    let (url, pages, _runtime) = pages_server();
    let hub = hub_with(&url, WRITE);
    plants(&hub, &[("1", "Fern"), ("2", "Moss")]);
    push(&hub);
    let read = "[types.page.read]\nquery = \"short.graphql\"\nitems = \"$.data.all[*]\"\nid = \"$.id\"\nrevision = \"$.version\"\ndetail = { query = \"page.graphql\", document = \"$.data.page\" }\n";
    hub.write("reading.toml", read);
    hub.write("short.graphql", "query Short { all { id version } }");
    let config = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    hub.write(
        "diaporos.toml",
        &format!("{config}\n[systems.reading]\nkind = \"graphql\"\nurl = \"{url}\"\nprofile = \"reading.toml\"\n"),
    );
    assert_eq!(hub.json(&["pull", "reading"])["new"], 2);
    let title = |id: &str| hub.json(&["show", &format!("reading/page/{id}")])["fields"]["title"].clone();
    assert!([title("1"), title("2")].contains(&json!("Fern")), "{} {}", title("1"), title("2"));
    let before = pages.looks();
    pages.retitle("2", "Peat moss");
    assert_eq!(hub.json(&["pull", "reading"])["changed"], 1);
    assert_eq!(pages.looks() - before, 1, "only what changed is asked for");
}
