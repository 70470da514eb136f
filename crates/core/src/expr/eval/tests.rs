use super::*;
use crate::expr::parse;
use crate::value::{from_stored, languages_of, project, to_json};
use proptest::prelude::*;
use serde_json::json;

struct Known;

impl Follow for Known {
    fn follow(&self, address: &Address) -> Option<Referenced> {
        let fields =
            json!({ "name": "Mair Fenwick", "garden": { "@languages": { "en": "Highmoss", "cy": "Mwsogl Uchel" } } });
        let Ok(Value::Record(fields)) = from_stored(fields) else {
            return None;
        };
        (address.id.as_str() == "c-1").then_some(Referenced { state: State::Live, fields })
    }
}

fn subject_fields() -> Record {
    let fields = json!({
        "name": { "@languages": { "en": "Royal Fern", "fr": "Osmonde royale", "cy": "Rhedynen gyfrdwy" } },
        "alias": { "@languages": { "en": "Old fern" } },
        "latin": "Osmunda regalis",
        "height": 160,
        "tags": ["fern", "public", "fern"],
        "notes": null,
        "state": "in the source's own words",
        "curator": { "@entry": "catalogue/curator/c-1" },
        "lost": { "@entry": "catalogue/curator/c-9" },
        "facts": { "soil": "peat", "depth": [1, 2] },
    });
    match from_stored(fields) {
        Ok(Value::Record(fields)) => fields,
        other => panic!("{other:?}"),
    }
}

fn run(text: &str) -> Result<Evaluated, EvalError> {
    let tree = parse(text).unwrap_or_else(|error| panic!("{text}: {error}"));
    let address = "catalogue/plant/p-1".parse().unwrap();
    let fields = subject_fields();
    evaluate(&tree, &Subject { address: &address, state: State::Live, fields: &fields }, &Known)
}

pub(in crate::expr) fn value_of(text: &str) -> Value {
    run(text).unwrap_or_else(|error| panic!("{text}: {error}")).value
}

#[test]
fn values() {
    for (text, expected) in [
        ("latin", json!("Osmunda regalis")),
        ("name@cy", json!("Rhedynen gyfrdwy")),
        ("name@de", json!(null)),
        ("name@de ?? name@en", json!("Royal Fern")),
        ("name", json!({ "cy": "Rhedynen gyfrdwy", "en": "Royal Fern", "fr": "Osmonde royale" })),
        ("name | slug", json!({ "cy": "rhedynen-gyfrdwy", "en": "royal-fern", "fr": "osmonde-royale" })),
        ("alias ?? name", json!({ "cy": "Rhedynen gyfrdwy", "en": "Old fern", "fr": "Osmonde royale" })),
        (
            "[latin, name] | join \" / \" | shorten 20",
            json!({ "cy": "Osmunda regalis /…", "en": "Osmunda regalis /…", "fr": "Osmunda regalis /…" }),
        ),
        ("missing | slug", json!(null)),
        ("missing ?? \"none\"", json!("none")),
        ("missing.deeper[3]", json!(null)),
        ("facts.soil", json!("peat")),
        ("facts.depth[-1]", json!(2)),
        ("facts.depth[7]", json!(null)),
        ("state", json!("live")),
        ("fields.state", json!("in the source's own words")),
        ("entry.id", json!("p-1")),
        ("entry.address", json!("catalogue/plant/p-1")),
        ("curator", json!("catalogue/curator/c-1")),
        ("curator.name | upper", json!("MAIR FENWICK")),
        ("curator.garden@cy", json!("Mwsogl Uchel")),
        ("curator.state", json!("live")),
        ("lost.name", json!(null)),
        ("state == \"live\" and \"public\" in tags", json!(true)),
        ("\"gone\" in tags or \"Osmunda\" in latin", json!(true)),
        ("not missing", json!(true)),
        ("height > 100 and height <= 160.0", json!(true)),
        ("missing < 3", json!(false)),
        ("height == 160.0", json!(true)),
        ("notes == null", json!(true)),
        ("tags | unique | join \" \"", json!("fern public")),
        ("name@en == \"Royal Fern\" | slug", json!("!")),
    ] {
        if expected == json!("!") {
            assert!(run(text).is_err(), "{text}");
        } else {
            assert_eq!(to_json(&value_of(text)), expected, "{text}");
        }
    }
}

#[test]
fn failures_name_the_place() {
    let failure = |text: &str| {
        let error = run(text).expect_err(text);
        format!("{} <- {}", error.message, &text[error.span])
    };
    let texts = [
        "tags | slug",
        "latin@en",
        "latin.name",
        "latin[0]",
        "height < latin",
        "3 in height",
        "not latin",
        "name | date",
        "latin | shorten tags",
        "\"2026-05-01\" | date \"%!\"",
    ];
    insta::assert_snapshot!(texts.map(failure).join("\n"));
}

#[test]
fn what_was_read_is_known() {
    let evaluated = run("[curator.name, lost.name] | first").unwrap();
    assert_eq!(evaluated.reads.len(), 2);
    assert_eq!(evaluated.dead.iter().map(ToString::to_string).collect::<Vec<_>>(), ["catalogue/curator/c-9"]);
}

#[test]
fn a_condition_needs_one_answer() {
    assert_eq!(is_true(&value_of("missing")), Ok(false));
    assert!(is_true(&value_of("name == \"x\"")).unwrap_err().contains("one per language"));
    assert!(is_true(&value_of("latin")).unwrap_err().contains("not text"));
}

proptest! {
    /// Evaluating over a localised entry and then taking a language is the same as taking the
    /// language first: expressions never care about the source's shape.
    #[test]
    fn lifting_commutes_with_languages(
        expression in prop::sample::select(vec![
            "a ?? b", "a | upper", "[a, b] | join \"-\"", "[a, b, a] | unique", "a == b", "[a, b] | first", "a in b", "a < b",
            "[[a], b][0]", "not (a == b)", "(a ?? b) | shorten 3",
        ]),
        a in prop::collection::btree_map(prop::sample::select(vec!["en", "fr", "cy"]), "[a-c]{0,5}", 1..4),
        b in prop::collection::btree_map(prop::sample::select(vec!["en", "fr", "cy"]), "[a-c]{0,5}", 1..4),
    ) {
        let localised = |map: &std::collections::BTreeMap<&str, String>| {
            Value::Localised(map.iter().map(|(tag, text)| (tag.parse().unwrap(), Value::Text(text.clone()))).collect())
        };
        let fields = Record::from_iter([("a".to_owned(), localised(&a)), ("b".to_owned(), localised(&b))]);
        let tree = parse(expression).unwrap();
        let address = "s/t/i".parse().unwrap();
        let eval = |fields: &Record| evaluate(&tree, &Subject { address: &address, state: State::Live, fields }, &Known).unwrap().value;
        let whole = eval(&fields);
        let record = Value::Record(fields);
        for language in languages_of(&record) {
            let Value::Record(single) = project(&record, language).into_owned() else { unreachable!() };
            prop_assert_eq!(project(&whole, language).into_owned(), eval(&single));
        }
    }
}
