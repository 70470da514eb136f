//! Entries read by themselves beside listings: what was asked for later counts, whichever commits first.

use diaporos_core::change::{fingerprint, fingerprint_texts};
use diaporos_core::intake::{CacheValidators, Incoming, PageCounts};
use diaporos_core::value::{EntryId, Record, State, SystemName, TypeName, Value};
use jiff::Timestamp;
use proptest::prelude::*;

use super::*;

fn at(second: i64) -> Timestamp {
    Timestamp::from_second(1_790_000_000 + second).unwrap()
}

struct Bench {
    _folder: tempfile::TempDir,
    store: Store,
    system: SystemName,
    kind: TypeName,
}

fn id(text: &str) -> EntryId {
    EntryId::new(text).unwrap()
}

fn entry(text: &str, name: &str) -> Incoming {
    let fields: Record = [("name".to_owned(), Value::from(name))].into_iter().collect();
    let fingerprint = fingerprint(&Value::Record(fields.clone()));
    let (state, notes) = (State::Live, Vec::new());
    Incoming { id: id(text), part: None, state, revision: None, fields, fingerprint, raw: None, notes }
}

impl Bench {
    fn new() -> Bench {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open_for_change(&place_of_a_test(module_path!(), folder.path())).unwrap();
        let (system, kind) = (SystemName::new("catalogue").unwrap(), TypeName::new("plant").unwrap());
        Bench { _folder: folder, store, system, kind }
    }

    /// A page that was asked for at a second, and is taken in at another.
    fn page(&mut self, entries: &[Incoming], asked: i64, taken: i64) {
        let mark = CacheValidators {
            etag: None,
            last_modified: None,
            content: fingerprint_texts(["a page"]),
            next: None,
            counts: PageCounts::default(),
        };
        let moments = Moments { asked: at(asked), taken: at(taken) };
        let of = (&self.system, &self.kind);
        self.store.take_in(of, entries, Some(("page 1", &mark)), &mut Seen::default(), moments).unwrap();
    }

    fn alone(&mut self, one: &Incoming, asked: i64, taken: i64) -> TakenAlone {
        let moments = Moments { asked: at(asked), taken: at(taken) };
        self.store.take_in_alone((&self.system, &self.kind), one, moments).unwrap()
    }

    fn name(&self, text: &str) -> Option<String> {
        let address = format!("catalogue/plant/{text}").parse().unwrap();
        let found = self.store.entry(&address).unwrap()?;
        found.row.fields.get("name").and_then(Value::scalar_text).map(Into::into)
    }

    fn has_mark(&self) -> bool {
        self.store.page_mark(&self.system, &self.kind, "page 1").unwrap().is_some()
    }
}

#[test]
fn a_page_that_was_asked_for_before_says_nothing_of_what_was_read_since() {
    let mut bench = Bench::new();
    bench.page(&[entry("1", "Fern"), entry("2", "Moss")], 1, 2);
    assert_eq!(bench.alone(&entry("1", "Royal fern"), 5, 6), TakenAlone::Changed);
    bench.page(&[entry("1", "Fern"), entry("2", "Bog moss")], 4, 7);
    assert_eq!((bench.name("1").as_deref(), bench.name("2").as_deref()), (Some("Royal fern"), Some("Bog moss")));
    bench.page(&[entry("1", "Fern")], 8, 9);
    assert_eq!(bench.name("1").as_deref(), Some("Fern"), "a page that was asked for later is newer");
    assert_eq!(bench.alone(&entry("1", "Royal fern"), 8, 10), TakenAlone::Overtaken);
    assert_eq!(bench.alone(&entry("1", "Royal fern"), 11, 12), TakenAlone::Changed);
    assert_eq!(bench.alone(&entry("3", "Lichen"), 12, 13), TakenAlone::New);
}

#[test]
fn a_page_that_comes_back_as_it_was_is_read_where_an_entry_was_read_by_itself() {
    let mut bench = Bench::new();
    bench.page(&[entry("1", "Fern")], 1, 2);
    assert!(bench.has_mark());
    bench.alone(&entry("2", "Lichen"), 3, 4);
    assert!(bench.has_mark(), "the page does not show that one");
    bench.alone(&entry("1", "Royal fern"), 5, 6);
    assert!(!bench.has_mark());
    bench.page(&[entry("1", "Royal fern")], 7, 8);
    let key = (&bench.system, &bench.kind);
    bench.store.end_pull(key, None, Some(at(7))).unwrap();
    assert!(bench.has_mark(), "a whole listing showed it again");
}

#[test]
fn a_listing_that_lags_takes_nothing_for_gone_that_was_just_read() {
    let mut bench = Bench::new();
    bench.alone(&entry("1", "Fern"), 100, 101);
    let mut end = |began: i64| {
        let key = (&bench.system, &bench.kind);
        bench.store.end_listing(key, &Seen::default(), 9, (at(began), at(began + 1))).unwrap()
    };
    assert_eq!(end(160), Ok(0), "a copy that lags does not have it yet");
    assert_eq!(end(260), Ok(1), "by now it should");
}

#[test]
fn what_was_read_after_a_listing_began_is_not_missing_in_it() {
    let mut bench = Bench::new();
    bench.page(&[entry("1", "Fern"), entry("2", "Moss")], 1, 2);
    bench.alone(&entry("2", "Bog moss"), 12, 13);
    bench.alone(&entry("3", "Lichen"), 14, 15);
    let key = (&bench.system, &bench.kind);
    let gone = bench.store.end_listing(key, &Seen::default(), 9, (at(10), at(20))).unwrap();
    assert_eq!(gone, Ok(1), "the first alone");
    assert!(bench.store.is_known(key, &id("3")).unwrap() && !bench.store.is_known(key, &id("1")).unwrap());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever comes in which order: what is kept is what was read last at the source.
    #[test]
    fn what_was_asked_for_last_is_kept(reads in prop::collection::vec((any::<bool>(), 0_i64..5), 1..12)) {
        let mut bench = Bench::new();
        bench.page(&[entry("1", "0")], 0, 0);
        // Each read is asked for at its place, and taken in up to five places later; the source says its place.
        let mut steps: Vec<(i64, usize)> = reads.iter().enumerate().map(|(place, (_, late))| (i64::try_from(place).unwrap() * 10 + late * 11, place)).collect();
        steps.sort_unstable();
        let mut newest = None;
        for (taken, place) in steps {
            let asked = i64::try_from(place).unwrap() * 10 + 1;
            let one = entry("1", &format!("{asked}"));
            if reads[place].0 {
                if bench.alone(&one, asked, taken + 1) != TakenAlone::Overtaken {
                    newest = newest.max(Some(asked));
                }
            } else {
                bench.page(&[one], asked, taken + 1);
            }
            let kept: i64 = bench.name("1").unwrap().parse().unwrap();
            if let Some(newest) = newest {
                prop_assert!(kept >= newest, "{kept} was kept over {newest}");
            }
        }
    }
}
