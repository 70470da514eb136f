use diaporos_core::change::fingerprint;
use diaporos_core::intake::Incoming;
use diaporos_core::translate::{Inline, MemoryPair, TextKey, Unit, UnitContext, UnitId, UnitPlace};
use diaporos_core::value::{Address, EntryId, LanguageTag, Localised, Record, State, SystemName, TypeName, Value};
use jiff::Timestamp;
use proptest::prelude::*;

use super::*;
use crate::store::{Moments, Seen, Translation, TranslationStanding, place_of_a_test};

fn at(second: i64) -> Timestamp {
    Timestamp::from_second(second).unwrap()
}

fn tag(text: &str) -> LanguageTag {
    text.parse().unwrap()
}

fn store() -> (tempfile::TempDir, Store) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open_for_change(&place_of_a_test(module_path!(), folder.path())).unwrap();
    (folder, store)
}

fn address(id: &str) -> Address {
    format!("catalogue/plant/{id}").parse().unwrap()
}

/// An entry comes in that says something in English, and perhaps in French.
fn pull(store: &mut Store, id: &str, french: Option<&str>, count: i64) -> i64 {
    let mut by_language = Localised::from([(tag("en"), Value::from("A fern"))]);
    by_language.extend(french.map(|text| (tag("fr"), Value::from(text))));
    let fields: Record =
        [("name".to_owned(), Value::Localised(by_language)), ("count".to_owned(), Value::Integer(count))]
            .into_iter()
            .collect();
    let entry = Incoming {
        id: EntryId::new(id).unwrap(),
        part: None,
        state: State::Live,
        revision: None,
        fingerprint: fingerprint(&Value::Record(fields.clone())),
        fields,
        raw: Some("{}".to_owned()),
        notes: Vec::new(),
    };
    let (system, kind) = (SystemName::new("catalogue").unwrap(), TypeName::new("plant").unwrap());
    store
        .take_in((&system, &kind), &[entry], None, &mut Seen::default(), Moments { asked: at(count), taken: at(count) })
        .unwrap();
    store.entry(&address(id)).unwrap().unwrap().number
}

fn french(store: &Store, id: &str) -> Option<String> {
    let entry = store.entry(&address(id)).unwrap().unwrap();
    match entry.row.fields.get("name") {
        Some(Value::Localised(by_language)) => by_language.get(&tag("fr")).and_then(Value::as_text).map(str::to_owned),
        _ => None,
    }
}

fn translation(value: &str, is_pseudo: bool) -> Translation {
    let source = fingerprint(&Value::from("A fern"));
    Translation { field: "name".into(), language: tag("fr"), value: value.into(), source, is_pseudo, is_shown: true }
}

fn text(entry: i64, block: u32, source: &str, languages: &[&str]) -> NewText {
    let place = UnitPlace { address: address("1"), field: "name".into(), block };
    let wanted = |language: &&str| WantedLanguage {
        language: tag(language),
        origin: Origin::New,
        earlier: None,
        near: Vec::new(),
        percent: None,
    };
    NewText {
        entry,
        version: 1,
        field: "name".into(),
        block,
        words: 2,
        unit: Unit {
            id: UnitId::of(&place),
            name: place.to_string(),
            source: Inline::from_coded(source),
            tags: Vec::new(),
            context: UnitContext::default(),
        },
        languages: languages.iter().map(wanted).collect(),
    }
}

/// A batch with one text in French.
fn made(store: &mut Store, entry: i64) -> i64 {
    let (batch, _) = store.begin_batch("plants", (&tag("en"), &[tag("fr"), tag("cy")]), None, at(1)).unwrap();
    store.add_texts(batch, &[text(entry, 1, "A fern", &["fr"])], at(1)).unwrap();
    assert!(store.finish_batch(batch, false, BatchStanding::Made).unwrap());
    batch
}

#[test]
fn a_batch_that_was_never_finished_never_was() {
    let (_folder, mut store) = store();
    let entry = pull(&mut store, "1", None, 1);
    let (half, _) = store.begin_batch("plants", (&tag("en"), &[tag("fr")]), None, at(1)).unwrap();
    store.add_texts(half, &[text(entry, 1, "A fern", &["fr"])], at(1)).unwrap();
    assert!(store.batches().unwrap().is_empty() && store.open_units(entry).unwrap().is_empty());
    // Killed here: the next takes its name, and its texts are in no batch.
    let batch = made(&mut store, entry);
    let row = store.batch("plants-1").unwrap().unwrap();
    assert_eq!((row.number, row.into, row.standing), (batch, vec![tag("fr")], BatchStanding::Made), "only what it has");
    assert_eq!(store.open_units(entry).unwrap().len(), 1);
    // Killed after values came of it: they stay, and it as their origin.
    let (half, name) = store.begin_batch("moss", (&tag("en"), &[tag("fr")]), None, at(2)).unwrap();
    store.add_texts(half, &[text(entry, 2, "B", &["fr"])], at(2)).unwrap();
    store.take_translations(half, &[(entry, vec![translation("Fougère", false)])], at(2)).unwrap();
    let (_, next) = store.begin_batch("moss", (&tag("en"), &[tag("fr")]), None, at(2)).unwrap();
    assert_eq!((name.as_str(), next.as_str()), ("moss-1", "moss-2"));
    assert_eq!(store.batch("moss-1").unwrap().unwrap().standing, BatchStanding::Filled);
    assert_eq!(store.translations(entry).unwrap()[0].batch, "moss-1");
    let (empty, _) = store.begin_batch("plants", (&tag("en"), &[tag("fr")]), None, at(2)).unwrap();
    assert!(!store.finish_batch(empty, false, BatchStanding::Made).unwrap());
    let (filled, name) = store.begin_batch("plants", (&tag("en"), &[tag("fr")]), None, at(2)).unwrap();
    assert!(!store.finish_batch(filled, true, BatchStanding::Made).unwrap());
    assert_eq!((name.as_str(), store.batch(&name).unwrap().unwrap().standing), ("plants-2", BatchStanding::Filled));
}

#[test]
fn texts_are_waited_for_till_their_batch_is_cancelled() {
    let (_folder, mut store) = store();
    let entry = pull(&mut store, "1", None, 1);
    let batch = made(&mut store, entry);
    let unit = store.batch_units(batch, &tag("fr"), 0, 10).unwrap().remove(0);
    assert_eq!(store.batch_unit(batch, &tag("fr"), &unit.unit.id).unwrap().as_ref(), Some(&unit));
    assert_eq!(store.batch_unit(batch, &tag("cy"), &unit.unit.id).unwrap(), None);
    let verdict = UnitVerdict {
        text: unit.text,
        language: tag("fr"),
        standing: UnitStanding::Rejected,
        target: Some(Inline::from_coded("Une <1>")),
        reasons: vec!["tag 1 is not in the source".into()],
        reviewer: None,
    };
    store.note_units(&[verdict], at(3)).unwrap();
    let open = store.open_units(entry).unwrap();
    assert_eq!((open[0].batch.as_str(), open[0].standing), ("plants-1", UnitStanding::Rejected));
    let counts = store.batch_counts(batch).unwrap();
    assert_eq!((counts[0].standing, counts[0].units, counts[0].words), (UnitStanding::Rejected, 1, 2));
    let mut row = store.batch("plants-1").unwrap().unwrap();
    row.standing = BatchStanding::Cancelled;
    row.files_there.insert("fr".into(), "f-1".into());
    store.note_batch(&row).unwrap();
    assert_eq!(store.batch("plants-1").unwrap(), Some(row));
    assert!(store.open_units(entry).unwrap().is_empty());
}

#[test]
fn the_memory_knows_a_place_before_any_other() {
    let (_folder, mut store) = store();
    let pair = |target: &str, place: Option<&str>| MemoryPair {
        from: tag("en"),
        into: tag("fr"),
        source: Inline::from_coded("<1>Open</1>"),
        target: Inline::from_coded(target),
        cases: Vec::new(),
        place: place.map(str::to_owned),
    };
    let known = |store: &Store, place: &str| {
        let found = store.known_translation(
            (&tag("en"), &tag("fr")),
            &TextKey::of(&Inline::from_coded("<1>Open</1>"), &[]),
            place,
        );
        found.unwrap().map(|known| (known.target.coded(), known.is_own))
    };
    assert_eq!(known(&store, "a"), None);
    store.remember(&[pair("<1>Ouvert</1>", Some("a"))], "x", at(1)).unwrap();
    store.remember(&[pair("<1>Ouverte</1>", Some("b"))], "x", at(2)).unwrap();
    assert_eq!(known(&store, "a"), Some(("<1>Ouvert</1>".into(), true)));
    assert_eq!(known(&store, "c"), Some(("<1>Ouverte</1>".into(), false)), "the newest of any");
    store.remember(&[pair("<1>Ouvertes</1>", Some("a"))], "x", at(3)).unwrap();
    assert_eq!(known(&store, "a"), Some(("<1>Ouvertes</1>".into(), true)));
    let none = store
        .known_translation((&tag("en"), &tag("cy")), &TextKey::of(&Inline::from_coded("<1>Open</1>"), &[]), "a")
        .unwrap();
    assert_eq!(none, None);
}

#[test]
fn what_is_made_up_gives_way_and_goes() {
    let (_folder, mut store) = store();
    let entry = pull(&mut store, "1", Some("Vieux"), 1);
    let batch = made(&mut store, entry);
    let take = |store: &mut Store, value: &str, is_pseudo| {
        store.take_translations(batch, &[(entry, vec![translation(value, is_pseudo)])], at(5)).unwrap()
    };
    assert_eq!(take(&mut store, "⟦Á⟧", true), 1);
    assert_eq!(take(&mut store, "⟦Á⟧", true), 0, "twice is once");
    assert_eq!(french(&store, "1").as_deref(), Some("⟦Á⟧"));
    assert_eq!(store.drop_pseudo(batch, at(6)).unwrap(), 1);
    assert_eq!(french(&store, "1").as_deref(), Some("Vieux"));
    assert_eq!(take(&mut store, "⟦Á⟧", true), 1);
    assert_eq!(take(&mut store, "Fougère", false), 1);
    assert_eq!(take(&mut store, "⟦Á⟧", true), 0, "never in the place of a real one");
    assert_eq!(store.drop_pseudo(batch, at(7)).unwrap(), 0);
    assert_eq!(french(&store, "1").as_deref(), Some("Fougère"));
    assert_eq!(store.translations(entry).unwrap()[0].replaced, Some("Vieux".into()));
}

#[derive(Debug, Clone)]
enum Happening {
    /// The source has this.
    Pulled(Option<u8>),
    /// This is accepted.
    Accepted(u8),
}

fn happenings() -> impl Strategy<Value = Vec<Happening>> {
    let one =
        prop_oneof![prop::option::of(0u8..3).prop_map(Happening::Pulled), (0u8..3).prop_map(Happening::Accepted),];
    prop::collection::vec(one, 1..10)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// A translation counts till the source says something that it did not say when it was accepted.
    #[test]
    fn whose_value_counts(happenings in happenings()) {
        let (_folder, mut store) = store();
        let entry = pull(&mut store, "1", None, 0);
        let batch = made(&mut store, entry);
        // What the source says, and what was accepted beside what it said then.
        let (mut theirs, mut ours): (Option<String>, Option<(String, Option<String>)>) = (None, None);
        for (happening, count) in happenings.iter().zip(1..) {
            match happening {
                Happening::Pulled(text) => {
                    theirs = text.map(|text| format!("text {text}"));
                    pull(&mut store, "1", theirs.as_deref(), count);
                    // What the source has too, or has another of since, is the source's.
                    if let (Some((value, replaced)), Some(said)) = (&ours, &theirs)
                        && (value == said || *replaced != theirs)
                    {
                        ours = None;
                    }
                }
                Happening::Accepted(text) => {
                    let value = format!("text {text}");
                    store.take_translations(batch, &[(entry, vec![translation(&value, false)])], at(count)).unwrap();
                    ours = match ours.take() {
                        Some((_, replaced)) => Some((value, replaced)),
                        None => (theirs.as_ref() != Some(&value)).then(|| (value, theirs.clone())),
                    };
                }
            }
            let expected = ours.as_ref().map(|(value, _)| value.clone()).or_else(|| theirs.clone());
            prop_assert_eq!(french(&store, "1"), expected, "after {:?}", happening);
            let counts = store.translations(entry).unwrap().iter().any(|row| row.standing == TranslationStanding::Ours);
            prop_assert_eq!(counts, ours.is_some());
        }
    }
}
