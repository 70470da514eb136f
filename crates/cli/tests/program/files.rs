//! Kind `files`: a folder as a source.

use serde_json::{Value as Json, json};
use tempfile::TempDir;

use crate::harness::{Ran, bare, ran};

/// A hub with one system, a folder of files.
struct Folder(TempDir);

impl Folder {
    fn new(profile: &str, files: &[(&str, &str)]) -> Folder {
        let folder = Folder(TempDir::new().unwrap());
        let config = "[systems.guide]\nkind = \"files\"\nfolder = \"guide\"\nprofile = \"profile.toml\"\n";
        std::fs::write(folder.0.path().join("diaporos.toml"), config).unwrap();
        std::fs::write(folder.0.path().join("profile.toml"), profile).unwrap();
        std::fs::create_dir(folder.0.path().join("guide")).unwrap();
        files.iter().for_each(|(name, text)| folder.write(name, text));
        folder
    }

    fn write(&self, name: &str, text: &str) {
        let file = self.0.path().join("guide").join(name);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, text).unwrap();
    }

    fn remove(&self, name: &str) {
        std::fs::remove_file(self.0.path().join("guide").join(name)).unwrap();
    }

    fn run(&self, args: &[&str]) -> Ran {
        ran(bare(args).current_dir(self.0.path()).output().unwrap())
    }

    fn json(&self, args: &[&str]) -> Json {
        serde_json::from_str(&self.run(&[args, &["--format", "json"]].concat()).stdout).unwrap()
    }

    /// Pulls and gives pulled, new, changed and gone.
    fn pull(&self) -> [u64; 4] {
        let counts = self.json(&["pull"]);
        ["pulled", "new", "changed", "gone"].map(|name| counts[name].as_u64().unwrap())
    }

    fn fields(&self, id: &str) -> Json {
        self.json(&["show", &format!("guide/page/{id}")])["fields"].clone()
    }
}

#[test]
fn markdown_in_languages_by_name() {
    let profile = "[types.page.read]\nfiles = \"**/*.md\"\nlanguage_in_name = \"en\"\nstate = \"$.state\"\nstate_missing = \"live\"\n\n\
                   [types.page.fields]\ntitle = { kind = \"text\", localised = true }\nbody = { kind = \"text\", localised = true }\norder = \"integer\"\n";
    let folder = Folder::new(
        profile,
        &[
            ("welcome.md", "---\ntitle: Welcome\norder: 1\n---\nCome in.\n"),
            ("welcome.fr.md", "---\ntitle: Bienvenue\n---\nEntrez.\n"),
            ("visit/map.md", "+++\ntitle = \"Map\"\nstate = \"draft\"\n+++\nPaths."),
        ],
    );
    assert_eq!(folder.pull(), [2, 2, 0, 0]);
    let expected = json!({
        "title": { "en": "Welcome", "fr": "Bienvenue" }, "order": 1, "body": { "en": "Come in.", "fr": "Entrez." }
    });
    assert_eq!(folder.fields("welcome"), expected);
    assert_eq!(folder.json(&["show", "guide/page/visit/map"])["state"], "draft");
    // Written again with the same content: another time, no change.
    folder.write("welcome.md", "---\ntitle: Welcome\norder: 1\n---\nCome in.\n");
    assert_eq!(folder.pull(), [2, 0, 0, 0]);
    folder.write("welcome.fr.md", "---\ntitle: Bienvenue !\n---\nEntrez.\n");
    assert_eq!(folder.pull(), [2, 0, 1, 0]);
    folder.remove("visit/map.md");
    assert_eq!(folder.pull()[3], 1);
}

#[test]
fn every_form_of_file() {
    for (pattern, name, text, more) in [
        (
            "*.json",
            "a.json",
            r#"{"pages": [{"id": 1, "title": "One"}, {"id": 2, "title": "Two"}]}"#,
            "items = \"$.pages[*]\"\n",
        ),
        ("*.jsonl", "a.jsonl", "{\"id\": 1, \"title\": \"One\"}\n{\"id\": 2, \"title\": \"Two\"}\n", ""),
        ("*.csv", "a.csv", "id;title\n1;One\n2;Two\n", ""),
        (
            "*.xml",
            "a.xml",
            "<ps><p><id>1</id><title>One</title></p><p><id>2</id><title>Two</title></p></ps>",
            "items = \"$.ps.p[*]\"\n",
        ),
    ] {
        let at = if name.ends_with("xml") { "$.id[0]['#text']" } else { "$.id" };
        let title = if name.ends_with("xml") { ", at = \"$.title[0]['#text']\"" } else { "" };
        let profile = format!(
            "[types.page.read]\nfiles = \"{pattern}\"\nid = \"{at}\"\n{more}\n[types.page.fields]\ntitle = {{ kind = \"text\"{title} }}\n"
        );
        let folder = Folder::new(&profile, &[(name, text)]);
        assert_eq!(folder.pull(), [2, 2, 0, 0], "{name}");
        assert_eq!(folder.fields("2"), json!({ "title": "Two" }), "{name}");
        assert_eq!(folder.pull(), [2, 0, 0, 0], "{name}");
    }
}

#[test]
fn a_large_file_is_read_piece_by_piece_and_a_broken_line_costs_itself() {
    let lines: String = (0..3_500)
        .map(|n| {
            if n == 2_000 {
                "{\"id\": broken}\n".to_owned()
            } else {
                format!("{{\"id\": {n}, \"title\": \"Page {n}\"}}\n")
            }
        })
        .collect();
    let folder = Folder::new("[types.page.read]\nfiles = \"*.jsonl\"\nid = \"$.id\"\n", &[("pages.jsonl", &lines)]);
    let told = folder.run(&["pull"]).ends(3);
    assert!(told.stderr.contains("pages.jsonl, line 2001") && told.stderr.contains("is not JSON"), "{}", told.stderr);
    assert_eq!(folder.fields("3499"), json!({ "id": 3499, "title": "Page 3499" }));
    folder.write("pages.jsonl", &lines.replace("broken", "2000"));
    assert_eq!(folder.pull(), [3_500, 1, 0, 0]);
}

#[test]
fn what_cannot_be_read_is_told_by_name() {
    let folder = Folder::new(
        "[types.page.read]\nfiles = \"*.*\"\n",
        &[("bad.json", "{\"a\": "), ("bad.md", "---\ntitle: x\n"), ("good.md", "Words."), ("picture.png", "x")],
    );
    let told = folder.run(&["pull"]).ends(3);
    insta::assert_snapshot!(told.stderr);
    let nothing = Folder::new("[types.page.read]\nfiles = \"*.md\"\n", &[]);
    std::fs::remove_dir(nothing.0.path().join("guide")).unwrap();
    assert!(nothing.run(&["pull"]).ends(1).stderr.contains("there is no such folder"));
}

#[cfg(unix)]
#[test]
fn nothing_outside_the_folder_is_read() {
    let folder = Folder::new("[types.page.read]\nfiles = \"*.md\"\n", &[("a.md", "In.")]);
    std::fs::write(folder.0.path().join("secret.md"), "Out.").unwrap();
    std::os::unix::fs::symlink(folder.0.path().join("secret.md"), folder.0.path().join("guide/link.md")).unwrap();
    assert_eq!(folder.pull(), [1, 1, 0, 0]);
    let escape = Folder::new("[types.page.read]\nfiles = \"../*.md\"\n", &[]);
    assert!(escape.run(&["check"]).ends(2).stdout.contains("a pattern stays in the system's folder"));
}

#[test]
fn news_items_from_a_file() {
    let folder = TempDir::new().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write("diaporos.toml", "[systems.wire]\nkind = \"ninjs\"\n[systems.wire.documents]\ntoday = \"today.json\"\n");
    write("today.json", r#"[{ "uri": "urn:ostrel:1", "headline": "Fern found" }, { "headline": "no uri" }]"#);
    let run = |args: &[&str]| ran(bare(args).current_dir(folder.path()).output().unwrap());
    let told = run(&["pull"]).ends(3);
    assert!(told.stderr.contains("item 2 has no `uri`"), "{}", told.stderr);
    assert!(run(&["show", "wire/item/urn:ostrel:1"]).ends(0).stdout.contains("Fern found"));
    write("today.json", r#"[{ "uri": "urn:ostrel:1", "headline": "Fern found" }]"#);
    assert!(run(&["pull"]).ends(0).stdout.contains("nothing changed"));
    write("today.json", "<html>");
    assert!(run(&["pull"]).ends(1).stderr.contains("looks like HTML"));
}

#[test]
fn a_counter_is_no_change() {
    let line = |views: u32, title: &str| format!("{{\"id\": 1, \"title\": \"{title}\", \"views\": {views}}}\n");
    let profile = "[types.page.read]\nfiles = \"*.jsonl\"\nid = \"$.id\"\nignore = [\"views\"]\n";
    let folder = Folder::new(profile, &[("pages.jsonl", &line(1, "One"))]);
    assert_eq!(folder.pull(), [1, 1, 0, 0]);
    folder.write("pages.jsonl", &line(2, "One"));
    assert_eq!(folder.pull(), [1, 0, 0, 0]);
    folder.write("pages.jsonl", &line(3, "Won"));
    assert_eq!(folder.pull(), [1, 0, 1, 0]);
    assert_eq!(folder.fields("1")["views"], 3, "it comes along with the next change");
}
