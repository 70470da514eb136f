//! Kind `graphql`, against the archive's stand-in.

use serde_json::{Value as Json, json};
use tempfile::TempDir;
use tokio::runtime::Runtime;

use crate::harness::{bare, ran};

const PROFILE: &str = r#"
[types.sheet.read]
query     = "sheets.graphql"
variables = { shelf = "north" }
items     = "$.data.sheets.edges[*].node"
id        = "$.id"
paging    = { style = "connection", at = "$.data.sheets.pageInfo", parameter = "after", size = { parameter = "first", items = 5 } }
"#;

#[test]
fn a_connection_is_followed_and_partial_data_costs_its_own_entry() {
    let runtime = Runtime::new().unwrap();
    let (server, archive) = runtime.block_on(diaporos_demo::start_archive()).unwrap();
    let folder = TempDir::new().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let url = format!("{}/graphql", server.url());
    write(
        "diaporos.toml",
        &format!("[systems.archive]\nkind = \"graphql\"\nurl = \"{url}\"\nprofile = \"profile.toml\"\n"),
    );
    write("profile.toml", PROFILE);
    let run = |args: &[&str]| ran(bare(args).current_dir(folder.path()).output().unwrap());
    let told = run(&["check"]).ends(2);
    assert!(told.stdout.contains("the query file sheets.graphql cannot be read"), "{}", told.stdout);

    write(
        "sheets.graphql",
        "query ($first: Int, $after: String, $shelf: String) { sheets(first: $first, after: $after) { x } }",
    );
    let told = run(&["pull"]).ends(3);
    assert!(told.stderr.contains("archive/sheet: 9 came with an error: the title is torn"), "{}", told.stderr);
    assert!(told.stdout.contains("22 new"), "{}", told.stdout);
    let shown: Json =
        serde_json::from_str(&run(&["show", "archive/sheet/23", "--format", "json"]).ends(0).stdout).unwrap();
    assert_eq!(shown["fields"], json!({ "id": 23, "title": "Sheet 23", "shelf": "north" }));

    archive.delete(9);
    assert!(run(&["pull"]).ends(0).stdout.contains("nothing changed"));
    write("sheets.graphql", "{ shets { x } }");
    let told = run(&["pull"]).ends(1);
    assert!(told.stderr.contains("Cannot query field"), "{}", told.stderr);
}
