//! What an answer tells beside its content: of lists in it, of what leads on, and of limits.

use serde_json::Value as Json;

use super::usual::Usual;
use crate::http::Answer;
use crate::query::Query;

/// Something that an answer tells beside its content.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fact {
    /// What it is about: `items`, `total`, `more`, `limit`.
    pub about: &'static str,
    /// What is told, and where.
    pub told: String,
}

/// How deep lists are looked for, and how many are told.
const DEPTH: usize = 4;
const LISTS: usize = 5;
/// How many members of an item are named.
const MEMBERS: usize = 12;

/// What an answer tells beside its content: where lists are in it, how many items there are, what leads on, what it may
/// be asked, and by what it is known again.
#[must_use]
pub fn facts(answer: &Answer) -> Vec<Fact> {
    let mut facts = Vec::new();
    let mut tell = |about: &'static str, told: String| facts.push(Fact { about, told });
    if let Ok(json) = answer.json() {
        let mut lists = Vec::new();
        lists_in(&json, "$", DEPTH, &mut lists);
        let longest = lists.iter().map(|(_, items)| items.len()).max().unwrap_or_default();
        for (place, items) in lists.iter().take(LISTS) {
            tell("list", format!("{} at `{place}[*]`, each with {}", items.len(), members(items)));
        }
        let usual = Usual::read(answer, &json, longest as u64);
        if let Some((total, at)) = usual.total {
            tell("total", format!("{total} in all, by {at}"));
        }
        if let Some(pages) = usual.pages {
            tell("total", format!("{pages} pages"));
        }
        if let Some((more, at)) = usual.more {
            tell("more", format!("{}, by {at}", if more { "there is more" } else { "this is the end" }));
        }
    }
    for (name, value) in &answer.headers {
        let is_limit =
            name.starts_with("ratelimit") || name.starts_with("x-ratelimit") || name.starts_with("x-rate-limit");
        match name.as_str() {
            "link" => tell("more", format!("link: {value}")),
            "etag" | "last-modified" => tell("mark", format!("{name}: {value}")),
            "retry-after" => tell("limit", format!("{name}: {value}")),
            _ if is_limit => tell("limit", format!("{name}: {value}")),
            _ => {}
        }
    }
    facts
}

/// The lists of objects in an answer, the outermost first, each with its JSONPath.
pub(super) fn lists_in<'j>(json: &'j Json, place: &str, depth: usize, found: &mut Vec<(String, &'j [Json])>) {
    match json {
        Json::Array(items) if items.iter().any(Json::is_object) => found.push((place.to_owned(), items)),
        Json::Object(by_name) if depth > 0 => {
            for (name, inner) in by_name {
                lists_in(inner, &step(place, name), depth - 1, found);
            }
        }
        _ => {}
    }
}

/// A step of a JSONPath (RFC 9535 §2.5.1).
pub(super) fn step(place: &str, name: &str) -> String {
    let is_plain = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_');
    if is_plain {
        return format!("{place}.{name}");
    }
    format!("{place}['{}']", name.replace('\\', "\\\\").replace('\'', "\\'"))
}

fn members(items: &[Json]) -> String {
    let mut names: Vec<&str> = Vec::new();
    for name in items.iter().filter_map(Json::as_object).flat_map(|item| item.keys()) {
        if !names.contains(&name.as_str()) {
            names.push(name);
        }
    }
    let more = names.len().saturating_sub(MEMBERS);
    let named = names.into_iter().take(MEMBERS).collect::<Vec<_>>().join(", ");
    if more > 0 { format!("{named} and {more} more") } else { named }
}

/// What a JSONPath (RFC 9535) leads to in an answer.
///
/// # Errors
/// Where the text is no JSONPath, or the answer no JSON.
pub fn found_at(answer: &Answer, path: &str) -> Result<Vec<Json>, String> {
    let query =
        Query::constant(path).ok_or_else(|| format!("`{path}` is not a JSONPath (RFC 9535), as `$.entries[*].id`"))?;
    let json = answer.json().map_err(|kind| kind.to_string())?;
    Ok(query.all(&json).into_iter().cloned().collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_an_answer_tells() {
        let body = json!({
            "meta": { "total": 36 },
            "data": { "plant pages": [{ "id": 1, "title": "Fern" }, { "id": 2, "tags": [] }], "shelves": ["north"] },
        });
        let headers = [("ratelimit-remaining", "11"), ("link", "</x?page=2>; rel=\"next\""), ("server", "x")];
        let headers = headers.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
        let answer = Answer::new(200, headers, body.to_string().into_bytes());
        let told: Vec<String> =
            facts(&answer).into_iter().map(|fact| format!("{}: {}", fact.about, fact.told)).collect();
        assert_eq!(
            told,
            [
                "list: 2 at `$.data['plant pages'][*]`, each with id, title, tags",
                "total: 36 in all, by `$.meta.total`",
                "more: there is more, by the header `link`",
                "limit: ratelimit-remaining: 11",
                "more: link: </x?page=2>; rel=\"next\"",
            ]
        );
        assert_eq!(found_at(&answer, "$.data['plant pages'][*].id").unwrap(), [json!(1), json!(2)]);
        assert!(found_at(&answer, "data").unwrap_err().contains("is not a JSONPath"));
    }
}
