use diaporos_core::change::{fingerprint, fingerprint_texts};
use diaporos_core::intake::Incoming;
use diaporos_core::lane::TypeRef;
use diaporos_core::value::{EntryId, LaneName, Record, State, SystemName, TypeName, Value};
use jiff::Timestamp;

use super::*;

fn at(second: i64) -> Timestamp {
    Timestamp::from_second(1_790_000_000 + second).unwrap()
}

fn incoming(number: usize) -> Incoming {
    // Some are hard to carry: the character zero, a word without end, none at all.
    let name = match number % 5 {
        0 => format!("Fern\u{0}{number}"),
        1 => "x".repeat(5_000),
        2 => String::new(),
        _ => format!("Royal fern of {number} Écoles"),
    };
    let fields: Record = [("name".to_owned(), Value::from(name.as_str()))].into_iter().collect();
    Incoming {
        id: EntryId::new(format!("p-{number}")).unwrap(),
        part: None,
        state: State::Live,
        revision: None,
        fingerprint: fingerprint(&Value::Record(fields.clone())),
        fields,
        raw: Some("{}".to_owned()),
        notes: Vec::new(),
    }
}

fn filled_at(place: &StorePlace) {
    filled(&mut Store::open_for_change(place).unwrap());
}

/// Fills a store with entries, a lane and something in its ledger.
pub(super) fn filled(store: &mut Store) {
    let (system, kind) = (SystemName::new("catalogue").unwrap(), TypeName::new("plant").unwrap());
    let end = |system: &str| TypeRef { system: SystemName::new(system).unwrap(), kind: kind.clone() };
    let lane = LaneName::new("pages").unwrap();
    let (from, to) = (end("catalogue"), end("site"));
    let definition = fingerprint_texts(["a"]);
    let record = LaneRecord { name: &lane, from: &from, to: &to, key: Some("slug"), definition };
    store.register_lanes(&[record], at(0)).unwrap();
    for page in 0..5 {
        let entries: Vec<Incoming> = (page * 100..(page + 1) * 100).map(incoming).collect();
        let moments = Moments { asked: at(1), taken: at(1) };
        store.take_in((&system, &kind), &entries, None, &mut Seen::default(), moments).unwrap();
    }
    store.register_tells(&["chat"], at(2)).unwrap();
    let run = store.begin_run("push", "ada \"at\" desk\\1", at(2)).unwrap();
    let intents: Vec<IntentRecord> = (1..=50)
        .map(|entry| IntentRecord {
            entry,
            language: None,
            action: Action::Create,
            request: "POST http://site.example/pages\u{1}\t\u{7f}é".to_owned(),
            id_there: None,
            base: None,
            fingerprint: fingerprint_texts(["x"]),
            fields: [("slug".to_owned(), Value::from("a\u{0}b"))].into_iter().collect(),
            item: None,
            was: None,
        })
        .collect();
    let open = store.intend(run, &lane, &intents, at(3)).unwrap();
    let outcome = |open| {
        (
            open,
            Outcome {
                result: OutcomeResult::Refused,
                status: Some(422),
                message: Some("no".to_owned()),
                delivered: None,
            },
        )
    };
    store.conclude(&lane, open.into_iter().take(30).map(outcome).collect(), &[], at(4)).unwrap();
    store.prune_ledger(at(0), "ada", at(5)).unwrap();
    store.end_run(run, "{}", at(6)).unwrap();
}

fn found(store: &Store, words: &str) -> usize {
    let mut found = 0;
    let search = WordSearch { words: words.to_owned(), last_may_go_on: true };
    let filter = EntryFilter { text: Some(search), ..EntryFilter::default() };
    store
        .entries::<StoreError>(&filter, |_| {
            found += 1;
            Ok(std::ops::ControlFlow::Continue(()))
        })
        .unwrap();
    found
}

/// From a file to a server and back: nothing is another, and a ledger that was chained here holds there.
#[test]
fn a_store_is_moved_to_a_server_and_back() {
    let folder = tempfile::tempdir().unwrap();
    let (here, back) = (StorePlace::File(folder.path().join("a.db")), StorePlace::File(folder.path().join("b.db")));
    let there = place_of_a_test("on_a_server", folder.path());
    filled_at(&here);
    let moved = Store::move_to(&here, &there, &mut |_| {}).unwrap();
    let returned = Store::move_to(&there, &back, &mut |_| {}).unwrap();
    assert_eq!(moved, returned);
    for place in [&here, &there, &back] {
        let store = Store::open(place).unwrap();
        let state = store.verify_ledger().unwrap();
        assert_eq!((state.faults, state.good), (Vec::<String>::new(), 80), "{place}");
        assert_eq!(found(&store, "royal ecol"), 200, "{place}: small letters and accents are no difference");
        assert_eq!(found(&store, "p 17"), 11, "{place}: it, and those that it begins");
        assert_eq!(store.count_in_doubt(&LaneName::new("pages").unwrap()).unwrap(), 20);
    }
    // What is written then is numbered on.
    for place in [&there, &back] {
        let mut store = Store::open_for_change(place).unwrap();
        assert_eq!(store.begin_run("push", "ada", at(9)).unwrap(), 2);
    }
    let again = Store::move_to(&here, &there, &mut |_| {});
    assert!(matches!(again, Err(StoreError::NotEmpty(_))), "what is there is not written over: {again:?}");
}

/// A move that was broken off goes on, and till then nobody takes the new store for whole.
#[test]
fn a_move_that_was_broken_off_goes_on() {
    let folder = tempfile::tempdir().unwrap();
    let here = StorePlace::File(folder.path().join("a.db"));
    let there = place_of_a_test("on_a_server", folder.path());
    filled_at(&here);
    {
        let (from, mut to) = (Store::open(&here).unwrap(), Store::open_to_fill(&there).unwrap());
        moving::begin(&from, &mut to).unwrap();
        moving::copy_some(&from, &mut to, 5).unwrap();
    }
    assert!(matches!(Store::open(&there), Err(StoreError::NotMoved(_))));
    assert!(matches!(Store::open_for_change(&there), Err(StoreError::NotMoved(_))));
    let moved = Store::move_to(&here, &there, &mut |_| {}).unwrap();
    let entries = moved.iter().find(|one| one.table == "entry").unwrap();
    assert_eq!(entries.rows, 500);
    assert!(Store::open(&there).is_ok());
}

/// A copy of a store on a server is a file that any machine can put back, there or here.
#[test]
fn a_store_on_a_server_is_backed_up_and_put_back() {
    let folder = tempfile::tempdir().unwrap();
    let there = place_of_a_test("on_a_server", folder.path());
    filled_at(&there);
    let copy = folder.path().join("copy.db");
    let copied = Store::open(&there).unwrap().back_up(&copy).unwrap();
    assert_eq!(copied.entries, 500);
    let mut store = Store::open_for_change(&there).unwrap();
    store.begin_run("push", "ada", at(9)).unwrap();
    drop(store);
    let (restored, kept) = Store::restore(&there, &copy, "before").unwrap();
    assert_eq!((restored.entries, kept.is_some_and(|kept| kept.exists())), (500, true));
    assert!(!Store::open(&there).unwrap().has_run_numbered(2).unwrap(), "it is as it was");
    let here = StorePlace::File(folder.path().join("here.db"));
    Store::restore(&here, &copy, "before").unwrap();
    assert_eq!(found(&Store::open(&here).unwrap(), "royal"), 200);
}

/// Both databases have the same columns in the same order.
#[test]
fn both_databases_are_made_alike() {
    let folder = tempfile::tempdir().unwrap();
    let here = Store::open(&StorePlace::File(folder.path().join("a.db"))).unwrap();
    let there = Store::open(&place_of_a_test("on_a_server", folder.path())).unwrap();
    let named = moving::all_columns(&here).unwrap();
    assert_eq!(named, moving::all_columns(&there).unwrap());
    // No table is left out of a move, but for those that are made anew or belong to this place.
    let own = ["migration", "lease", "delivery_count", "chain_head"];
    let tables: Vec<String> = here
        .connection
        .prepare_cached("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%' AND name NOT LIKE 'entry_text%'")
        .unwrap()
        .query_all(database::params![], |row| row.get(0))
        .unwrap();
    let left: Vec<&String> =
        tables.iter().filter(|table| !own.contains(&table.as_str()) && !named.contains_key(*table)).collect();
    assert!(left.is_empty(), "{left:?}");
}
