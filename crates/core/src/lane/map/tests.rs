use super::*;
use crate::expr::{Referenced, parse};
use crate::lane::{FieldExpression, GonePolicy, LaneEnd};
use crate::model::EntryType;
use crate::value::{LaneName, SystemName, TypeName, from_stored, to_json};
use serde_json::{Value as Json, json};

struct Nobody;

impl Follow for Nobody {
    fn follow(&self, _: &Address) -> Option<Referenced> {
        None
    }
}

fn end(system: &str, kind: &str) -> LaneEnd {
    LaneEnd { system: SystemName::new(system).unwrap(), kind: TypeName::new(kind).unwrap() }
}

fn lane(when: Option<&str>, fields: &[(&str, &str)]) -> Lane {
    let read = |text: &str| FieldExpression { text: text.to_owned(), tree: parse(text).unwrap() };
    Lane {
        name: LaneName::new("profiles").unwrap(),
        from: end("catalogue", "plant"),
        to: end("site", "page"),
        key: Some("slug".to_owned()),
        language: None,
        when: when.map(read),
        gone: GonePolicy::Withdraw,
        fields: fields.iter().map(|(name, text)| ((*name).to_owned(), read(text))).collect(),
    }
}

fn target(documents: Documents) -> Target {
    let field = |kind, required, localised| Field { kind, required, localised, ..Field::default() };
    let mut fields = indexmap::IndexMap::new();
    fields.insert("slug".to_owned(), Field { max_length: Some(20), ..field(FieldKind::Text, true, false) });
    fields.insert("heading".to_owned(), field(FieldKind::Text, true, true));
    fields.insert("body".to_owned(), field(FieldKind::Html, true, true));
    fields.insert("byline".to_owned(), field(FieldKind::Text, false, false));
    Target { documents, fields: Some(EntryType { fields }) }
}

fn plant() -> Json {
    json!({
        "name": { "@languages": { "en": "Royal Fern", "fr": "Osmonde royale", "cy": "Rhedynen gyfrdwy" } },
        "text": { "@languages": { "en": "<p>Tall<script>x</script></p>", "fr": "<p>Haute</p>" } },
        "curator": { "@entry": "catalogue/curator/c-9" },
    })
}

const FIELDS: [(&str, &str); 4] =
    [("slug", "name@en | slug"), ("heading", "name"), ("body", "text"), ("byline", "curator.name")];

/// What the entry becomes, in one line a document or fault.
fn drawn(lane: &Lane, target: &Target, state: State, fields: Json) -> String {
    let address: Address = "catalogue/plant/p-1".parse().unwrap();
    let Ok(Value::Record(fields)) = from_stored(fields) else { panic!() };
    let mapping = map_entry(lane, target, &Subject { address: &address, state, fields: &fields }, &Nobody);
    match mapping.mapped {
        Mapped::Outside => "outside".to_owned(),
        Mapped::Faulty(faults) => describe_faults(&faults).join("\n"),
        Mapped::Goes { documents, incomplete } => {
            let document = |document: &Document| {
                let language = document.language.as_ref().map_or("all".to_owned(), ToString::to_string);
                format!(
                    "{language} {} {}",
                    document.key.as_deref().unwrap_or("-"),
                    to_json(&Value::Record(document.fields.clone()))
                )
            };
            let mut lines: Vec<String> = documents.iter().map(document).collect();
            lines.extend(
                incomplete.iter().map(|(language, missing)| format!("{language} incomplete: {}", missing.join(", "))),
            );
            lines.join("\n")
        }
    }
}

#[test]
fn shapes_of_languages() {
    let lane = lane(None, &FIELDS);
    let one_language = Documents::OneLanguage("fr".parse().unwrap());
    let all = [Documents::PerLanguage, Documents::One, one_language]
        .map(|documents| drawn(&lane, &target(documents), State::Live, plant()));
    insta::assert_snapshot!(all.join("\n---\n"));
}

#[test]
fn who_goes() {
    let target = target(Documents::PerLanguage);
    let goes = |when: Option<&str>, state| !drawn(&lane(when, &FIELDS), &target, state, plant()).starts_with("outside");
    assert!(goes(None, State::Live));
    assert!(!goes(None, State::Draft), "without a condition only what is live goes");
    assert!(goes(Some("state in [\"live\", \"draft\"]"), State::Draft));
    assert!(!goes(Some("true"), State::Gone), "what is gone never goes, whatever the condition");
    assert!(!goes(Some("missing"), State::Live));
}

#[test]
fn faults_name_field_language_and_cause() {
    let target = target(Documents::PerLanguage);
    let long = json!({ "name": { "@languages": { "en": "A very long name of a fern indeed" } }, "text": { "@languages": { "en": "x" } } });
    let nothing = json!({ "name": { "@languages": { "en": "Fern" } } });
    let all = [
        drawn(&lane(None, &FIELDS), &target, State::Live, long),
        drawn(&lane(None, &FIELDS), &target, State::Live, nothing),
        drawn(
            &lane(None, &[("slug", "curator.name"), ("heading", "name"), ("body", "text")]),
            &target,
            State::Live,
            plant(),
        ),
        drawn(&lane(None, &[("slug", "name | slug | first")]), &target, State::Live, plant()),
        drawn(
            &lane(None, &[("slug", "\"a\""), ("heading", "\"b\""), ("body", "\"c\"")]),
            &target,
            State::Live,
            plant(),
        ),
        drawn(&lane(Some("name"), &FIELDS), &target, State::Live, plant()),
    ];
    insta::assert_snapshot!(all.join("\n---\n"));
}

#[test]
fn a_definition_changes_with_what_it_delivers() {
    let target_rows = target(Documents::PerLanguage);
    let base = lane(None, &FIELDS);
    let mut other = base.clone();
    assert_eq!(base.definition(&target_rows), other.definition(&target_rows));
    other.gone = GonePolicy::Keep;
    assert_ne!(base.definition(&target_rows), other.definition(&target_rows));
    assert_ne!(base.definition(&target_rows), base.definition(&target(Documents::One)));
    assert_ne!(base.definition(&target_rows), lane(Some("true"), &FIELDS).definition(&target_rows));
}
