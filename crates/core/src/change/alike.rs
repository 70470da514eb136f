//! Whether a value is another's in a destination's own form: trimmed, escaped, rounded, sorted.

use jiff::Timestamp;

use crate::value::Value;

/// Whether two values say the same, each in its own form. White space, HTML entities, the order of a
/// list, trailing zeros and the offset of an instant are form; anything else is not.
#[must_use]
pub fn alike(one: &Value, other: &Value) -> bool {
    match (one, other) {
        _ if one == other => true,
        (Value::Null, Value::Text(text)) | (Value::Text(text), Value::Null) => text.trim().is_empty(),
        (Value::Null, Value::List(items)) | (Value::List(items), Value::Null) => items.is_empty(),
        (Value::Text(one), Value::Text(other)) => texts_alike(one, other),
        (Value::List(one), Value::List(other)) => {
            one.len() == other.len() && {
                let mut left: Vec<&Value> = other.iter().collect();
                one.iter().all(|item| {
                    let place = left.iter().position(|other| alike(item, other));
                    place.map(|place| left.swap_remove(place)).is_some()
                })
            }
        }
        (Value::Localised(one), Value::Localised(other)) => {
            let tags = one.keys().chain(other.keys());
            let of = |side: &std::collections::BTreeMap<_, Value>, tag| side.get(tag).cloned().unwrap_or_default();
            tags.into_iter().all(|tag| alike(&of(one, tag), &of(other, tag)))
        }
        (Value::Record(one), Value::Record(other)) => {
            let of = |side: &crate::value::Record, name: &String| side.get(name).cloned().unwrap_or_default();
            one.keys().chain(other.keys()).all(|name| alike(&of(one, name), &of(other, name)))
        }
        (one, other) => match (one.scalar_text(), other.scalar_text()) {
            (Some(one), Some(other)) => texts_alike(&one, &other),
            _ => false,
        },
    }
}

fn texts_alike(one: &str, other: &str) -> bool {
    if let (Ok(one), Ok(other)) = (one.parse::<Timestamp>(), other.parse::<Timestamp>()) {
        return one == other;
    }
    if let (Ok(one), Ok(other)) = (one.trim().parse::<f64>(), other.trim().parse::<f64>()) {
        return (one - other).abs() <= one.abs().max(other.abs()) * 1e-6;
    }
    plain_form(one) == plain_form(other)
}

/// Without escapes, and with single spaces.
fn plain_form(text: &str) -> String {
    let text = ["&lt;", "<", "&gt;", ">", "&quot;", "\"", "&#39;", "'", "&#x27;", "'", "&nbsp;", " ", "&amp;", "&"]
        .chunks(2)
        .fold(text.to_owned(), |text, pair| text.replace(pair[0], pair[1]));
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::from_stored;
    use serde_json::json;

    #[test]
    fn forms_of_the_same() {
        for (one, other, expected) in [
            (json!("Fern"), json!("Fern "), true),
            (json!("a & b <i>"), json!("a &amp; b &lt;i&gt;"), true),
            (json!("a\n  b"), json!("a b"), true),
            (json!(["b", "a"]), json!(["a", "b"]), true),
            (json!(["a", "a"]), json!(["a", "b"]), false),
            (json!(14), json!("14.00"), true),
            (json!(1.0), json!(1.000_000_1), true),
            (json!(1.5), json!(2), false),
            (json!("2026-05-01T10:00:00+02:00"), json!("2026-05-01T08:00:00Z"), true),
            (json!(null), json!(""), true),
            (json!("Fern"), json!("fern"), false),
            (json!("Fern"), json!("Tall fern"), false),
            (json!(true), json!(false), false),
            (json!({ "@languages": { "en": "a" } }), json!({ "@languages": { "en": "a ", "fr": "" } }), true),
        ] {
            let of = |json: &serde_json::Value| from_stored(json.clone()).unwrap();
            assert_eq!(alike(&of(&one), &of(&other)), expected, "{one} {other}");
            assert_eq!(alike(&of(&other), &of(&one)), expected, "{other} {one}");
        }
    }
}
