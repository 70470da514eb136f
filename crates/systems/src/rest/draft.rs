//! A first profile from an answer that a system gave: what is seen in it of items, fields, languages and paging, to be
//! gone over by a person.

use diaporos_core::model::{Field, Observer};
use diaporos_core::value::{LanguageTag, Localised, Record, Value, from_json};
use serde_json::{Map, Value as Json};

use super::facts::{lists_in, step};
use crate::openapi::{Draft, key, quoted, type_name};
use crate::query::scalar_text;

/// Why an answer gives no profile.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AnswerError {
    /// It is no JSON.
    #[error("the answer is not JSON: {0}")]
    Syntax(String),
    /// Nothing in it is a list of objects, and it is none itself.
    #[error("there is no list of objects in the answer, and nothing to draw a type from")]
    NoItems,
}

/// How deep lists are looked for.
const DEPTH: usize = 4;
/// Members that usually identify an item, the likeliest first.
const IDS: [&str; 9] = ["id", "uuid", "_id", "uid", "uri", "key", "guid", "slug", "name"];
const REVISIONS: [&str; 8] = ["revision", "version", "rev", "_rev", "etag", "updated_at", "updatedAt", "modified"];
const MOMENTS: [&str; 8] =
    ["updated_at", "updatedAt", "updated", "modified_at", "modifiedAt", "modified", "changed_at", "last_modified"];
const STATES: [&str; 3] = ["status", "state", "published"];
/// Members that usually hold the fields.
const WITHIN: [&str; 5] = ["attributes", "fields", "content", "data", "properties"];
/// Where what leads on usually stands.
const NEXT: [&str; 12] = [
    "/next",
    "/links/next",
    "/_links/next/href",
    "/meta/next",
    "/paging/next",
    "/pagination/next",
    "/next_cursor",
    "/nextCursor",
    "/meta/next_cursor",
    "/paging/cursors/after",
    "/next_page_token",
    "/nextPageToken",
];

/// Makes a profile of the answer that a path gave.
///
/// # Errors
/// Where there is nothing in it to make one of.
pub fn draft_of_answer(text: &str, path: &str) -> Result<Draft, AnswerError> {
    let json: Json = serde_json::from_str(text).map_err(|error| AnswerError::Syntax(error.to_string()))?;
    let mut lists = Vec::new();
    lists_in(&json, "$", DEPTH, &mut lists);
    let longest = lists.iter().max_by_key(|(_, items)| items.len());
    let alone = [json.clone()];
    let (place, items): (String, &[Json]) = match (longest, &json) {
        (Some((place, items)), _) => (format!("{place}[*]"), items),
        (None, Json::Object(_)) => ("$".to_owned(), &alone),
        _ => return Err(AnswerError::NoItems),
    };
    let items: Vec<&Map<String, Json>> = items.iter().filter_map(Json::as_object).collect();
    let name = type_name(path.split('?').next().unwrap_or_default());
    let mut lines = vec![
        format!(
            "# A first profile, drawn from {} items that {path} gave. Go over it: what is marked with `?` is a guess.",
            items.len()
        ),
        "# docs/profiles.md explains each key.\n".to_owned(),
        format!("[types.{}.read]", key(&name)),
        format!("list      = {}", quoted(path)),
        format!("items     = {}", quoted(&place)),
    ];
    lines.extend(of_items(&items));
    lines.push(paging(&json));
    let within = within(&items);
    lines.push(format!("\n[types.{}.fields]", key(&name)));
    lines.extend(field_lines(&items, within));
    Ok(Draft { profile: lines.join("\n") + "\n", types: vec![name], url: None })
}

/// Where things are in an item.
fn of_items(items: &[&Map<String, Json>]) -> Vec<String> {
    let in_all = |name: &&&str| items.iter().all(|item| item.get(**name).is_some_and(|json| !json.is_null()));
    let mut lines = Vec::new();
    let told = |name: &str| {
        let mut seen: Vec<String> = items.iter().filter_map(|item| scalar_text(item.get(name)?)).collect();
        let all = seen.len() == items.len();
        seen.sort_unstable();
        seen.dedup();
        all && seen.len() == items.len()
    };
    lines.push(match IDS.iter().find(|name| told(name)) {
        Some(id) => format!("id        = {}", quoted(&step("$", id))),
        None => "id        = \"$.id\"   # ? no member of the items tells them apart".to_owned(),
    });
    if let Some(revision) = REVISIONS.iter().find(in_all) {
        lines.push(format!("revision  = {}   # ?", quoted(&step("$", revision))));
    }
    if let Some(state) = STATES.iter().find(in_all) {
        let mut words: Vec<String> = items
            .iter()
            .filter_map(|item| match item.get(*state)? {
                Json::Bool(truth) => Some(truth.to_string()),
                other => scalar_text(other),
            })
            .collect();
        words.sort_unstable();
        words.dedup();
        lines.push(format!("state     = {}   # ?", quoted(&step("$", state))));
        let meaning = |word: &String| {
            let means = match word.to_ascii_lowercase().as_str() {
                "draft" | "pending" | "new" | "false" => "draft",
                "archived" | "retired" | "withdrawn" | "hidden" | "unpublished" => "withdrawn",
                _ => "live",
            };
            format!("{} = \"{means}\"", key(word))
        };
        lines.push(format!("states    = {{ {} }}   # ?", words.iter().map(meaning).collect::<Vec<_>>().join(", ")));
    }
    if let Some(within) = within(items) {
        lines.push(format!("fields_at = {}", quoted(&step("$", within))));
    }
    if let Some(moment) = MOMENTS.iter().find(in_all) {
        lines.push(format!(
            "# since   = {{ parameter = \"updated_after\", at = {} }}   # ? where it can be asked for changes",
            quoted(&step("$", moment))
        ));
    }
    lines
}

/// The member that holds the fields, where one does.
fn within(items: &[&Map<String, Json>]) -> Option<&'static str> {
    WITHIN.into_iter().find(|name| {
        items.iter().all(|item| {
            item.get(*name).and_then(Json::as_object).is_some_and(|inner| inner.len() > 1 && !is_localised(inner))
        })
    })
}

/// How the listing goes on, as far as one page tells.
fn paging(json: &Json) -> String {
    let found = NEXT.iter().find_map(|place| Some((place, json.pointer(place)?)));
    let Some((place, next)) = found else {
        return "# paging  = { style = \"page\" }   # ? nothing in the answer leads on; where it has more pages, say how they are asked for".to_owned();
    };
    let at = place.split('/').skip(1).fold("$".to_owned(), |at, name| step(&at, name));
    let is_address =
        next.as_str().is_some_and(|text| text.starts_with("http") || text.starts_with('/') || text.starts_with('?'));
    let looks_like_one = place.ends_with("next") || place.ends_with("href");
    if is_address || next.is_null() && looks_like_one {
        format!("paging    = {{ style = \"address\", next = {} }}", quoted(&at))
    } else {
        format!(
            "paging    = {{ style = \"cursor\", parameter = \"cursor\", next = {} }}   # ? the name of the parameter",
            quoted(&at)
        )
    }
}

/// Whether an object has a value per language: every name is a language of two or three letters, with or without a
/// region, and every value is of one kind.
fn is_localised(object: &Map<String, Json>) -> bool {
    let is_code = |name: &String| {
        let first = name.split('-').next().unwrap_or_default();
        (2..=3).contains(&first.len())
            && first.chars().all(|c| c.is_ascii_lowercase())
            && name.parse::<LanguageTag>().is_ok()
    };
    let is_text = |json: &Json| json.is_string() || json.is_null();
    !object.is_empty() && object.keys().all(is_code) && object.values().all(is_text) && !object.contains_key("id")
}

fn value(json: &Json) -> Value {
    match json {
        Json::Object(object) if is_localised(object) => {
            let by_language = object.iter().filter_map(|(tag, json)| Some((tag.parse().ok()?, from_json(json))));
            Value::Localised(by_language.collect::<Localised>())
        }
        other => from_json(other),
    }
}

fn field_lines(items: &[&Map<String, Json>], within: Option<&str>) -> Vec<String> {
    let mut observer = Observer::default();
    for item in items {
        let fields = within.and_then(|name| item.get(name)?.as_object()).unwrap_or(item);
        let record: Record = fields.iter().map(|(name, json)| (name.clone(), value(json))).collect();
        observer.see(&record);
    }
    let line = |(name, field): (String, Field)| {
        let kind = field.kind.word();
        let more = [("localised", field.localised), ("many", field.many)];
        let more: String = more.iter().filter(|(_, is)| *is).map(|(word, _)| format!(", {word} = true")).collect();
        if more.is_empty() {
            format!("{} = \"{kind}\"", key(&name))
        } else {
            format!("{} = {{ kind = \"{kind}\"{more} }}", key(&name))
        }
    };
    observer.entry_type().fields.into_iter().map(line).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_an_answer_shows_becomes_a_profile() {
        let answer = json!({
            "data": [
                { "id": "1", "status": "published", "updated_at": "2026-05-01T09:00:00Z",
                  "attributes": { "title": { "en": "Fern", "fr": "Fougère" }, "tags": ["wet"], "height": 90, "body": "<p>Tall.</p>" } },
                { "id": "2", "status": "draft", "updated_at": "2026-05-02T09:00:00Z",
                  "attributes": { "title": { "en": "Moss" }, "tags": [], "height": 1.5, "body": "Small." } },
            ],
            "links": { "next": "/plants?page=2" },
        });
        let draft = draft_of_answer(&answer.to_string(), "/v1/plants?type=x").unwrap();
        insta::assert_snapshot!(draft.profile);
        assert_eq!(draft.types, ["plant"]);
    }

    #[test]
    fn what_is_no_listing_is_told_or_is_one_entry() {
        assert_eq!(draft_of_answer("[1, 2]", "/x"), Err(AnswerError::NoItems));
        assert!(matches!(draft_of_answer("<html>", "/x"), Err(AnswerError::Syntax(_))));
        let one = draft_of_answer(r#"{ "id": 7, "title": "Fern" }"#, "/about").unwrap().profile;
        assert!(one.contains("items     = \"$\"") && one.contains("id        = \"$.id\""), "{one}");
    }
}
