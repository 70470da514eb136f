//! A kind that the program does not have takes one file and one line: it is configured, checked and
//! pulled like any other.

#![expect(clippy::unwrap_used, reason = "a test ends where something is not as it should be")]

mod almanac;

use std::path::Path;

use diaporos_core::value::SystemName;
use diaporos_hub::config::{Loaded, load_with};
use diaporos_hub::pull::{PullOptions, PullSource, pull};
use diaporos_hub::{Connector, Silent};
use diaporos_store::{Store, StorePlace};
use diaporos_systems::{KINDS, Kind};
use jiff::Timestamp;

/// The kinds of the program, and the line that adds one.
fn kinds() -> Vec<&'static dyn Kind> {
    let mut kinds = KINDS.to_vec();
    kinds.push(&almanac::Almanac);
    kinds
}

fn loaded(folder: &Path, settings: &str) -> Loaded {
    let file = format!("[systems.sowing]\nkind = \"almanac\"\n{settings}\n");
    std::fs::write(folder.join("diaporos.toml"), file).unwrap();
    load_with(&kinds(), folder, &|_, _| Vec::new(), Timestamp::UNIX_EPOCH).unwrap()
}

#[tokio::test]
async fn it_is_pulled() {
    let folder = tempfile::tempdir().unwrap();
    let loaded = loaded(folder.path(), "days = 3");
    let config = loaded.config.unwrap_or_else(|| panic!("{:?}", loaded.reports));
    let (sowing, nothing) = (SystemName::new("sowing").unwrap(), |_: &str| None);
    let reader = Connector::new(&config, &nothing).reader(&sowing);
    let mut store = Store::open_for_change(&StorePlace::File(folder.path().join("store.db"))).unwrap();
    let clock = || Timestamp::UNIX_EPOCH;
    let rows =
        pull(&mut store, vec![PullSource { system: &sowing, reader }], PullOptions::default(), &clock, &mut Silent)
            .await
            .unwrap();
    assert_eq!((rows.len(), rows[0].tally.new, rows[0].complete), (1, 3, true), "{rows:?}");
    assert!(Connector::new(&config, &nothing).writer(&sowing).is_err(), "it is only read");
}

#[test]
fn its_settings_are_checked_like_any_others() {
    let folder = tempfile::tempdir().unwrap();
    for (settings, expected) in [
        ("days = 0", "`systems.sowing.days` must be a whole number of at least 1, not 0"),
        ("dayz = 3", "unknown key `dayz` in `systems.sowing`"),
        ("timeout = \"soon\"", "this is not a duration"),
    ] {
        let loaded = loaded(folder.path(), settings);
        let told: Vec<&str> =
            loaded.reports.iter().flat_map(|report| &report.findings).map(|finding| finding.message.as_str()).collect();
        assert_eq!(told, [expected]);
    }
}
