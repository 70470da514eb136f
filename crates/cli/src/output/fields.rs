//! An entry's fields as rows: a line per field and language.

use diaporos_core::value::{Record, Value, to_json};

/// A field, or one language of it, as a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct FieldLine {
    /// The field's path.
    pub(crate) field: String,
    /// The language, where it has several.
    pub(crate) language: String,
    /// The value as text.
    pub(crate) value: String,
}

/// The lines of a record, in its order.
pub(crate) fn lines(fields: &Record) -> Vec<FieldLine> {
    let mut lines = Vec::new();
    fields.iter().for_each(|(name, value)| add(name, "", value, &mut lines));
    lines
}

fn add(path: &str, language: &str, value: &Value, lines: &mut Vec<FieldLine>) {
    match value {
        Value::Localised(by_language) => {
            by_language.iter().for_each(|(tag, inner)| add(path, tag.as_str(), inner, lines));
        }
        Value::Record(members) if !members.is_empty() => {
            members.iter().for_each(|(name, inner)| add(&format!("{path}.{name}"), language, inner, lines));
        }
        plain => {
            lines.push(FieldLine { field: path.to_owned(), language: language.to_owned(), value: value_text(plain) });
        }
    }
}

/// A value as people read it.
pub(crate) fn value_text(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::Text(text) => text.clone(),
        Value::Reference(address) => format!("→ {address}"),
        Value::List(items) if items.iter().all(|item| !matches!(item, Value::List(_) | Value::Record(_))) => {
            items.iter().map(value_text).collect::<Vec<_>>().join(", ")
        }
        other => to_json(other).to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use diaporos_core::value::from_stored;
    use serde_json::json;

    #[test]
    fn a_line_per_field_and_language() {
        let stored = json!({
            "name": { "@languages": { "en": "Fern", "fr": "Fougère" } },
            "size": { "height": 3 },
            "tags": ["a", null, 2],
            "curator": { "@entry": "catalogue/curator/c-1" },
            "files": [{ "url": "x" }],
        });
        let Value::Record(fields) = from_stored(stored).unwrap() else { panic!() };
        let drawn: Vec<String> =
            lines(&fields).iter().map(|line| format!("{}|{}|{}", line.field, line.language, line.value)).collect();
        assert_eq!(
            drawn,
            [
                "name|en|Fern",
                "name|fr|Fougère",
                "size.height||3",
                "tags||a, , 2",
                "curator||→ catalogue/curator/c-1",
                r#"files||[{"url":"x"}]"#
            ]
        );
    }
}
