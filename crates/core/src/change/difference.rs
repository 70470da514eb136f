//! What differs between two versions, field by field and language by language.

use std::collections::BTreeSet;

use crate::value::{LanguageTag, Record, Value};

/// A field, or one language of it, that differs.
#[derive(Debug, Clone, PartialEq)]
pub struct Difference {
    /// The field's path: `size.height`.
    pub field: String,
    /// The language, where it has several.
    pub language: Option<LanguageTag>,
    /// What it was; null where it was not there.
    pub old: Value,
    /// What it is; null where it is not there.
    pub new: Value,
}

/// What differs between two records, in the order of the new one and then of what only the old has.
#[must_use]
pub fn differences(old: &Record, new: &Record) -> Vec<Difference> {
    let mut found = Vec::new();
    records("", old, new, &mut found);
    found
}

fn records(before: &str, old: &Record, new: &Record, found: &mut Vec<Difference>) {
    let only_old = old.keys().filter(|name| !new.contains_key(*name));
    for name in new.keys().chain(only_old) {
        let path = if before.is_empty() { name.clone() } else { format!("{before}.{name}") };
        let null = Value::Null;
        compare(&path, old.get(name).unwrap_or(&null), new.get(name).unwrap_or(&null), found);
    }
}

fn compare(path: &str, old: &Value, new: &Value, found: &mut Vec<Difference>) {
    let difference = |language: Option<&LanguageTag>, old: &Value, new: &Value| Difference {
        field: path.to_owned(),
        language: language.cloned(),
        old: old.clone(),
        new: new.clone(),
    };
    match (old, new) {
        (old, new) if old == new => {}
        (Value::Record(old), Value::Record(new)) => records(path, old, new, found),
        (Value::Localised(old), Value::Localised(new)) => {
            let null = Value::Null;
            for tag in old.keys().chain(new.keys()).collect::<BTreeSet<_>>() {
                let (old, new) = (old.get(tag).unwrap_or(&null), new.get(tag).unwrap_or(&null));
                if old != new {
                    found.push(difference(Some(tag), old, new));
                }
            }
        }
        (old, new) => found.push(difference(None, old, new)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::{from_stored, tests::any_value, to_json};
    use proptest::prelude::*;
    use serde_json::json;

    fn record(json: serde_json::Value) -> Record {
        let Ok(Value::Record(record)) = from_stored(json) else { panic!() };
        record
    }

    #[test]
    fn a_line_per_field_and_language() {
        let old = record(
            json!({ "name": { "@languages": { "en": "Fern", "cy": "Rhedyn" } }, "n": 1, "size": { "h": 1, "w": 2 }, "gone": true }),
        );
        let new = record(
            json!({ "name": { "@languages": { "en": "Royal Fern", "fr": "Osmonde", "cy": "Rhedyn" } }, "n": 1, "size": { "h": 3, "w": 2 }, "tags": [] }),
        );
        let drawn: Vec<String> = differences(&old, &new)
            .iter()
            .map(|found| {
                let language = found.language.as_ref().map_or(String::new(), |tag| format!("@{tag}"));
                format!("{}{language} {} {}", found.field, to_json(&found.old), to_json(&found.new))
            })
            .collect();
        assert_eq!(
            drawn,
            [
                r#"name@en "Fern" "Royal Fern""#,
                r#"name@fr null "Osmonde""#,
                "size.h 1 3",
                "tags null []",
                "gone true null"
            ]
        );
    }

    proptest! {
        #[test]
        fn nothing_differs_from_itself(value in any_value()) {
            let record: Record = [("field".to_owned(), value)].into_iter().collect();
            prop_assert_eq!(differences(&record, &record.clone()), vec![]);
        }
    }
}
