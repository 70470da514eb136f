//! Putting an entry together from its languages, where a source lists each by itself.

use std::collections::BTreeSet;

use super::Incoming;
use crate::change::fingerprint;
use crate::value::{LanguageTag, Localised, Record, Revision, State, Value};
use serde_json::{Map, Value as Json};

/// The languages of one entry.
pub type Parts = Vec<(LanguageTag, Incoming)>;

/// One entry from its languages.
///
/// The entry is in the state of its liveliest language, and languages in another state do not show
/// in it. A field is a value per language where the model says so, or, of a field that is in no
/// model, where its values differ; any other has the value of the main language, or of the first
/// that has one.
#[must_use]
pub fn join(parts: Parts, main: Option<&LanguageTag>, declared: &dyn Fn(&str) -> Option<bool>) -> Option<Incoming> {
    let state = parts.iter().map(|(_, part)| part.state).max_by_key(|state| liveliness(*state))?;
    let id = parts.first()?.1.id.clone();
    let revision = revisions(&parts);
    let (raw, notes) = (raws(&parts), parts.iter().flat_map(|(_, part)| part.notes.clone()).collect());
    let mut shown: Vec<(LanguageTag, Record)> =
        parts.into_iter().filter(|(_, part)| part.state == state).map(|(tag, part)| (tag, part.fields)).collect();
    shown.sort_by(|(a, _), (b, _)| (Some(a) != main, a).cmp(&(Some(b) != main, b)));
    let mut names: Vec<String> = Vec::new();
    let mut known = BTreeSet::new();
    for name in shown.iter().flat_map(|(_, fields)| fields.keys()) {
        if known.insert(name.clone()) {
            names.push(name.clone());
        }
    }
    let mut fields = Record::default();
    for name in names {
        let values: Localised = shown
            .iter()
            .filter_map(|(tag, fields)| {
                Some((tag.clone(), fields.get(&name).filter(|value| !value.is_null())?.clone()))
            })
            .collect();
        let localised =
            declared(&name).unwrap_or_else(|| values.values().any(|value| Some(value) != values.values().next()));
        let first = shown.iter().find_map(|(tag, _)| values.get(tag)).cloned().unwrap_or_default();
        fields.insert(name, if localised { Value::Localised(values) } else { first });
    }
    let value = Value::Record(fields);
    let fingerprint = fingerprint(&value);
    let Value::Record(fields) = value else { return None };
    Some(Incoming { id, part: None, state, revision, fields, fingerprint, raw, notes })
}

/// What the source gave, by language; a text that is JSON stands there as JSON.
fn raws(parts: &[(LanguageTag, Incoming)]) -> Option<String> {
    let each = parts.iter().filter_map(|(tag, part)| {
        let raw = part.raw.as_deref()?;
        Some((tag.to_string(), serde_json::from_str(raw).unwrap_or_else(|_| raw.into())))
    });
    let each: Map<String, Json> = each.collect();
    (!each.is_empty()).then(|| Json::Object(each).to_string())
}

fn liveliness(state: State) -> u8 {
    match state {
        State::Live => 4,
        State::Scheduled => 3,
        State::Draft => 2,
        State::Withdrawn => 1,
        State::Gone => 0,
    }
}

/// The revisions of all languages as one, so that a change of any shows.
fn revisions(parts: &[(LanguageTag, Incoming)]) -> Option<Revision> {
    let mut each: Vec<String> =
        parts.iter().filter_map(|(tag, part)| Some(format!("{tag}:{}", part.revision.as_ref()?))).collect();
    each.sort();
    Revision::new(each.join(" ")).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::{EntryId, from_json, to_json};
    use proptest::prelude::*;
    use serde_json::json;

    fn part(tag: &str, revision: &str, state: State, fields: serde_json::Value) -> (LanguageTag, Incoming) {
        let Value::Record(fields) = from_json(&fields) else { panic!() };
        let fingerprint = fingerprint(&Value::Record(fields.clone()));
        let tag: LanguageTag = tag.parse().unwrap();
        let id = EntryId::new("7").unwrap();
        let revision = Revision::new(revision).ok();
        let raw = Some(format!("as received in {tag}"));
        (tag.clone(), Incoming { id, part: Some(tag), state, revision, fields, fingerprint, raw, notes: Vec::new() })
    }

    fn drawn(parts: Vec<(LanguageTag, Incoming)>) -> String {
        let main: LanguageTag = "en".parse().unwrap();
        let declared = |name: &str| match name {
            "title" => Some(true),
            "slug" => Some(false),
            _ => None,
        };
        let entry = join(parts, Some(&main), &declared).unwrap();
        let revision = entry.revision.map_or(String::new(), |revision| revision.to_string());
        format!("{} [{revision}] {}", entry.state, to_json(&Value::Record(entry.fields)))
    }

    #[test]
    fn languages_become_one_entry() {
        let fr = part("fr", "2", State::Live, json!({ "title": "Fougère", "slug": "fougere", "n": 1, "note": "x" }));
        let en = part("en", "5", State::Live, json!({ "title": "Fern", "slug": "fern", "n": 1, "note": "y" }));
        assert_eq!(
            drawn(vec![fr, en]),
            r#"live [en:5 fr:2] {"title":{"en":"Fern","fr":"Fougère"},"slug":"fern","n":1,"note":{"en":"y","fr":"x"}}"#
        );
    }

    #[test]
    fn a_language_that_is_a_draft_does_not_show_in_what_is_live() {
        let fr = part("fr", "", State::Draft, json!({ "title": "Fougère" }));
        let en = part("en", "", State::Live, json!({ "title": "Fern" }));
        assert_eq!(drawn(vec![en, fr.clone()]), r#"live [] {"title":{"en":"Fern"}}"#);
        assert_eq!(drawn(vec![fr]), r#"draft [] {"title":{"fr":"Fougère"}}"#);
    }

    #[test]
    fn what_was_received_is_kept_by_language() {
        let (en, fr) = (part("en", "", State::Live, json!({})), part("fr", "", State::Live, json!({})));
        let fr = (fr.0, Incoming { raw: Some(r#"{"n": 1}"#.to_owned()), notes: vec!["mended".to_owned()], ..fr.1 });
        let entry = join(vec![en, fr], None, &|_| None).unwrap();
        assert_eq!(entry.raw.as_deref(), Some(r#"{"en":"as received in en","fr":{"n":1}}"#));
        assert_eq!(entry.notes, ["mended"]);
    }

    proptest! {
        #[test]
        fn the_order_of_languages_does_not_count(order in Just(vec!["en", "fr", "cy"]).prop_shuffle()) {
            let parts = |tags: &[&str]| tags.iter().map(|tag| part(tag, "1", State::Live, json!({ "title": tag, "slug": tag, "n": tag.len() }))).collect();
            prop_assert_eq!(drawn(parts(&order)), drawn(parts(&["cy", "en", "fr"])));
        }
    }
}
