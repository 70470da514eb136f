//! From a document of news items to entries.

use diaporos_core::change::fingerprint;
use diaporos_core::intake::Incoming;
use diaporos_core::value::{EntryId, Record, Revision, State, Value, from_json};
use serde_json::{Map, Value as Json};

use crate::Problem;

/// Raised when items come to be read otherwise, so that unchanged documents are read anew.
pub(super) const SCHEME: &str = "ninjs 1";
/// Items within items, at most.
const DEEPEST: usize = 8;

/// Reads one item, an array of items, or an object with an array of them.
pub(crate) fn decode(json: &Json) -> Result<(Vec<Incoming>, Vec<Problem>), String> {
    let items: Vec<&Json> = match json {
        Json::Array(items) => items.iter().collect(),
        Json::Object(members) if members.contains_key("uri") => vec![json],
        Json::Object(members) => {
            let lists = ["items", "data", "results"];
            let list = lists.iter().find_map(|name| members.get(*name).and_then(Json::as_array));
            list.ok_or("expected a news item with a `uri`, or a list of them")?.iter().collect()
        }
        _ => return Err("expected a news item with a `uri`, or a list of them".to_owned()),
    };
    let (mut entries, mut problems) = (Vec::new(), Vec::new());
    for (place, item) in items.into_iter().enumerate() {
        match incoming(item) {
            Ok(entry) => entries.push(entry),
            Err(message) => problems.push(Problem::unnamed(format!("item {}", place + 1), message)),
        }
    }
    Ok((entries, problems))
}

fn incoming(item: &Json) -> Result<Incoming, String> {
    let Json::Object(members) = item else { return Err("is not an object".to_owned()) };
    let text = |name: &str| members.get(name).and_then(Json::as_str);
    let uri = text("uri").ok_or("has no `uri`, the one property that an item must have")?;
    let id = EntryId::new(uri).map_err(|error| format!("its `uri` cannot be used: {error}"))?;
    let state = match text("pubstatus").or_else(|| text("pubStatus")) {
        None | Some("usable") => State::Live,
        Some("withheld") => State::Draft,
        Some("canceled") => State::Withdrawn,
        Some(other) => return Err(format!("its publishing status `{other}` is not known")),
    };
    let version = members.get("version").and_then(|version| match version {
        Json::String(text) => Some(text.clone()),
        Json::Number(number) => Some(number.to_string()),
        _ => None,
    });
    let value = Value::Record(fields(members, DEEPEST));
    let fingerprint = fingerprint(&value);
    let Value::Record(fields) = value else { return Err("has no fields".to_owned()) };
    Ok(Incoming {
        id,
        part: None,
        state,
        revision: version.and_then(|text| Revision::new(text).ok()),
        fields,
        fingerprint,
        raw: Some(item.to_string()),
        notes: Vec::new(),
    })
}

/// The common fields under names that both versions share, and the rest as it is. Version 1 has one
/// `headline` and `body_html`; version 2 has lists, whose items have a role.
fn fields(members: &Map<String, Json>, depth: usize) -> Record {
    let mut fields = Record::default();
    let mut set = |name: &str, value: Option<Json>| {
        if let Some(value) = value.filter(|value| !value.is_null()) {
            fields.insert(name.to_owned(), from_json(&value));
        }
    };
    let own = |names: &[&str]| names.iter().find_map(|name| members.get(*name)).cloned();
    set("uri", own(&["uri"]));
    set("type", own(&["type"]));
    set("headline", own(&["headline"]).or_else(|| main_of(members, "headlines", None)));
    set("slugline", own(&["slugline"]));
    set("description", own(&["description_text", "description"]).or_else(|| main_of(members, "descriptions", None)));
    set("body_text", own(&["body_text"]).or_else(|| main_of(members, "bodies", Some("text/plain"))));
    set("body_html", own(&["body_html", "body_xhtml"]).or_else(|| main_of(members, "bodies", Some("text/html"))));
    set("byline", own(&["byline", "by"]));
    set("language", own(&["language"]));
    set("subjects", names_of(members, &["subject", "subjects"]));
    set("places", names_of(members, &["place", "places"]));
    set("published", own(&["firstcreated", "firstCreated", "contentcreated", "contentCreated"]));
    set("updated", own(&["versioncreated", "versionCreated"]));
    let assets = assets(members, depth);
    let known = [
        "uri",
        "type",
        "headline",
        "headlines",
        "slugline",
        "description_text",
        "description",
        "descriptions",
        "body_text",
        "body_html",
        "body_xhtml",
        "bodies",
        "byline",
        "by",
        "language",
        "subject",
        "subjects",
        "place",
        "places",
        "firstcreated",
        "firstCreated",
        "versioncreated",
        "versionCreated",
        "associations",
    ];
    for (name, value) in members.iter().filter(|(name, value)| !known.contains(&name.as_str()) && !value.is_null()) {
        fields.entry(name.clone()).or_insert_with(|| from_json(value));
    }
    if !assets.is_empty() {
        fields.insert("assets".to_owned(), Value::List(assets));
    }
    fields
}

/// The value of a list's main item: the one whose role is `main`, or the first; of a media type
/// where one is asked for.
fn main_of(members: &Map<String, Json>, list: &str, media_type: Option<&str>) -> Option<Json> {
    let items = members.get(list)?.as_array()?;
    let is_of = |item: &&Json| {
        let found = item.get("contentType").or_else(|| item.get("contenttype")).and_then(Json::as_str);
        media_type.is_none_or(|wanted| found.unwrap_or("text/html") == wanted)
    };
    let mut fitting = items.iter().filter(is_of);
    let main = items.iter().filter(is_of).find(|item| item.get("role").and_then(Json::as_str) == Some("main"));
    main.or_else(|| fitting.next())?.get("value").cloned()
}

/// The names of things, under either version's property.
fn names_of(members: &Map<String, Json>, properties: &[&str]) -> Option<Json> {
    let things = properties.iter().find_map(|name| members.get(*name)).and_then(Json::as_array)?;
    let name = |thing: &Json| thing.get("name").or_else(|| thing.get("literal")).and_then(Json::as_str).map(Json::from);
    let names: Vec<Json> = things.iter().filter_map(name).collect();
    (!names.is_empty()).then(|| names.into())
}

/// What is associated with an item, as assets: each with its role and, of a picture or the like,
/// its best rendition.
fn assets(members: &Map<String, Json>, depth: usize) -> Vec<Value> {
    if depth == 0 {
        return Vec::new();
    }
    let associated: Vec<(String, &Json)> = match members.get("associations") {
        Some(Json::Object(by_role)) => by_role.iter().map(|(role, item)| (role.clone(), item)).collect(),
        Some(Json::Array(items)) => items
            .iter()
            .map(|item| (item.get("name").and_then(Json::as_str).unwrap_or_default().to_owned(), item))
            .collect(),
        _ => Vec::new(),
    };
    let asset = |(role, item): (String, &Json)| {
        let members = item.as_object()?;
        let mut fields = fields(members, depth - 1);
        fields.insert("role".to_owned(), Value::Text(role));
        for (name, value) in rendition(members) {
            fields.insert(name.to_owned(), from_json(&value));
        }
        fields.shift_remove("renditions");
        Some(Value::Record(fields))
    };
    associated.into_iter().filter_map(asset).collect()
}

/// Address, type and size of the largest rendition.
fn rendition(members: &Map<String, Json>) -> Vec<(&'static str, Json)> {
    let renditions: Vec<&Json> = match members.get("renditions") {
        Some(Json::Object(by_name)) => by_name.values().collect(),
        Some(Json::Array(items)) => items.iter().collect(),
        _ => return Vec::new(),
    };
    let size = |one: &&Json| one.get("width").and_then(Json::as_u64).unwrap_or(0);
    let Some(best) = renditions.into_iter().max_by_key(size) else { return Vec::new() };
    let named = [
        ("url", &["href"][..]),
        ("media_type", &["mimetype", "contentType"]),
        ("width", &["width"]),
        ("height", &["height"]),
    ];
    let found =
        named.into_iter().filter_map(|(name, keys)| Some((name, keys.iter().find_map(|key| best.get(*key))?.clone())));
    found.collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use diaporos_core::value::to_json;
    use serde_json::json;

    fn drawn(json: Json) -> String {
        match decode(&json) {
            Err(error) => error,
            Ok((entries, problems)) => {
                let entry = |entry: &Incoming| {
                    format!("{} {} {}", entry.id, entry.state, to_json(&Value::Record(entry.fields.clone())))
                };
                let problem = |problem: &Problem| format!("{}: {}", problem.item, problem.message);
                entries.iter().map(entry).chain(problems.iter().map(problem)).collect::<Vec<_>>().join("\n")
            }
        }
    }

    #[test]
    fn both_versions_single_and_in_arrays() {
        let first = json!({
            "uri": "urn:ostrel:1", "type": "text", "pubstatus": "usable", "version": "3", "headline": "Fern found",
            "body_html": "<p>Found.</p>", "subject": [{ "name": "Botany", "code": "1" }], "versioncreated": "2026-05-01T10:00:00Z",
            "urgency": 3,
            "associations": { "featureimage": { "uri": "urn:ostrel:p", "type": "picture", "headline": "The fern", "renditions": {
                "thumb": { "href": "http://o.example/t.jpg", "width": 80, "height": 60 },
                "full": { "href": "http://o.example/f.jpg", "mimetype": "image/jpeg", "width": 800, "height": 600 } } } },
        });
        let second = json!({
            "uri": "urn:ostrel:2", "headlines": [{ "role": "short", "value": "Moss" }, { "role": "main", "value": "Moss at Highmoss" }],
            "bodies": [{ "contentType": "text/plain", "value": "Moss." }, { "contentType": "text/html", "value": "<p>Moss.</p>" }],
            "associations": [{ "name": "gallery", "uri": "urn:ostrel:q", "renditions": [{ "href": "http://o.example/q.jpg", "contentType": "image/jpeg" }] }],
        });
        let withheld = json!({ "uri": "urn:ostrel:3", "pubstatus": "withheld" });
        insta::assert_snapshot!(
            [
                drawn(first.clone()),
                drawn(json!({ "items": [second, withheld] })),
                drawn(json!([first, { "type": "text" }, 7]))
            ]
            .join("\n---\n")
        );
    }

    #[test]
    fn what_is_no_news_item() {
        for broken in [json!(3), json!({}), json!({ "items": 3 }), json!(null), json!("x")] {
            assert_eq!(drawn(broken), "expected a news item with a `uri`, or a list of them");
        }
        let status = drawn(json!({ "uri": "u", "pubstatus": "maybe" }));
        assert_eq!(status, "item 1: its publishing status `maybe` is not known");
    }
}
