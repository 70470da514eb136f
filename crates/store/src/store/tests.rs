use diaporos_core::change::{Divergence, fingerprint};
use diaporos_core::intake::{CacheValidators, Incoming, PageCounts};
use diaporos_core::lane::TypeRef;
use diaporos_core::plan::{Counterpart, Presence};
use diaporos_core::value::{Address, EntryId, LaneName, Record, Revision, State, SystemName, TypeName, Value};
use jiff::Timestamp;
use proptest::prelude::*;

use super::database::params;
use super::*;

fn taken_at(second: i64) -> Moments {
    Moments { asked: at(second), taken: at(second) }
}

struct Bench {
    _folder: tempfile::TempDir,
    place: StorePlace,
    store: Store,
    system: SystemName,
    kind: TypeName,
    lane: LaneName,
}

fn at(second: i64) -> Timestamp {
    Timestamp::from_second(second).unwrap()
}

fn end(system: &str, kind: &str) -> TypeRef {
    TypeRef { system: SystemName::new(system).unwrap(), kind: TypeName::new(kind).unwrap() }
}

fn incoming(id: &str, name: &str, state: State) -> Incoming {
    let fields: Record = [("name".to_owned(), Value::from(name))].into_iter().collect();
    let fingerprint = fingerprint(&Value::Record(fields.clone()));
    Incoming {
        id: EntryId::new(id).unwrap(),
        part: None,
        state,
        revision: Some(Revision::new("1").unwrap()),
        fields,
        fingerprint,
        raw: Some(format!("{{\"id\": \"{id}\", \"name\": \"{name}\"}}")),
        notes: Vec::new(),
    }
}

fn address(id: &str) -> Address {
    format!("catalogue/plant/{id}").parse().unwrap()
}

impl Bench {
    fn new() -> Bench {
        let folder = tempfile::tempdir().unwrap();
        let place = place_of_a_test(module_path!(), folder.path());
        let store = Store::open_for_change(&place).unwrap();
        let (system, kind) = (SystemName::new("catalogue").unwrap(), TypeName::new("plant").unwrap());
        let mut bench = Bench { _folder: folder, place, store, system, kind, lane: LaneName::new("profiles").unwrap() };
        bench.register("a").unwrap();
        bench
    }

    fn register(&mut self, definition: &str) -> Result<(), StoreError> {
        self.register_to(definition, "page")
    }

    fn register_to(&mut self, definition: &str, to: &str) -> Result<(), StoreError> {
        let (from, to) = (end("catalogue", "plant"), end("site", to));
        let definition = fingerprint(&Value::from(definition));
        self.store
            .register_lanes(&[LaneRecord { name: &self.lane, from: &from, to: &to, key: None, definition }], at(0))
    }

    fn counts(&self) -> Counts {
        let (from, to) = (end("catalogue", "plant"), end("site", "page"));
        let definition = fingerprint(&Value::from("a"));
        let record = LaneRecord { name: &self.lane, from: &from, to: &to, key: None, definition };
        let mut counts = self.store.counts(record).unwrap().unwrap();
        counts.retain(|_, count| *count > 0);
        counts
    }

    /// The counts as they are found by counting.
    fn counted(&self) -> Counts {
        let mut query = self.store.connection.prepare_cached("SELECT standing FROM delivery").unwrap();
        let words = query.query_all(params![], |row| row.get::<_, String>(0)).unwrap();
        let mut counts = Counts::new();
        for word in words {
            *counts.entry(Standing::from_word(&word).unwrap()).or_default() += 1;
        }
        counts
    }

    fn take_in(&mut self, entries: &[Incoming], seen: &mut Seen, second: i64) -> PageTally {
        self.store.take_in((&self.system, &self.kind), entries, None, seen, taken_at(second)).unwrap()
    }

    fn number(&self, id: &str) -> i64 {
        self.store.entry(&address(id)).unwrap().unwrap().number
    }

    fn looked_at(&self, id: &str) -> (i64, i64) {
        let due = self.store.look_at(&self.lane, &address(id)).unwrap().unwrap();
        (due.number, due.touched)
    }

    fn delivered(&self, id: &str) -> Verdict {
        let counterpart = Counterpart {
            id: EntryId::new(format!("there-{id}")).unwrap(),
            item: None,
            revision: None,
            fingerprint: fingerprint(&Value::Null),
            presence: Presence::Present,
            fields: Record::default(),
            divergences: [
                ("title".to_owned(), Divergence::Kept("Theirs".into())),
                ("body".to_owned(), Divergence::Stored("x".into())),
            ]
            .into(),
            past: vec![fingerprint(&Value::Null), fingerprint(&Value::Boolean(true))],
        };
        let delivered = vec![Delivered { language: None, counterpart }];
        Verdict { delivered, ..Verdict::new(self.looked_at(id), Standing::Delivered) }
    }
}

#[test]
fn a_second_look_at_the_same_adds_nothing() {
    let mut bench = Bench::new();
    let page = [incoming("1", "Fern", State::Live), incoming("2", "Moss", State::Draft)];
    let first = bench.take_in(&page, &mut Seen::default(), 1);
    assert_eq!(first, PageTally { pulled: 2, new: 2, changed: 0, unchanged: 0 });
    let mut seen = Seen::default();
    let second = bench.take_in(&page, &mut seen, 2);
    assert_eq!(second, PageTally { pulled: 2, new: 0, changed: 0, unchanged: 2 });
    let again = bench.take_in(&page, &mut seen, 3);
    assert_eq!(again, PageTally::default(), "what moved to a later page counts once");
    assert_eq!(bench.store.versions(bench.number("1")).unwrap().len(), 1);
    let row = bench.store.entry(&address("1")).unwrap().unwrap().row;
    assert_eq!((row.first_seen, row.changed), (at(1), at(1)));
}

#[test]
fn a_change_makes_a_version_and_owes_a_look() {
    let mut bench = Bench::new();
    bench.take_in(&[incoming("1", "Fern", State::Live)], &mut Seen::default(), 1);
    let verdict = bench.delivered("1");
    bench.store.note(&bench.lane, &[verdict], at(2)).unwrap();
    assert_eq!(bench.counts(), [(Standing::Delivered, 1)].into());
    bench.take_in(&[incoming("1", "Royal Fern", State::Live)], &mut Seen::default(), 3);
    assert_eq!(bench.counts(), [(Standing::Owed, 1)].into());
    bench.take_in(&[incoming("1", "Royal Fern", State::Withdrawn)], &mut Seen::default(), 4);
    let states: Vec<State> =
        bench.store.versions(bench.number("1")).unwrap().iter().map(|version| version.state).collect();
    assert_eq!(states, [State::Withdrawn, State::Live, State::Live]);
}

#[test]
fn what_read_a_changed_entry_is_owed_a_look_too() {
    let mut bench = Bench::new();
    bench.take_in(&[incoming("1", "Fern", State::Live), incoming("2", "Moss", State::Live)], &mut Seen::default(), 1);
    let mut reader = bench.delivered("1");
    reader.reads.insert(address("2"));
    let other = bench.delivered("2");
    bench.store.note(&bench.lane, &[reader, other], at(2)).unwrap();
    bench.take_in(&[incoming("2", "Bog Moss", State::Live)], &mut Seen::default(), 3);
    assert_eq!(bench.counts(), [(Standing::Owed, 2)].into());
}

#[test]
fn an_intent_outlives_the_process_and_its_outcome_closes_it() {
    let mut bench = Bench::new();
    bench.take_in(&[incoming("1", "Fern", State::Live)], &mut Seen::default(), 1);
    let run = bench.store.begin_run("push", "ada at desk", at(2)).unwrap();
    let intent = IntentRecord {
        entry: bench.number("1"),
        language: Some("fr".parse().unwrap()),
        action: Action::Create,
        request: "POST http://site.example/pages".to_owned(),
        id_there: None,
        base: None,
        fingerprint: fingerprint(&Value::Null),
        fields: [("name".to_owned(), Value::from("Fougère"))].into_iter().collect(),
        item: Some(EntryId::new("item-1").unwrap()),
        was: None,
    };
    // The process dies here: what was handed out is lost, what was written is not.
    drop(bench.store.intend(run, &bench.lane, std::slice::from_ref(&intent), at(3)).unwrap());
    let Bench { _folder, place, store, lane, .. } = bench;
    drop(store);
    let mut store = Store::open_for_change(&place).unwrap();
    assert_eq!(store.count_in_doubt(&lane).unwrap(), 1);
    let (open, found) = store.in_doubt(&lane, at(4)).unwrap().pop().unwrap();
    assert_eq!(found, intent);
    let outcome = Outcome { result: OutcomeResult::FoundNotDone, status: None, message: None, delivered: None };
    store.conclude(&lane, vec![(open, outcome)], &[], at(4)).unwrap();
    assert_eq!(store.count_in_doubt(&lane).unwrap(), 0);
}

#[test]
fn a_listing_without_what_was_there_takes_it_for_gone_up_to_the_limit() {
    let mut bench = Bench::new();
    let page = |ids: &[&str]| -> Vec<Incoming> { ids.iter().map(|id| incoming(id, "Fern", State::Live)).collect() };
    bench.take_in(&page(&["1", "2", "3"]), &mut Seen::default(), 1);
    let mut seen = Seen::default();
    bench.take_in(&page(&["1"]), &mut seen, 2);
    let key = (&bench.system, &bench.kind);
    assert_eq!(bench.store.end_listing(key, &seen, 1, (at(2), at(3))).unwrap(), Err(2), "too many: nothing is taken");
    assert_eq!(bench.store.known(&bench.system, &bench.kind).unwrap(), 3);
    assert_eq!(bench.store.end_listing(key, &seen, 2, (at(2), at(3))).unwrap(), Ok(2));
    assert_eq!(bench.store.known(&bench.system, &bench.kind).unwrap(), 1);
    let back = bench.take_in(&page(&["2"]), &mut Seen::default(), 4);
    assert_eq!(back.changed, 1, "what comes back is a change");
}

#[test]
fn a_page_that_is_known_again_counts_its_entries() {
    let mut bench = Bench::new();
    let entries = [incoming("1", "Fern", State::Live), incoming("2", "Moss", State::Live)];
    let mark = CacheValidators {
        etag: Some("x".into()),
        last_modified: None,
        content: entries[0].fingerprint,
        next: None,
        counts: PageCounts::default(),
    };
    let key = (&bench.system, &bench.kind);
    bench.store.take_in(key, &entries, Some(("page 1", &mark)), &mut Seen::default(), taken_at(1)).unwrap();
    assert_eq!(bench.store.page_mark(&bench.system, &bench.kind, "page 1").unwrap(), Some(mark));
    let mut seen = Seen::default();
    let tally = bench.store.take_as_before(key, "page 1", &mut seen, at(2)).unwrap();
    assert_eq!((tally.pulled, tally.unchanged, seen.count()), (2, 2, 2));
}

#[test]
fn a_lane_with_counterparts_keeps_its_ends() {
    let mut bench = Bench::new();
    bench.take_in(&[incoming("1", "Fern", State::Live)], &mut Seen::default(), 1);
    bench.register_to("b", "post").unwrap();
    bench.register("a").unwrap();
    let verdict = bench.delivered("1");
    bench.store.note(&bench.lane, &[verdict], at(2)).unwrap();
    assert!(matches!(bench.register_to("b", "post"), Err(StoreError::Lane { .. })));
    assert_eq!(bench.counts(), [(Standing::Delivered, 1)].into(), "nothing was altered");
}

#[test]
fn several_processes_change_a_store_while_none_has_it_alone() {
    let bench = Bench::new();
    assert!(Store::open_for_change(&bench.place).is_ok());
    // A server has its copies put in its place by itself.
    let Some(file) = bench.place.file() else { return };
    assert!(matches!(Store::open_alone(file), Err(StoreError::Busy)));
    drop(bench.store);
    let alone = Store::open_alone(file).unwrap();
    assert!(matches!(Store::open_for_change(&bench.place), Err(StoreError::Busy)));
    assert!(Store::open(&bench.place).is_ok());
    drop(alone);
}

#[test]
fn what_changes_while_it_is_under_way_stays_owed() {
    let mut bench = Bench::new();
    bench.register("a").unwrap();
    bench.take_in(&[incoming("1", "Fern", State::Live)], &mut Seen::default(), 1);
    let looked_at = bench.delivered("1");
    bench.take_in(&[incoming("1", "Royal fern", State::Live)], &mut Seen::default(), 2);
    bench.store.note(&bench.lane, &[looked_at], at(3)).unwrap();
    assert_eq!(bench.counts(), [(Standing::Owed, 1)].into(), "the new version is still to be delivered");
    assert_eq!(bench.store.counterparts(bench.number("1")).unwrap().len(), 1, "what was delivered is known");
    let again = bench.delivered("1");
    bench.store.note(&bench.lane, &[again], at(4)).unwrap();
    assert_eq!(bench.counts(), [(Standing::Delivered, 1)].into());
}

#[test]
fn a_store_of_another_version_is_refused_by_name() {
    let Bench { _folder, place, store, .. } = Bench::new();
    match store.connection.file() {
        Some(file) => file.pragma_update(None, "user_version", 99).unwrap(),
        None => drop(store.connection.execute("INSERT INTO migration VALUES (99, '')", params![]).unwrap()),
    }
    drop(store);
    for opened in [Store::open(&place), Store::open_for_change(&place)] {
        assert!(matches!(opened, Err(StoreError::Newer { found: 99, .. })));
    }
}

#[test]
fn a_migration_that_was_altered_is_noticed() {
    let Bench { _folder, place, store, .. } = Bench::new();
    store.connection.execute("UPDATE migration SET checksum = ?1", [vec![0_u8]]).unwrap();
    drop(store);
    assert!(matches!(Store::open(&place), Err(StoreError::Migration { number: 1 })));
}

fn part(id: &str, language: &str, name: &str) -> Incoming {
    Incoming { part: Some(language.parse().unwrap()), ..incoming(id, name, State::Live) }
}

/// The languages that wait to be put together, an entry a line.
fn touched(bench: &Bench) -> Vec<String> {
    let waiting = bench.store.touched_parts((&bench.system, &bench.kind), 10).unwrap();
    let line = |(_, parts): &(i64, diaporos_core::intake::Parts)| {
        let tags: Vec<String> = parts.iter().map(|(tag, _)| tag.to_string()).collect();
        let id = parts.first().map_or("-".to_owned(), |(_, part)| part.id.to_string());
        format!("{id}: {}", tags.join(" "))
    };
    waiting.iter().map(line).collect()
}

#[test]
fn languages_wait_durably_until_their_entry_is_put_together() {
    let mut bench = Bench::new();
    let key = (bench.system.clone(), bench.kind.clone());
    let key = (&key.0, &key.1);
    let page = [part("1", "en", "Fern"), part("2", "en", "Moss"), part("1", "fr", "Fougère")];
    let mut seen = Seen::default();
    assert_eq!(bench.store.take_in_parts(key, &page, None, &mut seen, at(1)).unwrap(), 3);
    // The process dies here: what waits is still known.
    let Bench { _folder, place, store, system, kind, lane } = bench;
    drop(store);
    let mut bench = Bench { store: Store::open_for_change(&place).unwrap(), _folder, place, system, kind, lane };
    assert_eq!(touched(&bench), ["1: en fr", "2: en"]);
    let waiting = bench.store.touched_parts(key, 10).unwrap();
    let numbers: Vec<i64> = waiting.iter().map(|(number, _)| *number).collect();
    bench.store.put_together(&numbers).unwrap();
    assert!(touched(&bench).is_empty());

    let mut again = Seen::default();
    bench.store.take_in_parts(key, &page, None, &mut again, at(2)).unwrap();
    assert!(touched(&bench).is_empty(), "what is as it was waits for nothing");
    let mut later = Seen::default();
    bench
        .store
        .take_in_parts(key, &[part("1", "en", "Fern"), part("2", "en", "Bog moss")], None, &mut later, at(3))
        .unwrap();
    assert_eq!(touched(&bench), ["2: en"]);
    bench.store.forget_parts(key, &later).unwrap();
    assert_eq!(touched(&bench), ["1: en", "2: en"], "the French of the first is not listed any more");
}

#[test]
fn a_listing_goes_on_where_it_was_for_a_time_and_read_the_same_way() {
    let mut bench = Bench::new();
    let key = (&bench.system, &bench.kind);
    let (this_way, other_way) = (fingerprint(&Value::from("a")), fingerprint(&Value::from("b")));
    let mut seen = Seen::default();
    bench.store.take_in(key, &[incoming("1", "Fern", State::Live)], None, &mut seen, taken_at(100)).unwrap();
    bench.store.keep_resumption(key, this_way, "page 2", &seen, at(100)).unwrap();
    let resumed = |store: &Store, reading, since| {
        store.resumption(key, reading, at(since)).unwrap().map(|left| (left.cursor, left.seen.count()))
    };
    assert_eq!(resumed(&bench.store, this_way, 50), Some(("page 2".to_owned(), 1)));
    assert_eq!(resumed(&bench.store, other_way, 50), None, "another profile may mean other pages");
    assert_eq!(resumed(&bench.store, this_way, 101), None, "too long ago");
    bench.store.end_pull(key, Some("2026-05-01"), None).unwrap();
    assert_eq!(bench.store.newest(key).unwrap().as_deref(), Some("2026-05-01"));
    bench.store.end_pull(key, None, None).unwrap();
    assert_eq!(bench.store.newest(key).unwrap().as_deref(), Some("2026-05-01"), "a pull without changes moves nothing");
    bench.store.forget_resumption(key).unwrap();
    assert_eq!(resumed(&bench.store, this_way, 50), None);
}

#[test]
fn entries_are_found_by_their_present_words() {
    let mut bench = Bench::new();
    let found = |bench: &Bench, text: &str| {
        let text = Some(WordSearch { words: text.to_owned(), last_may_go_on: true });
        let filter = EntryFilter { text, ..EntryFilter::default() };
        let mut ids = Vec::new();
        let each = |entry: StoredEntry| -> Result<_, StoreError> {
            ids.push(entry.row.address.id.to_string());
            Ok(std::ops::ControlFlow::Continue(()))
        };
        bench.store.entries(&filter, each).unwrap();
        ids.join(" ")
    };
    let page = [
        incoming("p-1", "<p class=\"hidden\">Royal <b>Fern</b></p>", State::Live),
        incoming("p-2", "Fougère royale, 5 < 6", State::Live),
    ];
    bench.take_in(&page, &mut Seen::default(), 1);
    for (text, expected) in [
        ("royal", "p-1 p-2"),
        ("FERN royal", "p-1"),
        ("fougere", "p-2"),
        ("p-2", "p-2"),
        ("hidden", ""),
        ("ern", ""),
        ("\" OR 1", ""),
        ("*", ""),
        ("NEAR(", ""),
    ] {
        assert_eq!(found(&bench, text), expected, "{text}");
    }
    bench.take_in(&[incoming("p-1", "Moss", State::Live)], &mut Seen::default(), 2);
    assert_eq!((found(&bench, "royal"), found(&bench, "moss")), ("p-2".to_owned(), "p-1".to_owned()));
}

#[test]
fn who_refers_to_whom_follows_the_present_version() {
    let mut bench = Bench::new();
    let referring = |target: Option<&str>| {
        let fields: Record =
            [("by".to_owned(), target.map_or(Value::Null, |target| Value::Reference(target.parse().unwrap())))]
                .into_iter()
                .collect();
        let fingerprint = fingerprint(&Value::Record(fields.clone()));
        Incoming { fields, fingerprint, ..incoming("1", "", State::Live) }
    };
    let back = |bench: &Bench| bench.store.referring_to(&"catalogue/curator/c".parse().unwrap()).unwrap();
    bench.take_in(&[referring(Some("catalogue/curator/c"))], &mut Seen::default(), 1);
    assert_eq!(back(&bench), [address("1")]);
    bench.take_in(&[referring(None)], &mut Seen::default(), 2);
    assert_eq!(back(&bench), []);
}

#[test]
fn what_is_known_with_its_revision_need_not_be_asked_for() {
    let mut bench = Bench::new();
    bench.take_in(&[incoming("1", "Fern", State::Live)], &mut Seen::default(), 1);
    let brief =
        |id: &str, revision: &str| Incoming { revision: Revision::new(revision).ok(), ..incoming(id, "", State::Live) };
    let mut listed = vec![brief("1", "1"), brief("2", "1")];
    let tally = bench.store.take_as_known((&bench.system, &bench.kind), &mut listed, &mut Seen::default()).unwrap();
    assert_eq!((tally.unchanged, listed.len(), listed[0].id.as_str()), (1, 1, "2"));
    let mut moved = vec![brief("1", "2")];
    let tally = bench.store.take_as_known((&bench.system, &bench.kind), &mut moved, &mut Seen::default()).unwrap();
    assert_eq!((tally.pulled, moved.len()), (0, 1));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// `status` believes the counts, so nothing may alter standings behind them.
    #[test]
    fn kept_counts_are_counted_counts(moves in prop::collection::vec((0..6u8, 0..5u8, 0..3u8), 1..40)) {
        let mut bench = Bench::new();
        for (second, (what, which, how)) in (1..).zip(moves) {
            let id = which.to_string();
            match what {
                0 | 1 => {
                    let state = if how == 0 { State::Draft } else { State::Live };
                    bench.take_in(&[incoming(&id, &format!("name {how}"), state)], &mut Seen::default(), second);
                }
                2 => {
                    let mut seen = Seen::default();
                    bench.take_in(&[incoming(&id, "kept", State::Live)], &mut seen, second);
                    let key = (&bench.system, &bench.kind);
                    let _ = bench.store.end_listing(key, &seen, u64::from(how), (at(second), at(second))).unwrap();
                }
                3 => {
                    bench.register(if how == 0 { "b" } else { "c" }).unwrap();
                    bench.register("a").unwrap();
                }
                _ if bench.store.entry(&address(&id)).unwrap().is_some() => {
                    let standing = Standing::WORDS[usize::from(how)].1;
                    let verdict = Verdict::new(bench.looked_at(&id), standing);
                    bench.store.note(&bench.lane, &[verdict], at(second)).unwrap();
                }
                _ => {}
            }
            prop_assert_eq!(bench.counts(), bench.counted());
        }
    }
}

#[test]
fn what_was_received_is_kept_with_each_version() {
    let mut bench = Bench::new();
    let noted = Incoming {
        notes: vec!["its date is odd".to_owned()],
        raw: Some("line\nline\n".to_owned()),
        ..incoming("1", "Fern", State::Live)
    };
    bench.take_in(std::slice::from_ref(&noted), &mut Seen::default(), 1);
    bench.take_in(&[incoming("1", "Moss", State::Live)], &mut Seen::default(), 2);
    let number = bench.number("1");
    let first = bench.store.version(number, 1).unwrap().unwrap();
    assert_eq!(first, Content { fields: noted.fields, notes: noted.notes, raw: noted.raw });
    let second = bench.store.version(number, 2).unwrap().unwrap();
    assert_eq!((second.notes.len(), second.raw.as_deref()), (0, Some(r#"{"id": "1", "name": "Moss"}"#)));
    assert_eq!(bench.store.version(number, 3).unwrap(), None);
}

#[test]
fn a_large_page_teaches_what_its_entries_have_in_common() {
    let mut bench = Bench::new();
    let page = |from: usize| -> Vec<Incoming> {
        let prose = |n: usize| {
            format!("The {n}th specimen of a long series of sentences that are alike but for number {}", n * 7)
        };
        (from..from + 200).map(|n| incoming(&n.to_string(), &prose(n), State::Live)).collect()
    };
    bench.take_in(&page(0), &mut Seen::default(), 1);
    bench.take_in(&page(200), &mut Seen::default(), 2);
    let size: i64 = bench
        .store
        .connection
        .query_row("SELECT CAST(sum(length(content)) AS BIGINT) FROM version", params![], |row| row.get(0))
        .unwrap();
    assert!(size < 400 * 80, "{size} bytes for 400 entries of 250 bytes");
    let Bench { _folder, place, store, .. } = bench;
    drop(store);
    let store = Store::open(&place).unwrap();
    for id in ["0", "399"] {
        let entry = store.entry(&address(id)).unwrap().unwrap();
        assert!(entry.row.fields["name"].as_text().unwrap().starts_with(&format!("The {id}th")));
    }
}

#[test]
fn a_store_from_before_contents_were_packed_is_read_on() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("store.db");
    let first = migrate::FIRST;
    let old = rusqlite::Connection::open(&file).unwrap();
    old.execute_batch(&format!(
        "CREATE TABLE migration (number INTEGER PRIMARY KEY, checksum BLOB NOT NULL) STRICT; {first}
         INSERT INTO entry_type VALUES (1, 'catalogue', 'plant');
         INSERT INTO entry VALUES (1, 1, 'p-1', 'live', NULL, zeroblob(16), 1, 0, 0);
         INSERT INTO version VALUES (1, 1, 0, 'live', NULL, zeroblob(16), '{{\"name\":\"Fern\"}}'); PRAGMA user_version = 1;",
    ))
    .unwrap();
    old.execute("INSERT INTO migration VALUES (1, ?1)", [diaporos_core::change::fingerprint_texts([first]).as_bytes()])
        .unwrap();
    drop(old);
    let store = Store::open(&StorePlace::File(file)).unwrap();
    let entry = store.entry(&address("p-1")).unwrap().unwrap();
    assert_eq!(entry.row.fields["name"], Value::from("Fern"));
    assert_eq!(store.version(entry.number, 1).unwrap().unwrap().raw, None);
}
