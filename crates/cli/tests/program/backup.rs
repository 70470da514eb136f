//! Copies of the store, made while it is used, and put back.

use std::os::unix::fs::PermissionsExt;

use crate::harness::Hub;

#[test]
fn a_copy_is_of_one_moment_and_goes_back_whole() {
    let hub = Hub::pushed();
    let pages = hub.live_pages().len();
    let told = hub.good(&["backup", "monday.db"]);
    assert!(told.contains("the copy was read through and is sound"), "{told}");
    let mode = std::fs::metadata(hub.path().join("monday.db")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o600, "for its owner alone");
    let again = hub.run(&["backup", "monday.db"]);
    assert!(again.code != Some(0) && again.stderr.contains("is there already"), "{}", again.stderr);

    // The store is lost, and everything is known again from the copy.
    let before = hub.good(&["status", "--format", "json"]);
    std::fs::remove_dir_all(hub.path().join(".diaporos")).unwrap();
    let told = hub.good(&["backup", "--restore", "monday.db"]);
    assert!(!told.contains("kept as"), "{told}");
    assert_eq!(hub.good(&["status", "--format", "json"]), before);
    assert_eq!(hub.json(&["push"])["requests"], 0, "nothing is sent again");
    hub.good(&["check", "--store"]);

    // What was done since the copy is found there again, and doubles nothing.
    hub.world.plants.edit("p-022", &serde_json::json!({ "curator": "c-1" }));
    hub.run(&["pull"]).ends(0);
    hub.run(&["push"]).ends(3);
    let told = hub.good(&["backup", "--restore", "monday.db"]);
    assert!(told.contains("what was there is kept as") && told.contains("store-before-"), "{told}");
    hub.run(&["pull"]).ends(0);
    hub.run(&["push"]).ends(3);
    hub.nothing_is_doubled();
    assert_eq!(hub.live_pages().len(), pages + 3, "a page in three languages came since, and once");
}

#[test]
fn a_copy_can_be_made_while_a_push_runs() {
    let hub = Hub::with_plants(300);
    hub.good(&["pull"]);
    let mut push = hub.start(&["push"]);
    let mut made = 0;
    while push.try_wait().unwrap().is_none() && made < 20 {
        hub.good(&["backup", &format!("copy-{made}.db")]);
        made += 1;
    }
    push.wait().unwrap();
    assert!(made > 0);
    for copy in 0..made {
        hub.good(&["backup", "--restore", &format!("copy-{copy}.db")]);
        hub.good(&["check", "--store"]);
    }
    // From the first copy on, the pages that the push made since are found and not made again.
    hub.good(&["backup", "--restore", "copy-0.db"]);
    hub.run(&["push"]).ends(3);
    hub.run(&["push"]).ends(3);
    hub.nothing_is_doubled();
}

#[test]
fn what_is_no_sound_copy_leaves_the_store_as_it_was() {
    let hub = Hub::pushed();
    hub.good(&["backup", "whole.db"]);
    let bytes = std::fs::read(hub.path().join("whole.db")).unwrap();
    std::fs::write(hub.path().join("cut.db"), &bytes[..bytes.len() / 2]).unwrap();
    std::fs::write(hub.path().join("words.db"), "not a store").unwrap();
    let before = hub.good(&["status", "--format", "json"]);
    for file in ["cut.db", "words.db", "nowhere.db"] {
        let refused = hub.run(&["backup", "--restore", file]);
        assert!(
            refused.code == Some(1) && refused.stderr.contains(file),
            "{file}: {}{}",
            refused.stdout,
            refused.stderr
        );
        assert!(refused.stderr.contains("the store is as it was"), "{}", refused.stderr);
        assert_eq!(hub.good(&["status", "--format", "json"]), before, "{file}");
    }
    assert_eq!(hub.json(&["push"])["requests"], 0);
}

#[test]
fn nothing_is_put_back_under_somebody_who_reads() {
    let hub = Hub::pushed();
    hub.good(&["backup", "whole.db"]);
    let reader = rusqlite::Connection::open(hub.path().join(".diaporos/store.db")).unwrap();
    let count = |reader: &rusqlite::Connection| -> i64 {
        reader.query_row("SELECT count(*) FROM entry", [], |row| row.get(0)).unwrap()
    };
    let entries = count(&reader);
    let refused = hub.run(&["backup", "--restore", "whole.db"]);
    assert!(
        refused.code == Some(1) && refused.stderr.contains("another command reads the store"),
        "{}",
        refused.stderr
    );
    assert_eq!(count(&reader), entries);
    drop(reader);
    hub.good(&["backup", "--restore", "whole.db"]);
    hub.good(&["check", "--store"]);
    assert_eq!(hub.json(&["push"])["requests"], 0);
}
