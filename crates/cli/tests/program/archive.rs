//! Every shape in which a source can hand out content, read through the built program.

use diaporos_demo::{ARCHIVE_KEY, Archive, Fault, Rule, StandIn};
use serde_json::Value as Json;
use tempfile::TempDir;
use tokio::runtime::Runtime;

use crate::harness::{Ran, bare, ran};

/// A hub with one system, the archive.
struct KeyedStore {
    folder: TempDir,
    server: StandIn,
    archive: Archive,
    _runtime: Runtime,
}

const PAGED: &str = r#"items = "$.sheets[*]"
id = "$.id"
revision = "$.rev""#;

impl KeyedStore {
    /// `system` are further keys of the system, `read` is the profile's table for reading.
    fn new(system: &str, read: &str) -> KeyedStore {
        let runtime = Runtime::new().unwrap();
        let (server, archive) = runtime.block_on(diaporos_demo::start_archive()).unwrap();
        let folder = TempDir::new().unwrap();
        let config = format!(
            "[systems.archive]\nkind = \"rest\"\nurl = \"env:ARCHIVE_URL\"\nprofile = \"profile.toml\"\nretries = 0\n{system}\n"
        );
        std::fs::write(folder.path().join("diaporos.toml"), config).unwrap();
        std::fs::write(folder.path().join("profile.toml"), format!("[types.sheet.read]\n{read}\n")).unwrap();
        KeyedStore { folder, server, archive, _runtime: runtime }
    }

    fn listing(path: &str, paging: &str) -> KeyedStore {
        KeyedStore::new("", &format!("list = \"{path}\"\n{PAGED}\n{paging}"))
    }

    fn run(&self, args: &[&str]) -> Ran {
        let mut command = bare(args);
        command.current_dir(self.folder.path()).env("ARCHIVE_URL", self.server.url()).env("KEY", ARCHIVE_KEY);
        ran(command.output().unwrap())
    }

    fn json(&self, args: &[&str]) -> Json {
        let ran = self.run(&[args, &["--format", "json"]].concat());
        serde_json::from_str(&ran.stdout).unwrap_or_else(|error| panic!("{error} {}{}", ran.stdout, ran.stderr))
    }

    /// Pulls, which must go well, and gives pulled, new, changed and gone.
    fn pull(&self, args: &[&str]) -> [u64; 4] {
        let ran = self.run(&[&["pull", "--format", "json"], args].concat()).ends(0);
        let counts: Json = serde_json::from_str(&ran.stdout).unwrap();
        ["pulled", "new", "changed", "gone"].map(|name| counts[name].as_u64().unwrap())
    }

    fn fields(&self, id: &str) -> Json {
        self.json(&["show", &format!("archive/sheet/{id}")])["fields"].clone()
    }
}

#[test]
fn every_style_of_paging_reads_all_and_the_second_pull_nothing_new() {
    let styles = [
        ("/by-page", r#"paging = { style = "page", total = "$.count" }"#),
        ("by-offset", r#"paging = { style = "offset", parameter = "start" }"#),
        ("/by-header", r#"paging = { style = "cursor", parameter = "mark", header = "X-Mark" }"#),
        ("/by-address", r#"paging = { style = "address", next = "$.links.next" }"#),
    ];
    for (path, paging) in styles {
        let shelf = KeyedStore::listing(path, paging);
        assert_eq!(shelf.pull(&[]), [23, 23, 0, 0], "{path}");
        assert_eq!(shelf.pull(&[]), [23, 0, 0, 0], "{path}");
    }
    let links =
        KeyedStore::new("", "list = \"/by-link\"\nitems = \"$[*]\"\nid = \"$.id\"\npaging = { style = \"link\" }");
    assert_eq!(links.pull(&[]), [23, 23, 0, 0]);
}

#[test]
fn listings_that_do_not_end_are_told() {
    let circle =
        KeyedStore::listing("/circle", r#"paging = { style = "cursor", parameter = "mark", next = "$.next" }"#);
    let told = circle.run(&["pull"]).ends(3);
    assert!(told.stderr.contains("leads in a circle"), "{}", told.stderr);
    let endless = KeyedStore::listing("/endless", r#"paging = { style = "page" }"#);
    let told = endless.run(&["pull"]).ends(3);
    assert!(told.stderr.contains("does the source know the paging parameter?"), "{}", told.stderr);
}

#[test]
fn items_that_move_while_we_read_are_not_taken_for_gone() {
    for (path, paging) in [
        ("/by-page", r#"paging = { style = "page" }"#),
        ("/by-offset", r#"paging = { style = "offset", parameter = "start" }"#),
        ("/by-header", r#"paging = { style = "cursor", parameter = "mark", header = "x-mark" }"#),
        ("/by-address", r#"paging = { style = "address", next = "$.links.next" }"#),
    ] {
        let shelf = KeyedStore::listing(path, paging);
        shelf.pull(&[]);
        shelf.archive.shift_after(2);
        // The first sheet went after it was shown, and the one that moved across the page's edge is
        // still there: neither is gone by this listing.
        assert_eq!(shelf.pull(&[]), [23, 0, 0, 0], "{path}");
        assert_eq!(shelf.pull(&[]), [22, 0, 0, 1], "{path}");
        assert_eq!(shelf.json(&["show", "archive/sheet/1"])["state"], "gone", "{path}");
    }
}

#[test]
fn every_kind_of_credential_opens_the_door() {
    let kinds = [
        ("basic", r#"read = { basic = { user = "hub", password = "env:KEY" } }"#),
        ("header", r#"read = { header = { name = "X-Archive-Key", value = "env:KEY" } }"#),
        ("query", r#"read = { query = { name = "key", value = "env:KEY" } }"#),
        ("session", r#"read = { session = { login = "/login", fields = { name = "hub", password = "env:KEY" } } }"#),
    ];
    let paging = r#"paging = { style = "cursor", parameter = "mark", next = "$.next" }"#;
    for (kind, credential) in kinds {
        let shelf = KeyedStore::new(credential, &format!("list = \"/guarded/{kind}\"\n{PAGED}\n{paging}"));
        assert_eq!(shelf.pull(&[]), [23, 23, 0, 0], "{kind}");
        shelf.server.fail(Rule::always(Fault::Status { status: 500 }));
        let told = shelf.run(&["pull", "-v"]).ends(1);
        assert!(!told.stderr.contains(ARCHIVE_KEY) && !told.stdout.contains(ARCHIVE_KEY), "{kind}: {}", told.stderr);
        let store = std::fs::read(shelf.folder.path().join(".diaporos/store.db")).unwrap();
        assert!(!store.windows(ARCHIVE_KEY.len()).any(|part| part == ARCHIVE_KEY.as_bytes()), "{kind}");
        let refused = KeyedStore::new("", &format!("list = \"/guarded/{kind}\"\n{PAGED}"));
        assert!(refused.run(&["pull"]).ends(1).stderr.contains("the credential was refused (401"), "{kind}");
    }
}

#[test]
fn a_fetched_token_is_renewed_once_where_it_is_refused() {
    let credential = r#"[systems.archive.read.oauth]
token = "env:TOKEN_URL"
id = "the hub"
secret = "env:KEY"
scope = "sheets""#;
    let paging = r#"paging = { style = "cursor", parameter = "mark", next = "$.next" }"#;
    let shelf = KeyedStore::new(credential, &format!("list = \"/guarded/oauth\"\n{PAGED}\n{paging}"));
    let run = |key: &str| {
        let mut command = bare(&["pull"]);
        command.current_dir(shelf.folder.path()).env("ARCHIVE_URL", shelf.server.url());
        command.env("TOKEN_URL", format!("{}/token", shelf.server.url())).env("KEY", key);
        ran(command.output().unwrap())
    };
    assert!(run(ARCHIVE_KEY).ends(0).stdout.contains("23 new"));
    assert_eq!(shelf.archive.tokens(), 2, "five pages at three requests a token");
    let told = run("wrong-secret").ends(1);
    assert!(told.stderr.contains("the token endpoint answered 401: invalid_client"), "{}", told.stderr);
    assert!(!told.stderr.contains("wrong-secret"));
}

#[test]
fn a_credential_goes_to_no_other_host() {
    let other = KeyedStore::listing("/by-page", "");
    let port = other.server.url().rsplit(':').next().unwrap().to_owned();
    for credential in [
        r#"read = { header = { name = "X-Archive-Key", value = "env:KEY" } }"#,
        r#"read = { query = { name = "key", value = "env:KEY" } }"#,
        r#"read = { bearer = "env:KEY" }"#,
    ] {
        let shelf = KeyedStore::new(credential, &format!("list = \"/elsewhere?start={port}\"\n{PAGED}"));
        // One page of five is all that the profile knows of.
        let _ = shelf.run(&["pull"]).ends(3);
    }
    let asked = other.server.asked();
    assert_eq!(asked.len(), 3);
    assert!(asked.iter().all(|asked| !asked.carried_secret && !asked.path.contains(ARCHIVE_KEY)), "{asked:?}");
}

#[test]
fn rows_of_languages_become_one_entry() {
    let read = r#"list = "/languages"
items = "$.rows[*]"
id = "$.sheet"
revision = "$.rev"
state = "$.status"
states = { published = "live" }
languages = { language = "$.lang", main = "en" }
paging = { style = "cursor", parameter = "mark", next = "$.next" }

[types.sheet.fields]
title = { kind = "text", localised = true }
shelf = "integer""#;
    let shelf = KeyedStore::new("languages = { eng = \"en\", fra = \"fr\" }", read);
    assert_eq!(shelf.pull(&[]), [7, 7, 0, 0]);
    assert_eq!(
        shelf.fields("1"),
        serde_json::json!({ "title": { "en": "Sheet 1 (eng)", "fr": "Sheet 1 (fra)" }, "shelf": 1 })
    );
    assert_eq!(shelf.fields("2")["title"], serde_json::json!({ "en": "Sheet 2 (eng)" }), "a draft does not show");
    assert_eq!(shelf.pull(&[]), [7, 0, 0, 0]);
    shelf.archive.retitle(3, "Retitled", "2026-06-01T00:00:00Z");
    assert_eq!(shelf.pull(&[]), [7, 0, 1, 0]);
    assert_eq!(shelf.fields("3")["title"]["fr"], "Retitled (fra)");
    assert_eq!(
        shelf.json(&["show", "archive/sheet/3"])["versions"].as_array().unwrap().len(),
        2,
        "one change, one version"
    );
    shelf.archive.delete(1);
    assert_eq!(shelf.pull(&[])[3], 1);
}

#[test]
fn a_language_that_moves_while_we_read_is_not_taken_away() {
    let read = r#"list = "/languages"
items = "$.rows[*]"
id = "$.sheet"
languages = { language = "$.lang", main = "en" }
paging = { style = "cursor", parameter = "mark", next = "$.next" }"#;
    let shelf = KeyedStore::new("languages = { eng = \"en\", fra = \"fr\" }", read);
    shelf.pull(&[]);
    shelf.archive.shift_after(1);
    let _ = shelf.pull(&[]);
    for id in 2..=7 {
        let title = &shelf.fields(&id.to_string())["title"];
        assert!(title["en"].is_string() && title["fr"].is_string(), "{id}: {title}");
    }
    assert_eq!(shelf.json(&["entries", "--state", "gone"]).as_array().unwrap().len(), 0);
}

#[test]
fn documents_inside_texts_are_opened() {
    let read = r#"list = "/embedded"
items = "$.sheets[*]"
id = "$.id"
embedded = { payload = "xml", meta = "json" }

[types.sheet.fields]
name = { kind = "text", localised = true, at = "$.payload.sheet.name", node_language = "@xml:lang" }
shelf = { kind = "integer", at = "$.meta.shelf" }"#;
    let shelf = KeyedStore::new("languages = { eng = \"en\", fra = \"fr\" }", read);
    assert_eq!(shelf.pull(&[]), [3, 3, 0, 0]);
    let expected = serde_json::json!({ "name": { "en": "Sheet 2 & more", "fr": "Planche 2" }, "shelf": 2 });
    assert_eq!(shelf.fields("2"), expected);
}

#[test]
fn entries_inside_entries_with_ids_of_several_fields() {
    let read = r#"list = "/boxes"
items = "$.boxes[*]"
each = "$.content.folders[*]"
id = ["$.outer.code", "$.inner.label"]

[types.sheet.fields]
label = "text"
box = { kind = "text", at = "$.outer.code" }
keeper = { kind = "reference", to = "keeper", id = "$.sys.id" }"#;
    let shelf = KeyedStore::new("", read);
    assert_eq!(shelf.pull(&[]), [3, 3, 0, 0]);
    let expected = serde_json::json!({ "label": "mosses", "box": "B", "keeper": "archive/keeper/k-1" });
    assert_eq!(shelf.fields("B/mosses"), expected);
}

#[test]
fn one_entry_that_stands_alone() {
    let shelf = KeyedStore::new("", "list = \"/house-rules\"\nalone = \"house-rules\"");
    assert_eq!(shelf.pull(&[]), [1, 1, 0, 0]);
    assert_eq!(shelf.fields("house-rules")["title"], "House rules");
}

#[test]
fn only_what_changed_is_asked_for() {
    let read = format!(
        "list = \"/changes\"\n{PAGED}\nstate = \"$.gone\"\nstates = {{ true = \"gone\", false = \"live\" }}\nsince = {{ parameter = \"since\", at = \"$.changed\", overlap = \"1h\" }}"
    );
    let shelf = KeyedStore::new("", &read);
    assert_eq!(shelf.pull(&[]), [23, 23, 0, 0]);
    shelf.server.forget();
    assert_eq!(shelf.pull(&[]), [1, 0, 0, 0], "the overlap shows the newest again, and nothing is gone");
    assert!(shelf.server.asked()[0].path.contains("since=2026-05-23T08%3A00%3A00Z"), "{:?}", shelf.server.asked());
    shelf.archive.retitle(4, "Anew", "2026-06-01T00:00:00Z");
    shelf.archive.bury(5, "2026-06-02T00:00:00Z");
    let pulled = shelf.pull(&[]);
    assert_eq!((pulled[2], shelf.json(&["show", "archive/sheet/5"])["state"].as_str()), (2, Some("gone")));
    shelf.archive.delete(6);
    assert_eq!(shelf.pull(&[])[3], 0, "a listing of changes says nothing of what it lacks");
    assert_eq!(shelf.pull(&["--whole"])[3], 1, "a whole one does");
}

#[test]
fn what_the_source_lists_as_deleted_is_gone() {
    let read = format!(
        "list = \"/changes\"\n{PAGED}\nabsent = \"kept\"\n\n[types.sheet.read.deleted]\nlist = \"/deleted\"\nitems = \"$.deleted[*]\"\nid = \"$.sheet\""
    );
    let shelf = KeyedStore::new("", &read);
    shelf.pull(&[]);
    shelf.archive.delete(7);
    assert_eq!(shelf.pull(&[]), [22, 0, 0, 1]);
    assert_eq!(shelf.pull(&[]), [22, 0, 0, 0]);
}

#[test]
fn big_fields_are_fetched_for_what_changed_only() {
    let shelf = KeyedStore::new("", &format!("list = \"/briefly\"\n{PAGED}\ndetail = \"/sheets/{{id}}\""));
    assert_eq!(shelf.pull(&[]), [23, 23, 0, 0]);
    assert_eq!(shelf.fields("3")["title"], "Sheet 3");
    shelf.archive.retitle(3, "Anew", "2026-06-01T00:00:00Z");
    shelf.server.forget();
    assert_eq!(shelf.pull(&[]), [23, 0, 1, 0]);
    let details: Vec<String> =
        shelf.server.asked().into_iter().map(|asked| asked.path).filter(|path| path.starts_with("/sheets/")).collect();
    assert_eq!(details, ["/sheets/3"]);
}

#[test]
fn a_listing_that_was_broken_off_goes_on_where_it_was() {
    let paging = r#"paging = { style = "cursor", parameter = "mark", header = "x-mark" }"#;
    let shelf = KeyedStore::listing("/by-header", paging);
    shelf.server.fail(Rule { after: 3, times: Some(1), ..Rule::always(Fault::Status { status: 500 }) });
    let _ = shelf.run(&["pull"]).ends(3);
    shelf.server.forget();
    assert_eq!(shelf.pull(&[]), [8, 8, 0, 0], "the fifteen before it are not read again");
    assert_eq!(shelf.server.asked().len(), 2);
    assert_eq!(shelf.pull(&[]), [23, 0, 0, 0], "nothing was taken for gone");
}

#[test]
fn a_rate_is_kept() {
    let shelf = KeyedStore::listing("/by-page", r#"paging = { style = "page" }"#);
    let config = shelf.folder.path().join("diaporos.toml");
    let text = std::fs::read_to_string(&config).unwrap();
    std::fs::write(config, format!("{text}rate = \"10/s\"\n")).unwrap();
    let started = std::time::Instant::now();
    shelf.pull(&[]);
    // Six pages, the first at once.
    assert!(started.elapsed().as_millis() >= 500, "{:?}", started.elapsed());
}
