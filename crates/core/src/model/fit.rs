//! Whether a value fits a field of the destination.

use super::{Field, FieldKind};
use crate::value::Value;

/// Why a value does not fit.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Misfit {
    /// Nothing there, where something must be.
    #[error("is required and there is nothing for it")]
    Missing,
    /// A value of another kind.
    #[error("must be {expected}, and the lane gives {found}")]
    Kind {
        /// What the field holds.
        expected: String,
        /// What was given.
        found: &'static str,
    },
    /// Text that is not written as it must be.
    #[error("does not match `{pattern}`")]
    Pattern {
        /// The pattern.
        pattern: String,
    },
    /// Text beyond the limit.
    #[error("has {length} characters, and at most {most} fit")]
    TooLong {
        /// How many there are.
        length: usize,
        /// How many may be.
        most: usize,
    },
}

/// Holds a plain (not localised) value against a field.
///
/// # Errors
/// Says why it does not fit.
pub fn fit(field: &Field, value: &Value) -> Result<(), Misfit> {
    if value.is_blank() {
        return if field.required { Err(Misfit::Missing) } else { Ok(()) };
    }
    match value {
        Value::List(items) if field.many => items.iter().try_for_each(|item| fit_one(field, item)),
        one if !field.many => fit_one(field, one),
        other => Err(wrong_kind(field, other)),
    }
}

fn fit_one(field: &Field, value: &Value) -> Result<(), Misfit> {
    let right = match &field.kind {
        FieldKind::Anything => true,
        FieldKind::Choice(words) => is_text(value, |text| words.iter().any(|word| word == text)),
        FieldKind::Text | FieldKind::Html | FieldKind::Markdown | FieldKind::Url => matches!(value, Value::Text(_)),
        FieldKind::Date => is_text(value, |text| text.parse::<jiff::civil::Date>().is_ok()),
        FieldKind::Instant => is_text(value, |text| text.parse::<jiff::Timestamp>().is_ok()),
        FieldKind::Integer => matches!(value, Value::Integer(_)),
        FieldKind::Number => matches!(value, Value::Integer(_) | Value::Number(_)),
        FieldKind::Boolean => matches!(value, Value::Boolean(_)),
        FieldKind::Record => matches!(value, Value::Record(_)),
        // A file is told with what is known of it, by its address, or by what a destination calls it.
        FieldKind::Asset => matches!(value, Value::Record(_) | Value::Text(_) | Value::Integer(_)),
        FieldKind::Reference(_) => matches!(value, Value::Text(_) | Value::Integer(_)),
    };
    if !right {
        return Err(wrong_kind(field, value));
    }
    match (field.max_length, value) {
        (Some(most), Value::Text(text)) if text.chars().count() > most => {
            return Err(Misfit::TooLong { length: text.chars().count(), most });
        }
        _ => {}
    }
    match (&field.pattern, value) {
        (Some(pattern), Value::Text(text)) if !matches(pattern, text) => {
            Err(Misfit::Pattern { pattern: pattern.clone() })
        }
        _ => Ok(()),
    }
}

/// A pattern that cannot be read was refused where it was declared.
fn matches(pattern: &str, text: &str) -> bool {
    regex::Regex::new(pattern).is_ok_and(|pattern| pattern.is_match(text))
}

fn is_text(value: &Value, good: impl Fn(&str) -> bool) -> bool {
    value.as_text().is_some_and(good)
}

fn wrong_kind(field: &Field, found: &Value) -> Misfit {
    let expected = match (field.kind.word(), field.many) {
        (word, true) => format!("a list of {word}"),
        (word @ ("integer" | "instant"), false) => format!("an {word}"),
        ("text", false) => "text".to_owned(),
        (word, false) => format!("a {word}"),
    };
    Misfit::Kind { expected, found: found.kind_name() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::from_json;
    use serde_json::json;

    #[test]
    fn fits_and_misfits() {
        let of = |kind| Field { kind, ..Field::default() };
        let short = Field { kind: FieldKind::Text, max_length: Some(3), required: true, ..Field::default() };
        let list = Field { kind: FieldKind::Text, many: true, ..Field::default() };
        for (field, json, expected) in [
            (of(FieldKind::Text), json!("a"), ""),
            (of(FieldKind::Text), json!(null), ""),
            (of(FieldKind::Text), json!(["a"]), "must be text, and the lane gives list"),
            (short.clone(), json!("ŵŵŵ"), ""),
            (short.clone(), json!("abcd"), "has 4 characters, and at most 3 fit"),
            (short.clone(), json!("  "), "is required and there is nothing for it"),
            (list.clone(), json!(["a", "b"]), ""),
            (list.clone(), json!(["a", 1]), "must be a list of text, and the lane gives integer"),
            (list, json!("a"), "must be a list of text, and the lane gives text"),
            (of(FieldKind::Number), json!(1), ""),
            (of(FieldKind::Integer), json!(1.5), "must be an integer, and the lane gives number"),
            (of(FieldKind::Date), json!("2026-02-30"), "must be a date, and the lane gives text"),
            (of(FieldKind::Instant), json!("2026-02-03T10:00:00Z"), ""),
        ] {
            let found = fit(&field, &from_json(&json)).err().map_or(String::new(), |misfit| misfit.to_string());
            assert_eq!(found, expected, "{field:?}");
        }
    }
}
