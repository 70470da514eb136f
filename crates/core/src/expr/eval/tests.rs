use std::sync::Arc;

use super::*;
use crate::expr::library::{Otherwise, Table, UserFunction};
use crate::expr::types::Kind;
use crate::expr::types::Type;
use crate::expr::{Slots, compile, compile_function, parse};
use crate::image::{Fit, PictureFormat, Rendition, Size};
use crate::value::{from_json, from_stored, languages_of, project, to_json};
use proptest::prelude::*;
use serde_json::{Value as Json, json};

struct Known;

impl World for Known {
    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, WorldError> {
        Ok(match (address.id.as_str(), lane) {
            ("c-1", None) => "row-7".into(),
            ("c-1", Some(lane)) => format!("{lane}-7").into(),
            (id, Some(lane)) if address.kind.as_str() == "word" => format!("{lane}-{id}").into(),
            _ => Value::Null,
        })
    }

    fn word(&self, word: &str, _: &LaneName) -> Result<Result<Address, String>, WorldError> {
        Ok(format!("hub/word/{word}").parse::<Address>().map_err(|error| error.to_string()))
    }

    fn follow(&self, address: &Address) -> Result<Option<Referenced>, WorldError> {
        let fields =
            json!({ "name": "Mair Fenwick", "garden": { "@languages": { "en": "Highmoss", "cy": "Mwsogl Uchel" } } });
        let Ok(Value::Record(fields)) = from_stored(fields) else {
            return Ok(None);
        };
        Ok((address.id.as_str() == "c-1").then_some(Referenced { state: State::Live, fields }))
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

/// The tables and languages that the tests know.
pub(in crate::expr) fn library() -> Library {
    let table = |name: &str, rows: Json, otherwise| {
        let rows = match from_json(&rows) {
            Value::Record(rows) => rows,
            other => panic!("{other:?}"),
        };
        let holds = Type::of_all(rows.values().map(Type::of)).at_most(None);
        (name.to_owned(), Arc::new(Table { name: name.to_owned(), rows, otherwise, holds }))
    };
    let tables = [
        table("sections", json!({ "bog": "Wetlands", "wall": "Rock" }), Otherwise::Value("Garden".into())),
        table("beds", json!({ "B1": 1 }), Otherwise::Hold),
        table("terms", json!({ "glass house": "glasshouse" }), Otherwise::Null),
    ];
    let tag = |text: &str| text.parse().unwrap();
    let mut library = Library {
        tables: tables.into(),
        languages: vec![tag("en"), tag("fr"), tag("cy"), tag("de")],
        fallback: vec![tag("en")],
        ..Library::default()
    };
    let small = Rendition {
        size: Size::Both(320, 240),
        fit: Fit::Cover,
        background: None,
        format: PictureFormat::Jpeg,
        quality: 82,
        enlarges: false,
    };
    library.renditions.insert("small".to_owned(), small);
    for (name, takes, parameters, text) in [
        ("brief", Kind::Text, vec![("most", Kind::Count)], "it | plain | shorten most"),
        ("loud", Kind::Text, vec![], "(it | upper) + \"!\""),
        ("louder", Kind::Text, vec![], "it | loud | loud"),
    ] {
        let parameters: Vec<(String, Kind)> =
            parameters.into_iter().map(|(name, kind)| (name.to_owned(), kind)).collect();
        let body = parse(text).unwrap();
        let (gives, findings) = compile_function(takes, &parameters, &body, &library);
        assert_eq!(findings, [], "{name}");
        let function = UserFunction { takes, parameters, text: text.to_owned(), body, gives: gives.unwrap() };
        library.functions.insert(name.to_owned(), function);
    }
    library
}

fn run(text: &str) -> Result<Evaluated, EvalError> {
    run_over(text, &subject_fields(), &library())
}

fn run_over(text: &str, fields: &Record, library: &Library) -> Result<Evaluated, EvalError> {
    run_in(text, fields, library, &Known)
}

fn run_in(text: &str, fields: &Record, library: &Library, world: &dyn World) -> Result<Evaluated, EvalError> {
    let tree = parse(text).unwrap_or_else(|error| panic!("{text}: {error}"));
    let mut slots = Slots::default();
    let (program, findings) = compile(&tree, None, library, &mut slots);
    let Some(program) = program else {
        let finding = findings.into_iter().next().unwrap();
        return Err(EvalError::of_value(finding.span, finding.message));
    };
    let address = "catalogue/plant/p-1".parse().unwrap();
    let values = slots.resolve(fields);
    let previous = subject_fields();
    let now = "2026-11-25T12:00:00Z".parse().unwrap();
    let subject = Subject { address: &address, state: State::Live, values: &values, now, previous: Some(&previous) };
    program.evaluate(Sight { subject, world, library })
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
        ("latin@en", json!("Osmunda regalis")),
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
        ("height + 1", json!(161)),
        ("height / 100", json!(1.6)),
        ("height % 100 * 2 - 1", json!(119)),
        ("latin + \" \" + height", json!("Osmunda regalis 160")),
        ("name + \"!\"", json!({ "cy": "Rhedynen gyfrdwy!", "en": "Royal Fern!", "fr": "Osmonde royale!" })),
        ("missing + \"!\"", json!(null)),
        ("missing + [1]", json!([1])),
        ("tags + [\"new\"] | unique", json!(["fern", "public", "new"])),
        ("name@de ?? @en", json!("Royal Fern")),
        ("if height > 100 then \"tall\" else \"small\"", json!("tall")),
        (
            "if \"e\" in name then name else null",
            json!({ "cy": "Rhedynen gyfrdwy", "en": "Royal Fern", "fr": "Osmonde royale" }),
        ),
        (
            "let words = latin | words; { first: words[0], count: words | count }",
            json!({ "first": "Osmunda", "count": 2 }),
        ),
        ("let height = 3; height + 1", json!(4)),
        ("facts.depth | each it * 2", json!([2, 4])),
        ("facts.depth | each it + (fields.height)", json!([161, 162])),
        ("let h = height; facts.depth | each it + h", json!([161, 162])),
        ("[{ n: 2, t: \"b\" }, { n: 1, t: \"a\" }] | sort n | each t | join \"\"", json!("ab")),
        ("[[1, 2], [3]] | each (it | each it + 1) | flatten", json!([2, 3, 4])),
        ("[curator, lost] | each it.name", json!(["Mair Fenwick", null])),
        ("[curator, lost] | where name != null | count", json!(1)),
        ("[curator, lost] | each counterpart", json!(["row-7", null])),
        ("curator | counterpart people", json!("people-7")),
        ("\"bog\" | lookup sections", json!("Wetlands")),
        ("\"sea\" | lookup sections", json!("Garden")),
        ("alias | fallback", json!({ "cy": "Old fern", "de": "Old fern", "en": "Old fern", "fr": "Old fern" })),
        ("now", json!("2026-11-25T12:00:00Z")),
        ("now | later \"P1D\" | date", json!("2026-11-26")),
        ("previous.latin", json!("Osmunda regalis")),
        ("name | brief 7", json!({ "cy": "Rhedyn…", "en": "Royal…", "fr": "Osmond…" })),
        ("latin | louder", json!("OSMUNDA REGALIS!!")),
        ("let most = 5; latin | brief most + 4", json!("Osmunda…")),
        ("tags | each loud | first", json!("FERN!")),
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
        "latin.name",
        "latin[0]",
        "height < latin",
        "3 in height",
        "not latin",
        "name | date",
        "latin | shorten tags",
        "\"2026-05-01\" | date \"%!\"",
        "1 / 0",
        "9223372036854775807 + 1",
        "\"B9\" | lookup beds",
        "tags | each it.name",
        "tags + 1",
        "height - latin",
        "latin | brief 3 | loud | later \"x\"",
    ];
    insta::assert_snapshot!(texts.map(failure).join("\n"));
}

#[test]
fn what_was_read_is_known() {
    let dependencies = run("[curator.name, lost.name, lost | counterpart] | first").unwrap().dependencies;
    assert_eq!(dependencies.reads.len(), 2);
    assert_eq!(dependencies.not_there().count(), 1);
    let none = &crate::expr::NoWorld;
    assert_eq!((dependencies.still_called_so(&Known), dependencies.still_called_so(none)), (Ok(true), Ok(true)));
    let there = run("curator | counterpart").unwrap().dependencies;
    assert_eq!((there.still_called_so(&Known), there.still_called_so(none)), (Ok(true), Ok(false)));
    assert_eq!(dependencies.dead.iter().map(ToString::to_string).collect::<Vec<_>>(), ["catalogue/curator/c-9"]);
}

struct Damaged;

impl World for Damaged {
    fn follow(&self, _: &Address) -> Result<Option<Referenced>, WorldError> {
        Err(WorldError("the disk is gone".to_owned()))
    }

    fn counterpart(&self, _: &Address, _: Option<&LaneName>) -> Result<Value, WorldError> {
        Err(WorldError("the disk is gone".to_owned()))
    }
}

/// Neither a fallback nor a function makes a value of a failure to look.
#[test]
fn what_cannot_be_looked_at_is_not_absent() {
    for text in [
        "curator.name ?? \"nobody\"",
        "curator | counterpart",
        "[curator] | each item.name | first",
        "curator.name == null",
    ] {
        let error = run_in(text, &subject_fields(), &library(), &Damaged).unwrap_err();
        assert_eq!(error.world, Some(WorldError("the disk is gone".to_owned())), "{text}");
    }
}

#[test]
fn a_condition_needs_one_answer() {
    assert_eq!(is_true(&value_of("missing")), Ok(false));
    assert!(is_true(&value_of("name == \"x\"")).unwrap_err().contains("one per language"));
    assert!(is_true(&value_of("latin")).unwrap_err().contains("not text"));
}

#[test]
fn what_would_never_end_ends() {
    let lists = "let a = [1, 2, 3, 4, 5, 6, 7, 8, 9]; let b = a + a + a + a; ";
    let nested = format!("{lists} b | each (b | each (b | each (b | each (b | each it))))");
    assert!(run(&nested).unwrap_err().message.contains("steps"));
    let doubled = (0..40)
        .fold("let a0 = \"0123456789\"; ".to_owned(), |text, n| text + &format!("let a{} = a{n} + a{n}; ", n + 1));
    assert!(run(&(doubled + "a40")).unwrap_err().message.contains("a text may have"));
}

proptest! {
    /// Evaluating over a localised entry and then taking a language is the same as taking the
    /// language first: expressions never care about the source's shape.
    #[test]
    fn lifting_commutes_with_languages(
        expression in prop::sample::select(vec![
            "a ?? b", "a | upper", "[a, b] | join \"-\"", "[a, b, a] | unique", "a == b", "[a, b] | first", "a in b", "a < b",
            "[[a], b][0]", "not (a == b)", "(a ?? b) | shorten 3", "a + b", "if a == b then a else b", "let x = a; x + x",
            "{ x: a, y: b }.y", "[a, b] | each it + \"!\"", "a | replace \"a\" b", "a | loud", "a | brief 3", "[a, b] | where it == \"a\"",
        ]),
        a in prop::collection::btree_map(prop::sample::select(vec!["en", "fr", "cy"]), "[a-c]{0,5}", 3),
        b in prop::collection::btree_map(prop::sample::select(vec!["en", "fr", "cy"]), "[a-c]{0,5}", 3),
    ) {
        let localised = |map: &std::collections::BTreeMap<&str, String>| {
            Value::Localised(map.iter().map(|(tag, text)| (tag.parse().unwrap(), Value::Text(text.clone()))).collect())
        };
        let fields = Record::from_iter([("a".to_owned(), localised(&a)), ("b".to_owned(), localised(&b))]);
        let library = library();
        let whole = run_over(expression, &fields, &library);
        let record = Value::Record(fields);
        for language in languages_of(&record) {
            let Value::Record(single) = project(&record, language).into_owned() else { unreachable!() };
            let alone = run_over(expression, &single, &library);
            match &whole {
                // A condition over an item that has languages has no one answer.
                Err(_) => prop_assert!(expression.contains("where")),
                Ok(whole) => prop_assert_eq!(project(&whole.value, language).into_owned(), alone.unwrap().value),
            }
        }
    }
}
