use super::*;
use crate::expr::{Library, NoWorld, Slots, compile, parse};
use crate::lane::{Documents, TypeRef};
use crate::model::{EntryType, Field, FieldKind};
use crate::plan::GonePolicy;
use crate::value::{Address, LaneName, SystemName, TypeName, from_stored, to_json};
use serde_json::{Value as Json, json};

fn end(system: &str, kind: &str) -> TypeRef {
    TypeRef { system: SystemName::new(system).unwrap(), kind: TypeName::new(kind).unwrap() }
}

fn read(text: &str, slots: &mut Slots) -> FieldExpression {
    let tree = parse(text).unwrap();
    let (program, findings) = compile(&tree, None, &Library::default(), slots);
    FieldExpression { text: text.to_owned(), tree, program: program.unwrap_or_else(|| panic!("{findings:?}")) }
}

fn lane(when: Option<&str>, fields: &[(&str, &str)]) -> Lane {
    let mut slots = Slots::default();
    Lane {
        name: LaneName::new("profiles").unwrap(),
        from: end("catalogue", "plant"),
        to: end("site", "page"),
        key: Some("slug".to_owned()),
        language: None,
        when: when.map(|text| read(text, &mut slots)),
        require: Vec::new(),
        protect: Vec::new(),
        gone: GonePolicy::Withdraw,
        changed_there: crate::change::MergePolicies::default(),
        references: crate::lane::ReferencePolicy::default(),
        fields: fields.iter().map(|(name, text)| ((*name).to_owned(), read(text, &mut slots))).collect(),
        defaults: indexmap::IndexMap::new(),
        slots,
        library: Library::default().into(),
    }
}

/// Adds rules and defaults.
fn with_rules(mut lane: Lane, require: &[(&str, &str)], protect: &[(&str, &str)], defaults: &[(&str, &str)]) -> Lane {
    let rules = |rules: &[(&str, &str)], slots: &mut Slots| {
        let rule = |(text, message): &(&str, &str)| Rule {
            name: "rule".to_owned(),
            condition: read(text, slots),
            message: (*message).to_owned(),
        };
        rules.iter().map(rule).collect()
    };
    lane.require = rules(require, &mut lane.slots);
    lane.protect = rules(protect, &mut lane.slots);
    lane.defaults = defaults.iter().map(|(name, text)| ((*name).to_owned(), read(text, &mut lane.slots))).collect();
    lane
}

fn mapped(lane: &Lane, target: &Target, state: State, fields: Json) -> Mapping {
    let address: Address = "catalogue/plant/p-1".parse().unwrap();
    let Ok(Value::Record(fields)) = from_stored(fields) else { panic!() };
    let values = lane.slots.resolve(&fields);
    let now: Timestamp = "2026-11-25T12:00:00Z".parse().unwrap();
    let changed = "2026-10-05T09:00:00Z".parse().unwrap();
    let subject = Subject { address: &address, state, values: &values, now: changed, previous: None };
    map_entry(lane, target, subject, &NoWorld, now).unwrap()
}

fn target(documents: Documents) -> Target {
    let field = |kind, required, localised| Field { kind, required, localised, ..Field::default() };
    let mut fields = indexmap::IndexMap::new();
    fields.insert("slug".to_owned(), Field { max_length: Some(20), ..field(FieldKind::Text, true, false) });
    fields.insert("heading".to_owned(), field(FieldKind::Text, true, true));
    fields.insert("body".to_owned(), field(FieldKind::Html, true, true));
    fields.insert("byline".to_owned(), field(FieldKind::Text, false, false));
    Target { documents, fields: Some(EntryType { fields }), languages: Vec::new() }
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
    let mapping = mapped(lane, target, state, fields);
    match mapping.mapped {
        Mapped::Outside => "outside".to_owned(),
        Mapped::Broken(messages) => format!("broken: {}", messages.join("; ")),
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
        drawn(&lane(None, &[("slug", "name[0]")]), &target, State::Live, plant()),
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
    let now = Timestamp::UNIX_EPOCH;
    let base = lane(None, &FIELDS);
    let mut other = base.clone();
    assert_eq!(base.definition(&target_rows, now), other.definition(&target_rows, now));
    other.gone = GonePolicy::Keep;
    assert_ne!(base.definition(&target_rows, now), other.definition(&target_rows, now));
    assert_ne!(base.definition(&target_rows, now), base.definition(&target(Documents::One), now));
    assert_ne!(base.definition(&target_rows, now), lane(Some("true"), &FIELDS).definition(&target_rows, now));
}

#[test]
fn rules_hold_back_and_protect() {
    let target = target(Documents::One);
    let fields = [("slug", "name@en | slug"), ("heading", "name"), ("body", "text")];
    let rules =
        |require: &[(&str, &str)], protect: &[(&str, &str)]| with_rules(lane(None, &fields), require, protect, &[]);
    let broken = rules(&[("picture != null", "a profile needs a picture"), ("name@en != null", "no name")], &[]);
    assert_eq!(
        mapped(&broken, &target, State::Live, plant()).mapped,
        Mapped::Broken(vec!["a profile needs a picture".to_owned()])
    );
    assert_eq!(
        mapped(&broken, &target, State::Draft, plant()).mapped,
        Mapped::Outside,
        "who does not go breaks nothing"
    );
    let guarded = rules(&[], &[("name@en == \"Royal Fern\"", "the front page shows it")]);
    assert_eq!(mapped(&guarded, &target, State::Live, plant()).protected.as_deref(), Some("the front page shows it"));
    let undecided = rules(&[], &[("name@en > 3", "x")]);
    let why = mapped(&undecided, &target, State::Live, plant()).protected.unwrap();
    assert!(why.contains("no order"), "nothing is removed on a guess: {why}");
}

#[test]
fn defaults_fill_what_an_expression_leaves_empty() {
    let fields = [("slug", "name@en | slug"), ("heading", "alias"), ("body", "text")];
    let lane = with_rules(lane(None, &fields), &[], &[], &[("heading", "name"), ("byline", "\"Ostrel Gardens\"")]);
    let mut entry = plant();
    entry["alias"] = json!({ "@languages": { "fr": "La royale", "cy": "  " } });
    let Mapped::Goes { documents, .. } = mapped(&lane, &target(Documents::One), State::Live, entry).mapped else {
        panic!()
    };
    assert_eq!(
        to_json(&Value::Record(documents[0].fields.clone())),
        json!({ "slug": "royal-fern", "heading": { "cy": "Rhedynen gyfrdwy", "en": "Royal Fern", "fr": "La royale" },
                "body": { "en": "<p>Tall</p>", "fr": "<p>Haute</p>" }, "byline": "Ostrel Gardens" })
    );
}

#[test]
fn now_in_a_field_is_when_the_entry_changed() {
    let lane = lane(Some("now > \"2026-11-01\""), &[("slug", "now | date | slug")]);
    let target = Target { fields: None, ..target(Documents::One) };
    let Mapped::Goes { documents, .. } = mapped(&lane, &target, State::Live, plant()).mapped else { panic!() };
    assert_eq!(documents[0].key.as_deref(), Some("2026-10-05"));
    assert!(lane.depends_on_time());
    let at = |text: &str| lane.definition(&target, text.parse().unwrap());
    assert_eq!(at("2026-11-25T12:00:01Z"), at("2026-11-25T12:00:59Z"));
    assert_ne!(at("2026-11-25T12:00:01Z"), at("2026-11-25T12:01:01Z"));
}
