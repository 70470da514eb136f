//! What an error's body says: in a sentence, and field by field where it names fields.

use diaporos_core::text::{Cut, plain, shorten};
use serde_json::Value as Json;

use crate::blank::blank;

/// How much of a body is looked at.
const LOOKED_AT: usize = 64 * 1024;
/// How much of it is shown.
const SHOWN: usize = 400;
/// How many fields are shown.
const FIELDS: usize = 8;

/// The sentence in an error's body: a problem document's (RFC 9457), a common member's, or its start;
/// and what it says of single fields.
pub(crate) fn describe(body: &[u8]) -> String {
    let whole = String::from_utf8_lossy(&body[..body.len().min(LOOKED_AT)]);
    let text = blank(&whole);
    let json: Option<Json> = serde_json::from_str(&text).ok();
    let sentence = json.as_ref().and_then(sentence);
    let fields = json.as_ref().map(fields).unwrap_or_default();
    let plain = match (sentence, fields.is_empty()) {
        (Some(sentence), true) => sentence,
        (Some(sentence), false) => format!("{sentence}: {}", fields.join("; ")),
        (None, false) => fields.join("; "),
        (None, true) if text.trim_start().starts_with('<') => plain(&text).unwrap_or_default(),
        (None, true) => text.trim().to_owned(),
    };
    // Decoding may have brought one to light.
    let one_line: String = blank(&plain).chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
    shorten(&one_line, SHOWN, Cut::Words)
}

fn sentence(json: &Json) -> Option<String> {
    let named = ["detail", "message", "error", "reason", "title"];
    let of = |json: &Json| named.iter().find_map(|key| json.get(key).and_then(Json::as_str)).map(str::to_owned);
    of(json).or_else(|| json.get("error").and_then(of))
}

/// What a body says of fields: a list of errors that point at one, or an object by field.
fn fields(json: &Json) -> Vec<String> {
    let places = ["/errors", "/error/errors", "/invalid-params", "/violations", "/details", "/fieldErrors"];
    let found = places.iter().find_map(|place| json.pointer(place)).unwrap_or_else(|| bare_fields(json));
    let all: Vec<String> = match found {
        Json::Array(items) => items.iter().filter_map(item).collect(),
        Json::Object(by_field) => {
            by_field.iter().filter_map(|(field, said)| Some(of_field(field, &words(said)?))).collect()
        }
        _ => Vec::new(),
    };
    let more = all.len().saturating_sub(FIELDS);
    let mut shown: Vec<String> = all.into_iter().take(FIELDS).collect();
    if more > 0 {
        shown.push(format!("and {more} more"));
    }
    shown
}

/// The whole body, where it is an object of fields with a list of sentences each, and nothing else.
fn bare_fields(json: &Json) -> &Json {
    let is_sentences = |said: &Json| {
        said.as_array()
            .is_some_and(|items| !items.is_empty() && items.iter().all(|item| item.is_string() || item.is_object()))
    };
    match json {
        Json::Object(members) if !members.is_empty() && members.values().all(is_sentences) => json,
        _ => &Json::Null,
    }
}

fn item(item: &Json) -> Option<String> {
    if let Json::String(text) = item {
        return Some(text.clone());
    }
    let said = ["detail", "message", "reason", "msg", "description", "title"].iter().find_map(|key| item.get(key))?;
    let said = words(said)?;
    let places =
        ["/pointer", "/field", "/path", "/name", "/property", "/param", "/source/pointer", "/propertyPath", "/loc"];
    let field = places.iter().find_map(|place| item.pointer(place)).and_then(field_name);
    Some(field.map_or_else(|| said.clone(), |field| of_field(&field, &said)))
}

fn of_field(field: &str, said: &str) -> String {
    // Some sentences begin with the field's name themselves.
    if said.starts_with(&format!("{field}:")) { said.to_owned() } else { format!("{field}: {said}") }
}

/// `#/heading/en` (RFC 9457, JSON Pointer), `heading.en`, or a list of steps.
fn field_name(place: &Json) -> Option<String> {
    match place {
        Json::String(text) => {
            let steps = text.trim_start_matches(['#', '/', '$', '.']).replace('/', ".");
            (!steps.is_empty()).then_some(steps)
        }
        Json::Array(steps) => {
            let steps: Vec<String> = steps.iter().filter_map(words).collect();
            (!steps.is_empty()).then(|| steps.join("."))
        }
        _ => None,
    }
}

fn words(json: &Json) -> Option<String> {
    match json {
        Json::String(text) => Some(text.clone()),
        Json::Number(number) => Some(number.to_string()),
        Json::Array(items) => {
            let all: Vec<String> = items.iter().filter_map(words).collect();
            (!all.is_empty()).then(|| all.join(", "))
        }
        Json::Object(members) => members.get("message").and_then(words),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn sentences_and_fields() {
        for (body, expected) in [
            (json!({ "title": "Invalid", "detail": "slug is taken" }), "slug is taken"),
            (
                json!({ "title": "Not valid", "errors": [
                    { "detail": "at most 90 characters", "pointer": "#/heading" },
                    { "detail": "is taken", "pointer": "#/slug/en" },
                ] }),
                "Not valid: heading: at most 90 characters; slug.en: is taken",
            ),
            (json!({ "errors": { "slug": ["is taken", "is short"], "x": {} } }), "slug: is taken, is short"),
            (
                json!({ "heading": ["is too long", "is odd"], "slug": ["is taken"] }),
                "heading: is too long, is odd; slug: is taken",
            ),
            (json!({ "message": "no", "errors": ["a", "b"] }), "no: a; b"),
            (json!({ "detail": [1], "invalid-params": [{ "name": "age", "reason": "too old" }] }), "age: too old"),
            (json!({ "errors": [{ "message": "heading: too long", "path": ["heading"] }] }), "heading: too long"),
            (json!({ "error": { "message": "denied" } }), "denied"),
        ] {
            assert_eq!(describe(body.to_string().as_bytes()), expected, "{body}");
        }
        assert_eq!(describe(b"<html><body><h1>Oops</h1>down\x1b[2J</body></html>"), "Oops down [2J");
        let many = json!({ "errors": (0..20).map(|n| json!({ "field": format!("f{n}"), "message": "no" })).collect::<Vec<_>>() });
        assert!(describe(many.to_string().as_bytes()).ends_with("f7: no; and 12 more"));
    }
}
