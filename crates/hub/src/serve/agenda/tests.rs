use diaporos_core::value::{LaneName, SystemName};

use super::*;

const HUB: &str = r#"
[systems.catalogue]
kind = "rest"
url = "https://c.example"
profile = "c.toml"
every = "5m"

[systems.bulletins]
kind = "feed"
at = ["06:30", "18:00"]
zone = "Europe/London"
feeds = { garden = "https://f.example/feed.xml" }

[systems.archive]
kind = "feed"
feeds = { old = "https://f.example/old.xml" }

[systems.site]
kind = "rest"
url = "https://s.example"
profile = "s.toml"

[lanes.pages]
match = "slug"
gone = "keep"
from = "catalogue/plant"
to = "site/page"
fields = { slug = 'entry.id | slug' }

[lanes.news]
match = "slug"
gone = "keep"
language = "en"
from = "bulletins/item"
to = "site/page"
pushed = "by-hand"
fields = { slug = 'entry.id | slug' }

[lanes.nightly]
match = "slug"
gone = "keep"
from = "catalogue/plant"
to = "site/page"
cron = "0 3 * * *"
by_hand = "refused"
fields = { slug = 'entry.id | slug' }
"#;

const READ: &str = "[types.plant.read]\nlist = \"/p\"\nitems = \"$[*]\"\nid = \"$.id\"\n";
const WRITE: &str = "[types.page.write]\nfind = \"GET /p?slug={key}\"\nfound = \"$[*]\"\ncreate = \"POST /p\"\nupdate = \"PUT /p/{id}\"\nread = \"GET /p/{id}\"\nid = \"$.id\"\ndelete = \"DELETE /p/{id}\"\n";

fn config() -> Config {
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in [("diaporos.toml", HUB), ("c.toml", READ), ("s.toml", WRITE)] {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    let loaded = crate::config::load(folder.path(), &|_, _| Vec::new(), Timestamp::UNIX_EPOCH).unwrap();
    loaded.config.unwrap_or_else(|| panic!("{:#?}", loaded.reports))
}

fn at(text: &str) -> Timestamp {
    format!("2026-11-29T{text}Z").parse().unwrap()
}

fn done(began: &str, ended: &str, failures: u32) -> WorkRow {
    WorkRow { began: at(began), ended: at(ended), problem: None, well: None, failures, asks: false }
}

fn system(name: &str) -> Leased {
    Leased::System(SystemName::new(name).unwrap())
}

fn lane(name: &str) -> Leased {
    Leased::Lane(LaneName::new(name).unwrap())
}

/// The facts of a hub of which each lane was pushed once, and owes or keeps so many entries.
fn facts(owed: u64, waiting: u64) -> Facts {
    let lanes = ["pages", "news", "nightly"]
        .map(|name| (LaneName::new(name).unwrap(), LaneFacts { owed, waiting, has_run: true }));
    Facts { lanes: lanes.into(), started: at("12:00:00"), ..Facts::default() }
}

fn when(facts: &Facts, what: &Leased) -> When {
    agenda(&config(), facts).into_iter().find(|planned| planned.what == *what).unwrap().when
}

fn moment(facts: &Facts, what: &Leased) -> (Timestamp, Why) {
    match when(facts, what) {
        When::At { moment, why } => (moment, why),
        other => panic!("{other:?}"),
    }
}

#[test]
fn systems_are_pulled_at_their_times() {
    let mut known = facts(0, 0);
    assert!(moment(&known, &system("catalogue")).0.duration_since(at("12:00:00")) < SignedDuration::from_secs(3));
    let (evening, _) = moment(&known, &system("bulletins"));
    assert!(evening >= at("18:00:00") && evening < at("18:00:31"));
    assert_eq!(when(&known, &system("archive")), When::NoTimes);
    known.work.insert("system catalogue".to_owned(), done("12:03:00", "12:03:20", 0));
    assert_eq!(moment(&known, &system("catalogue")), (at("12:08:00"), Why::Times));
}

#[test]
fn a_pull_that_failed_at_a_time_of_the_day_is_not_left_till_the_next() {
    let mut known = facts(0, 0);
    for (failures, again) in [(1, "06:32:00"), (2, "06:33:00"), (3, "06:35:00"), (9, "07:01:00")] {
        known.work.insert("system bulletins".to_owned(), done("06:30:10", "06:31:00", failures));
        assert_eq!(moment(&known, &system("bulletins")), (at(again), Why::Again), "{failures}");
    }
}

#[test]
fn a_lane_is_pushed_when_it_owes_something() {
    let mut known = facts(2, 0);
    assert_eq!(moment(&known, &lane("pages")), (at("12:00:00"), Why::Owed));
    known.work.insert("lane pages".to_owned(), done("12:10:00", "12:10:05", 0));
    assert_eq!(moment(&known, &lane("pages")), (at("12:10:05.05"), Why::Owed));
    for (failures, again) in [(1, "12:10:06"), (4, "12:10:13"), (30, "12:15:05")] {
        known.work.insert("lane pages".to_owned(), done("12:10:00", "12:10:05", failures));
        assert_eq!(moment(&known, &lane("pages")), (at(again), Why::Again), "{failures}");
    }
    assert_eq!(when(&known, &lane("news")), When::ByHand);
    assert!(matches!(when(&known, &lane("nightly")), When::At { why: Why::Times, .. }), "only at its time");
}

#[test]
fn what_is_held_is_looked_at_again_with_each_pull() {
    let mut known = facts(0, 3);
    assert_eq!(when(&known, &lane("pages")), When::AfterPull);
    known.work.insert("lane pages".to_owned(), done("12:10:00", "12:10:05", 0));
    known.work.insert("system catalogue".to_owned(), done("12:11:00", "12:11:20", 0));
    assert_eq!(moment(&known, &lane("pages")), (at("12:11:20"), Why::Pulled));
    known.work.insert("lane pages".to_owned(), done("12:11:21", "12:11:30", 0));
    assert_eq!(when(&known, &lane("pages")), When::AfterPull);
}

#[test]
fn a_first_load_waits_for_a_person() {
    let mut known = facts(100, 0);
    known.lanes.values_mut().for_each(|lane| lane.has_run = false);
    assert_eq!(when(&known, &lane("pages")), When::FirstLoad);
    assert_eq!(when(&known, &lane("nightly")), When::FirstLoad);
}

#[test]
fn what_is_paused_waits() {
    let pause = Pause { who: "Ada".into(), why: "the site moves".into(), since: at("11:00:00"), until: None };
    let mut known = facts(2, 0);
    known.pauses.insert("lane pages".to_owned(), pause.clone());
    assert_eq!(when(&known, &lane("pages")), When::Paused(pause.clone()));
    assert!(matches!(when(&known, &system("catalogue")), When::At { .. }));
    known.pauses.insert("all".to_owned(), pause.clone());
    assert_eq!(when(&known, &system("catalogue")), When::Paused(pause));
}
