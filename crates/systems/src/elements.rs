//! Values as the elements of a document in XML, and back. An element is an object with its attributes as `@name`, its
//! text as `#text`, and its children as lists under their names, as [`diaporos_core::text::xml`] reads it.

use diaporos_core::value::{Localised, Value, to_json};
use serde_json::{Map, Value as Json, json};

use crate::languages::{LanguageCodes, UnknownCode};
use crate::query::scalar_text;

/// A value as elements: one for each item of a list.
pub(crate) fn of_value(value: &Json) -> Json {
    match value {
        Json::Array(items) => Json::Array(items.iter().map(one).collect()),
        value => Json::Array(vec![one(value)]),
    }
}

fn one(value: &Json) -> Json {
    match value {
        Json::Null => json!({}),
        Json::Object(members) => {
            let is_own = |name: &str| name.starts_with('@') || name == "#text";
            let member = |(name, inner): (&String, &Json)| {
                let inner = if is_own(name) { inner.clone() } else { of_value(inner) };
                (name.clone(), inner)
            };
            Json::Object(members.iter().map(member).collect())
        }
        Json::Array(_) => json!({ "item": of_value(value) }),
        Json::Bool(_) | Json::Number(_) => json!({ "#text": value.to_string() }),
        Json::String(text) if text.is_empty() => json!({}),
        text => json!({ "#text": text }),
    }
}

/// A value per language as elements of one name, each with its language in an attribute.
///
/// # Errors
/// Where the system has no code for a language.
pub(crate) fn of_languages(
    by_language: &Localised,
    attribute: &str,
    codes: &LanguageCodes,
) -> Result<Json, UnknownCode> {
    let node = |(tag, inner): (_, &Value)| {
        let mut node = Map::new();
        node.insert(attribute.to_owned(), Json::String(codes.code(tag)?));
        if let Json::Object(members) = one(&to_json(inner)) {
            node.extend(members);
        }
        Ok(Json::Object(node))
    };
    by_language.iter().map(node).collect::<Result<Vec<_>, _>>().map(Json::Array)
}

/// What elements hold, without the form of elements: an element with a text alone is that text, an empty one nothing.
/// Several are a list, and one is where many can be.
pub(crate) fn plain(elements: &Json, many: bool) -> Json {
    match elements {
        Json::Array(items) if many || items.len() > 1 => Json::Array(items.iter().map(plain_one).collect()),
        Json::Array(items) => items.first().map_or(Json::Null, plain_one),
        other if many && !other.is_null() => Json::Array(vec![plain_one(other)]),
        other => plain_one(other),
    }
}

fn plain_one(element: &Json) -> Json {
    let Json::Object(members) = element else { return element.clone() };
    match (members.len(), members.get("#text")) {
        (0, _) => Json::Null,
        (1, Some(text)) => text.clone(),
        _ => Json::Object(members.iter().map(|(name, inner)| (name.clone(), plain(inner, false))).collect()),
    }
}

/// The values of elements by the language that an attribute names; none where one names none that is known.
pub(crate) fn by_language(elements: &Json, attribute: &str, codes: &LanguageCodes) -> Option<Value> {
    let Json::Array(nodes) = elements else { return None };
    let node = |node: &Json| {
        let tag = codes.tag(&node.get(attribute).and_then(scalar_text)?).ok()?;
        let mut own = node.as_object()?.clone();
        own.shift_remove(attribute);
        Some((tag, diaporos_core::value::from_json(&plain_one(&Json::Object(own)))))
    };
    nodes.iter().map(node).collect::<Option<Localised>>().map(Value::Localised)
}

/// What a document has within the element around it all.
pub(crate) fn within_root(document: &Json) -> &Json {
    let only = document.as_object().filter(|members| members.len() == 1).and_then(|members| members.values().next());
    only.filter(|inner| inner.is_object()).unwrap_or(document)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_elements_and_elements_are_values() {
        for (value, elements, many) in [
            (json!("Fern"), json!([{ "#text": "Fern" }]), false),
            (json!(3), json!([{ "#text": "3" }]), false),
            (json!(null), json!([{}]), false),
            (json!(["a", "b"]), json!([{ "#text": "a" }, { "#text": "b" }]), true),
            (json!([]), json!([]), true),
            (
                json!({ "cm": "3", "@unit": "x", "of": ["a", "b"] }),
                json!([{ "cm": [{ "#text": "3" }], "@unit": "x", "of": [{ "#text": "a" }, { "#text": "b" }] }]),
                false,
            ),
        ] {
            assert_eq!(of_value(&value), elements);
            let back = plain(&elements, many);
            assert!(back == value || value == json!(3) && back == json!("3"), "{back} of {value}");
        }
        assert_eq!(plain(&json!([{ "#text": "one" }]), true), json!(["one"]), "one of many is a list");
    }
}
