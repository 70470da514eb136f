//! Destinations that misbehave: nothing is believed that an answer does not show, nothing is written over
//! that was not ours, and nothing is doubled.

use diaporos_demo::{Noticeboard, StandIn, Whim};
use serde_json::{Value as Json, json};
use tempfile::TempDir;
use tokio::runtime::Runtime;

use crate::harness::{Ran, bare, ran};

const PROFILE: &str = r#"
[types.notice.fields]
key   = "text"
title = "text"
tags  = { kind = "text", many = true }

[types.notice.write]
find     = "GET /notices?key={key}"
found    = "$.notices[*]"
read     = "GET /notices/{id}"
create   = "POST /notices"
update   = "PATCH /notices/{id}"
delete   = "DELETE /notices/{id}"
id       = "$.id"
revision = "etag"
if_match = "{revision}"
"#;

const PLANTS: &str = "[types.plant.read]\nfiles = \"plants/*.json\"\n[types.plant.fields]\nkey = \"text\"\ntitle = \"text\"\ntags = { kind = \"text\", many = true }\n";

/// A hub that puts the notices of a folder on the board.
struct Desk {
    folder: TempDir,
    server: StandIn,
    board: Noticeboard,
    _runtime: Runtime,
}

impl Desk {
    fn new(lane: &str) -> Desk {
        let runtime = Runtime::new().unwrap();
        let (server, board) = runtime.block_on(diaporos_demo::start_noticeboard()).unwrap();
        let folder = TempDir::new().unwrap();
        std::fs::create_dir(folder.path().join("plants")).unwrap();
        let desk = Desk { folder, server, board, _runtime: runtime };
        desk.write("plants.toml", PLANTS);
        desk.write("board.toml", PROFILE);
        desk.configure(&desk.server.url(), lane);
        desk
    }

    fn configure(&self, url: &str, lane: &str) {
        self.write(
            "diaporos.toml",
            &format!(
                "[systems.garden]\nkind = \"files\"\nfolder = \".\"\nprofile = \"plants.toml\"\n\
                 [systems.board]\nkind = \"rest\"\nurl = \"{url}\"\nprofile = \"board.toml\"\nretries = 0\nsettles_within = \"700ms\"\nwrite = {{ bearer = \"env:BOARD_TOKEN\" }}\n\
                 [lanes.notices]\nfrom = \"garden/plant\"\nto = \"board/notice\"\nmatch = \"key\"\ngone = \"delete\"\n{lane}\n\
                 [lanes.notices.fields]\nkey = 'key'\ntitle = 'title'\ntags = 'tags'\n"
            ),
        );
    }

    fn write(&self, name: &str, text: &str) {
        std::fs::write(self.folder.path().join(name), text).unwrap();
    }

    fn plant(&self, number: u32, title: &str) {
        let plant = json!({ "key": format!("fern-{number}"), "title": title, "tags": ["b", "a"] });
        self.write(&format!("plants/{number:03}.json"), &plant.to_string());
    }

    /// A desk with so many plants, pulled.
    fn with_plants(lane: &str, count: u32) -> Desk {
        let desk = Desk::new(lane);
        (1..=count).for_each(|number| desk.plant(number, &format!("Fern & moss {number} ")));
        desk.pull();
        desk
    }

    fn run(&self, args: &[&str]) -> Ran {
        let mut command = bare(args);
        command.current_dir(self.folder.path()).env("BOARD_TOKEN", "hush-token-77");
        ran(command.output().unwrap())
    }

    fn pull(&self) {
        let _ = self.run(&["pull"]).ends(0);
    }

    fn push(&self, args: &[&str]) -> Json {
        let ran = self.run(&[&["push", "--format", "json"], args].concat());
        serde_json::from_str(&ran.stdout).unwrap_or_else(|error| panic!("{error} {}{}", ran.stdout, ran.stderr))
    }

    /// What a push did: created, updated, adopted, held, failed.
    fn counts(&self, args: &[&str]) -> [u64; 5] {
        let pushed = self.push(args);
        ["created", "updated", "adopted", "held", "failed"].map(|name| pushed[name].as_u64().unwrap())
    }

    fn writes(&self) -> usize {
        self.server.asked().iter().filter(|asked| asked.method != "GET").count()
    }

    fn keys(&self) -> Vec<String> {
        let mut keys: Vec<String> =
            self.board.notices().iter().map(|notice| notice["key"].as_str().unwrap_or_default().to_owned()).collect();
        keys.sort();
        keys
    }

    /// Insists that every plant has its notice, once, and that a further push sends nothing.
    fn all_is_well(&self, count: u32) {
        let keys = self.keys();
        let mut expected: Vec<String> = (1..=count).map(|number| format!("fern-{number}")).collect();
        expected.sort();
        assert_eq!(keys, expected);
        let before = self.writes();
        assert_eq!(self.counts(&[]), [0, 0, 0, 0, 0]);
        assert_eq!(self.writes(), before, "a further push sends nothing");
    }
}

/// One home page, and a search that gives it for whatever it is asked by.
#[test]
fn a_search_that_ignores_its_parameter_adopts_nothing() {
    let desk = Desk::with_plants("on_adopt = \"ours\"", 12);
    let home = desk.board.put_up(&json!({ "key": "home", "title": "Welcome" }));
    desk.board.misbehave(&[Whim::IgnoresSearch]);
    assert_eq!(desk.counts(&["--allow-adoptions", "100"]), [0, 0, 0, 12, 0]);
    assert_eq!((desk.writes(), desk.board.notices()[0]["title"].as_str()), (0, Some("Welcome")));
    let holds = desk.run(&["holds"]).ends(0).stdout;
    assert!(holds.contains("found-other") && holds.contains(&format!("gives `{home}`")), "{holds}");
    desk.board.misbehave(&[]);
    assert_eq!(desk.counts(&[]), [12, 0, 0, 0, 0]);
}

#[test]
fn what_was_there_is_merged_and_many_are_asked_about() {
    let desk = Desk::with_plants("", 14);
    let there: Vec<u64> = (1..=14)
        .map(|number| {
            let title = if number == 3 { "Ours by hand".to_owned() } else { format!("Fern & moss {number} ") };
            desk.board.put_up(&json!({ "key": format!("fern-{number}"), "title": title, "banner": "x" }))
        })
        .collect();
    let asked = desk.run(&["push"]).ends(3);
    assert!(asked.stderr.contains("--allow-adoptions 13"), "{}", asked.stderr);
    assert_eq!(desk.writes(), 0);
    // What they lack is filled in; what differs is theirs until somebody says otherwise.
    assert_eq!(desk.counts(&["--allow-adoptions", "20"]), [0, 0, 13, 1, 0]);
    let third = || desk.board.notices().into_iter().find(|notice| notice["id"] == there[2]).unwrap();
    assert_eq!((third()["title"].as_str(), third()["tags"].is_null()), (Some("Ours by hand"), true));
    let holds = desk.run(&["holds"]).ends(0).stdout;
    assert!(holds.contains("was there before us with this key, and differs: title"), "{holds}");
    // The entry changes at its source: it is still not ours to write over.
    desk.plant(3, "Fern & moss anew");
    desk.pull();
    assert_eq!(desk.counts(&[])[3], 1);
    assert_eq!(third()["title"], "Ours by hand");
    // What was never decided about is not ours to remove either.
    let shown = desk.run(&["show", "garden/plant/plants/003", "--three-way"]).ends(0).stdout;
    assert!(shown.contains("Ours by hand") && shown.contains("undecided"), "{shown}");
    let _ = desk.run(&["resolve", "garden/plant/plants/003", "--take", "ours"]).ends(0);
    assert_eq!(desk.counts(&[])[1], 1);
    assert_eq!((third()["title"].as_str(), third()["banner"].as_str()), (Some("Fern & moss anew"), Some("x")));
    desk.all_is_well(14);
}

#[test]
fn a_document_that_was_never_decided_about_is_not_removed() {
    let desk = Desk::with_plants("", 2);
    desk.board.put_up(&json!({ "key": "fern-1", "title": "By hand" }));
    assert_eq!(desk.counts(&[])[3], 1);
    std::fs::remove_file(desk.folder.path().join("plants/001.json")).unwrap();
    desk.pull();
    desk.push(&[]);
    assert_eq!(desk.keys(), ["fern-1", "fern-2"]);
}

#[test]
fn an_answer_counts_only_if_it_shows_the_work_done() {
    for whim in [Whim::EmptyAnswer, Whim::EmptyObject, Whim::Promises, Whim::BadGateway, Whim::SaysNothing] {
        let desk = Desk::with_plants("", 6);
        desk.board.misbehave(std::slice::from_ref(&whim));
        desk.push(&[]);
        desk.push(&[]);
        desk.all_is_well(6);
        desk.plant(2, "Changed");
        desk.pull();
        desk.push(&[]);
        let second = desk.board.notices().into_iter().find(|notice| notice["key"] == "fern-2").unwrap();
        assert_eq!(second["title"], "Changed", "{whim:?}");
        desk.all_is_well(6);
    }
}

/// Nothing was done, and 200 was answered.
#[test]
fn a_login_page_is_no_delivery() {
    let desk = Desk::with_plants("", 4);
    desk.board.misbehave(&[Whim::LogInPage]);
    let pushed = desk.run(&["push"]).ends(3);
    assert!(pushed.stdout.contains("that does not show that it was done"), "{}", pushed.stdout);
    desk.board.misbehave(&[]);
    desk.push(&[]);
    desk.all_is_well(4);
    // The same for a change: it is sent again, and is nobody else's edit.
    desk.plant(2, "Changed");
    desk.pull();
    desk.board.misbehave(&[Whim::LogInPage]);
    desk.push(&[]);
    desk.board.misbehave(&[]);
    desk.push(&[]);
    assert!(desk.board.notices().iter().any(|notice| notice["title"] == "Changed"));
    desk.all_is_well(4);
}

/// A look-up that sees a new notice late, and no good answer to any write.
#[test]
fn look_ups_that_lag_double_nothing() {
    let desk = Desk::with_plants("", 20);
    desk.board.misbehave(&[Whim::SearchLags(300), Whim::BadGateway]);
    let pushed = desk.push(&[]);
    assert_eq!(pushed["failed"], 0, "it settles within the time that is given: {pushed}");
    assert_eq!(desk.board.notices().len(), 20);
    desk.board.misbehave(&[]);
    desk.all_is_well(20);

    // Later than that it is in doubt, and the next push waits till it can be told.
    let late = Desk::with_plants("", 6);
    late.board.misbehave(&[Whim::SearchLags(1_500), Whim::BadGateway]);
    assert_eq!(late.counts(&[])[4], 6);
    std::thread::sleep(std::time::Duration::from_millis(900));
    late.board.misbehave(&[]);
    late.push(&[]);
    late.all_is_well(6);
}

#[test]
fn a_board_that_gives_keys_of_its_own_is_told_of_and_doubles_nothing() {
    let desk = Desk::with_plants("", 3);
    desk.board.misbehave(&[Whim::Renumbers]);
    let pushed = desk.run(&["push"]).ends(0).stdout;
    assert!(pushed.contains("the destination made `fern-") && pushed.contains("of its key `fern-"), "{pushed}");
    assert_eq!(desk.counts(&[]), [0, 0, 0, 0, 0]);
    desk.plant(4, "A fourth");
    desk.pull();
    desk.board.misbehave(&[Whim::Renumbers, Whim::BadGateway]);
    desk.push(&[]);
    desk.board.misbehave(&[Whim::Renumbers]);
    for _ in 0..2 {
        let pushed = desk.run(&["push"]).ends(3).stdout;
        assert!(pushed.contains("this destination gives documents keys of its own"), "{pushed}");
    }
    assert_eq!(desk.board.notices().len(), 4, "nobody can tell whether the fourth is there");
}

#[test]
fn what_is_there_is_guarded_whatever_the_board_thinks_of_versions() {
    for whims in [
        vec![Whim::DemandsIfMatch],
        vec![Whim::WeakTags],
        vec![Whim::WeakTags, Whim::DemandsIfMatch],
        vec![Whim::IgnoresIfMatch, Whim::WeakTags],
    ] {
        let desk = Desk::with_plants("on_adopt = \"ours\"", 3);
        let there = desk.board.put_up(&json!({ "key": "fern-1", "title": "Old" }));
        desk.board.misbehave(&whims);
        assert_eq!(desk.counts(&[]), [2, 0, 1, 0, 0], "{whims:?}");
        desk.plant(1, "Second");
        desk.pull();
        assert_eq!(desk.counts(&[])[1], 1, "{whims:?}");
        // Somebody edits it meanwhile: held, and not written over.
        desk.board.edit(there, &json!({ "title": "By hand" }));
        desk.plant(1, "Third");
        desk.pull();
        if whims.contains(&Whim::IgnoresIfMatch) {
            continue;
        }
        assert_eq!(desk.counts(&[])[3], 1, "{whims:?}");
        assert!(desk.board.notices().iter().any(|notice| notice["title"] == "By hand"), "{whims:?}");
    }
}

/// What the board makes of what it gets is ours in its form, and nobody's edit.
#[test]
fn a_board_that_respells_holds_nothing() {
    for whims in [vec![Whim::Respells], vec![Whim::Respells, Whim::SaysNothing]] {
        let desk = Desk::with_plants("", 8);
        desk.board.misbehave(&whims);
        assert_eq!(desk.counts(&[])[0], 8);
        assert_eq!(desk.counts(&["--verify"]), [0, 0, 0, 0, 0], "{whims:?}");
        (1..=8).for_each(|number| desk.plant(number, &format!("Fern & moss anew {number} ")));
        desk.pull();
        assert_eq!(desk.counts(&[])[1], 8, "{whims:?}");
        assert_eq!(desk.counts(&["--verify"]), [0, 0, 0, 0, 0], "{whims:?}");
        let told = desk.run(&["explain", "garden/plant/plants/002"]).ends(0).stdout;
        assert!(told.contains("kept there in a form of its own: tags, title"), "{told}");
        // An edit is seen all the same.
        desk.board.edit(2, &json!({ "title": "By hand" }));
        let verified = desk.push(&["--verify"]);
        assert!(verified.to_string().contains("changed there by somebody else, and stays: title"), "{verified}");
    }
}

/// One document that may not be changed is that document's, whoever comes after it.
#[test]
fn one_protected_notice_stops_no_other() {
    let desk = Desk::with_plants("", 60);
    desk.push(&[]);
    desk.board.misbehave(&[Whim::Protects("fern-1".to_owned())]);
    (1..=60).for_each(|number| desk.plant(number, &format!("Anew {number}")));
    desk.pull();
    assert_eq!(desk.counts(&[]), [0, 59, 0, 1, 0]);
    assert!(desk.run(&["holds"]).ends(0).stdout.contains("this notice is protected"));
}

/// The same name, another address: staging, and then production.
#[test]
fn another_place_under_the_same_name_is_asked_about() {
    let staging = Desk::with_plants("", 6);
    staging.push(&[]);
    let production = Desk::new("");
    for number in 1..=6 {
        production.board.put_up(&json!({ "key": format!("page-{number}"), "title": "Somebody else's" }));
    }
    staging.configure(&production.server.url(), "");
    staging.plant(1, "Changed");
    staging.pull();
    let told = staging.run(&["push"]).ends(1);
    assert!(told.stderr.contains("of 5 documents that were delivered, 0 are there as they were"), "{}", told.stderr);
    assert!(told.stderr.contains("diaporos lane moved board --same"), "{}", told.stderr);
    assert_eq!(production.writes(), 0);
    let _ = staging.run(&["lane", "moved", "board", "--other"]).ends(0);
    assert_eq!(staging.counts(&[]), [6, 0, 0, 0, 0]);
    assert_eq!(production.board.notices().len(), 12);
    // Where what was delivered is there, the system has moved and is the same.
    let moved = Desk::with_plants("", 3);
    moved.push(&[]);
    moved.configure(&format!("{}/", moved.server.url().replace("127.0.0.1", "localhost")), "");
    assert_eq!(moved.counts(&[]), [0, 0, 0, 0, 0]);
}

/// A request that the network delivers once more, long after.
#[test]
fn a_late_duplicate_is_known_as_ours_of_before() {
    let desk = Desk::with_plants("", 2);
    desk.push(&[]);
    let fern = || desk.board.notices().into_iter().find(|notice| notice["key"] == "fern-1").unwrap();
    let first = fern();
    for title in ["Second", "Third"] {
        desk.plant(1, title);
        desk.pull();
        desk.push(&[]);
    }
    let old = json!({ "title": first["title"], "tags": first["tags"], "key": first["key"] });
    desk.board.edit(first["id"].as_u64().unwrap(), &old);
    assert_eq!(desk.counts(&["--verify"]), [0, 1, 0, 0, 0]);
    assert_eq!(fern()["title"], "Third");
    desk.board.edit(first["id"].as_u64().unwrap(), &json!({ "title": "Somebody else's" }));
    assert_eq!(desk.counts(&["--verify"])[1], 0, "an edit is an edit");
}

/// What a person accepted stays accepted when the lane is called otherwise.
#[test]
fn a_lane_that_is_renamed_keeps_what_it_knows() {
    let edited = |desk: &Desk| {
        desk.push(&[]);
        desk.board.edit(1, &json!({ "title": "By hand" }));
        desk.push(&["--verify"]);
    };
    let renamed = |desk: &Desk| {
        let config = std::fs::read_to_string(desk.folder.path().join("diaporos.toml")).unwrap();
        desk.write("diaporos.toml", &config.replace("lanes.notices", "lanes.posters"));
    };
    let desk = Desk::with_plants("", 3);
    edited(&desk);
    renamed(&desk);
    let told = desk.run(&["status"]).ends(0).stderr;
    assert!(
        told.contains("the lane `notices` is no longer configured, and left 3 documents at board/notice"),
        "{told}"
    );
    let _ = desk.run(&["lane", "rename", "notices", "posters"]).ends(0);
    assert_eq!(desk.counts(&["--verify"]), [0, 0, 0, 0, 0]);
    assert_eq!(desk.board.notices()[0]["title"], "By hand");
    assert!(!desk.run(&["status"]).ends(0).stderr.contains("no longer configured"));

    // Without being told, the new lane goes on from what the old one knew.
    let untold = Desk::with_plants("", 3);
    edited(&untold);
    renamed(&untold);
    assert_eq!(untold.counts(&[])[..3], [0, 0, 0]);
    assert_eq!(untold.board.notices()[0]["title"], "By hand");

    // A lane that is taken out leaves its documents, and they can be taken off.
    let gone = Desk::with_plants("", 3);
    edited(&gone);
    let config = std::fs::read_to_string(gone.folder.path().join("diaporos.toml")).unwrap();
    gone.write("diaporos.toml", config.split("[lanes.notices]").next().unwrap());
    assert!(gone.run(&["lane", "left"]).ends(0).stdout.contains("notices"));
    let _ = gone.run(&["lane", "forget", "notices"]).ends(0);
    assert!(gone.run(&["lane", "left"]).ends(0).stdout.contains("no lane left documents behind"));
    assert_eq!(gone.board.notices().len(), 3);
}

/// A store that was lost: what is there is adopted where it is ours, and asked about where it is not.
#[test]
fn a_lost_store_writes_over_nothing() {
    let desk = Desk::with_plants("", 5);
    desk.push(&[]);
    desk.board.edit(2, &json!({ "title": "By hand" }));
    std::fs::remove_dir_all(desk.folder.path().join(".diaporos")).unwrap();
    desk.pull();
    let before = desk.writes();
    assert_eq!(desk.counts(&[]), [0, 0, 4, 1, 0]);
    assert_eq!(desk.writes(), before);
    assert_eq!(desk.board.notices()[1]["title"], "By hand");
}

/// A server that gives weak tags only is told of, and so is how it keeps what it was sent.
#[test]
fn how_a_board_keeps_what_it_was_sent_is_told() {
    let desk = Desk::with_plants("", 3);
    desk.board.misbehave(&[Whim::Respells]);
    desk.push(&[]);
    let told = desk.run(&["probe", "board", "--write-check"]).ends(0).stdout;
    assert!(told.contains("`title` is kept in a form of its own in 3 documents"), "{told}");
    assert!(told.contains("3 documents are kept as they were written, or as is known"), "{told}");
    desk.board.edit(2, &json!({ "title": "By hand" }));
    let told = desk.run(&["probe", "board", "--write-check"]).ends(0).stdout;
    assert!(told.contains("title was sent as") && told.contains("By hand"), "{told}");
}
