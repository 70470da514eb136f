//! JSON Feed 1 and 1.1, item by item, so that one that cannot be read costs no other.

use diaporos_core::value::{Record, Value, from_json};
use quick_xml::escape::partial_escape;
use serde::Deserialize;
use serde_json::value::RawValue;
use serde_json::{Map, Value as Json};
use url::Url;

use super::item::Item;
use super::markup::absolute;
use super::media;
use super::people::Person;
use super::texts::{given, one_line};

/// What a JSON Feed says besides its items, and where these are.
#[derive(Debug, Default, Deserialize)]
pub(super) struct Head<'a> {
    pub(super) version: Option<Json>,
    pub(super) title: Option<Json>,
    pub(super) home_page_url: Option<Json>,
    pub(super) feed_url: Option<Json>,
    pub(super) next_url: Option<Json>,
    pub(super) language: Option<Json>,
    pub(super) author: Option<Json>,
    pub(super) authors: Option<Json>,
    #[serde(borrow)]
    items: Option<&'a RawValue>,
    /// Where the first item begins, after the `[`; none where there is no list of items.
    #[serde(skip)]
    pub(super) first: Option<usize>,
}

/// Reads the head of a JSON Feed. Where the document is not sound, only its items are looked for.
pub(super) fn head(text: &str) -> Option<Head<'_>> {
    match serde_json::from_str::<Head<'_>>(text) {
        Ok(mut head) => {
            let items = head.items.map(RawValue::get).filter(|items| items.starts_with('['));
            head.first = items.map(|items| items.as_ptr() as usize - text.as_ptr() as usize + 1);
            Some(head)
        }
        Err(_) => {
            let first = text.match_indices("\"items\"").find_map(|(at, key)| {
                let colon = next_token(text, at + key.len()).filter(|at| text[*at..].starts_with(':'))?;
                next_token(text, colon + 1).filter(|at| text[*at..].starts_with('[')).map(|at| at + 1)
            })?;
            // What stands before them may be sound.
            let before = format!("{}]}}", &text[..first]);
            let Head { version, title, home_page_url, feed_url, next_url, language, author, authors, .. } =
                serde_json::from_str(&before).unwrap_or_default();
            let version = version.or_else(|| before.contains("jsonfeed.org/version").then(|| "jsonfeed".into()));
            let (items, first) = (None, Some(first));
            Some(Head { version, title, home_page_url, feed_url, next_url, language, author, authors, items, first })
        }
    }
}

/// Where something other than space stands.
fn next_token(text: &str, from: usize) -> Option<usize> {
    let found = text.get(from..)?.find(|c: char| !c.is_whitespace())?;
    Some(from + found)
}

fn object(text: &str, at: usize) -> Result<(Map<String, Json>, usize), String> {
    let mut values = serde_json::Deserializer::from_str(&text[at..]).into_iter::<Map<String, Json>>();
    match values.next() {
        Some(Ok(value)) => Ok((value, at + values.byte_offset())),
        Some(Err(error)) => Err(error.to_string()),
        None => Err("nothing is there".to_owned()),
    }
}

/// What stands next in the list of items.
#[derive(Debug, PartialEq)]
pub(super) enum Next {
    /// An item, from a byte to a byte.
    Item { item: Map<String, Json>, begins: usize, ends: usize },
    /// Something that cannot be read, and where the next thing begins.
    Broken { why: String, ends: usize },
    /// The end of the list.
    End,
    /// The text breaks off.
    BreaksOff,
}

/// Places where an item may begin that are tried after one that cannot be read.
const MOST_TRIED: usize = 200;
/// The largest item, in bytes, that is looked for there.
const LARGEST_TRIED: usize = 256 * 1024;

/// What stands next in the list of items.
pub(super) fn next(text: &str, from: usize) -> Next {
    let mut at = from;
    loop {
        let Some(place) = next_token(text, at) else { return Next::BreaksOff };
        match text.as_bytes()[place] {
            b',' => at = place + 1,
            b']' => return Next::End,
            b'{' => {
                return match object(text, place) {
                    Ok((item, ends)) => Next::Item { item, begins: place, ends },
                    Err(why) => item_after(text, place + 1).map_or(Next::BreaksOff, |ends| Next::Broken { why, ends }),
                };
            }
            _ => {
                let rest = &text[place..];
                let length = rest.char_indices().skip(1).find(|(_, c)| matches!(c, ',' | ']')).map(|(at, _)| at);
                let ends = item_after(text, place).unwrap_or(place + length.unwrap_or(rest.len()));
                return Next::Broken { why: "it is no object".to_owned(), ends };
            }
        }
    }
}

/// Where the next sound item begins, or the list ends, after something that is not.
fn item_after(text: &str, from: usize) -> Option<usize> {
    let begins = text[from..].match_indices('{').map(|(at, _)| from + at).take(MOST_TRIED);
    // People and attachments stand within items, and have none of these.
    let is_item = |item: &Map<String, Json>| {
        let has = |name: &str| item.contains_key(name);
        has("id") || has("content_html") || has("content_text") || has("url") && has("title") && !has("mime_type")
    };
    begins.into_iter().find(|at| {
        let most = (*at + LARGEST_TRIED).min(text.len());
        object(&text[..text.floor_char_boundary(most)], *at).is_ok_and(|(item, _)| is_item(&item))
    })
}

/// Texts and numbers alike.
fn text(json: Option<&Json>) -> Option<String> {
    let text = match json? {
        Json::String(text) => text.trim().to_owned(),
        Json::Number(number) => number.to_string(),
        _ => return None,
    };
    (!text.is_empty()).then_some(text)
}

/// Names of an item's members that have fields of their own.
const KNOWN: [&str; 18] = [
    "id",
    "url",
    "external_url",
    "title",
    "content_html",
    "content_text",
    "summary",
    "image",
    "banner_image",
    "date_published",
    "date_modified",
    "author",
    "authors",
    "tags",
    "language",
    "attachments",
    "_draft",
    "version",
];

/// An item of a JSON Feed.
pub(super) fn item(json: &Map<String, Json>, base: Option<&Url>) -> Item {
    let mut item = Item::default();
    let get = |name: &str| text(json.get(name));
    let address = |name: &str| get(name).map(|address| absolute(base, &address));
    let mut set = |field: &'static str, rank: usize, text: Option<String>| {
        item.set(field, rank, text.map_or(Value::Null, Value::Text));
    };
    set("title", 0, get("title").and_then(|title| one_line(&title)));
    set("link", 0, address("url"));
    set("link", 1, address("external_url"));
    set("content", 0, get("content_html").and_then(|html| given(&html, base)));
    set("content", 1, get("content_text").map(|text| partial_escape(text.as_str()).into_owned()));
    set("summary", 0, get("summary").map(|text| partial_escape(text.as_str()).into_owned()));
    set("image", 0, address("image"));
    set("image", 1, address("banner_image"));
    set("language", 0, get("language"));
    item.id = get("id");
    for (field, name) in [("published", "date_published"), ("updated", "date_modified")] {
        if let Some(date) = get(name) {
            item.moment(field, 0, &date);
        }
    }
    if let Some(address) = address("external_url") {
        let link = [("rel", "related"), ("href", &address)].map(|(name, text)| (name.to_owned(), Value::from(text)));
        item.add("links", Value::Record(Record::from_iter(link)));
    }
    item.people = people(json.get("authors"), json.get("author"));
    for tag in list(json.get("tags")) {
        item.add("categories", text(Some(tag)).map_or(Value::Null, Value::Text));
    }
    for attachment in list(json.get("attachments")) {
        attach(&mut item, attachment, base);
    }
    for (name, value) in json.iter().filter(|(name, _)| !KNOWN.contains(&name.as_str())) {
        item.keep("json", name, from_json(value));
    }
    item
}

/// One or several.
fn list(json: Option<&Json>) -> impl Iterator<Item = &Json> {
    let several = json.and_then(Json::as_array).map(Vec::as_slice).unwrap_or_default();
    several.iter().chain(json.filter(|json| !json.is_array() && !json.is_null()))
}

/// Those who wrote an item, or all items where a feed says it (`author` is of version 1).
pub(super) fn people(authors: Option<&Json>, author: Option<&Json>) -> Vec<Person> {
    let several = list(authors).filter_map(Person::of_json).collect::<Vec<_>>();
    if several.is_empty() { list(author).filter_map(Person::of_json).collect() } else { several }
}

fn attach(item: &mut Item, attachment: &Json, base: Option<&Url>) {
    let Some(url) = text(attachment.get("url")).map(|url| absolute(base, &url)) else { return };
    let kind = text(attachment.get("mime_type"));
    let number =
        |name: &str| attachment.get(name).and_then(|number| number.as_i64().or_else(|| number.as_f64().map(rounded)));
    let size = number("size_in_bytes");
    let mut record = Record::from_iter([("url".to_owned(), Value::Text(url.clone()))]);
    record.extend(kind.clone().map(|kind| ("type".to_owned(), Value::Text(kind))));
    record.extend(size.map(|size| ("size".to_owned(), Value::Integer(size))));
    record.extend(number("duration_in_seconds").map(|seconds| ("duration".to_owned(), Value::Integer(seconds))));
    record.extend(text(attachment.get("title")).map(|title| ("title".to_owned(), Value::Text(title))));
    item.add("media", Value::Record(record));
    item.add("enclosures", media::file(url, kind.as_deref(), size));
}

#[expect(clippy::cast_possible_truncation, reason = "a length of time or a size in its range, and `as` keeps to that")]
fn rounded(number: f64) -> i64 {
    number as i64
}

#[cfg(test)]
mod tests {
    use super::*;

    fn items(feed: &str) -> Vec<String> {
        let mut at = head(feed).unwrap().first.unwrap();
        let mut seen = Vec::new();
        loop {
            match next(feed, at) {
                Next::Item { begins, ends, .. } => {
                    seen.push(feed[begins..ends].to_owned());
                    at = ends;
                }
                Next::Broken { ends, .. } => {
                    seen.push("broken".to_owned());
                    at = ends;
                }
                Next::End => return seen,
                Next::BreaksOff => {
                    seen.push("breaks off".to_owned());
                    return seen;
                }
            }
        }
    }

    #[test]
    fn a_head_wherever_it_stands_and_items_one_by_one() {
        let whole = head(r#"{"items": [{"id": "1"}], "title": "Moss", "version": "1"}"#).unwrap();
        assert_eq!(whole.title, Some("Moss".into()));
        assert_eq!(
            items(r#" {"items": [ {"id": "1", "x": "}]"} , 7, {"id": 2}], "title": "Moss"}"#),
            [r#"{"id": "1", "x": "}]"}"#, "broken", r#"{"id": 2}"#]
        );
        // A fault costs one item, and what is within an item is none.
        assert_eq!(
            items(
                r#"{"title: "Moss", "items": [{"id": "1", "author": {"name": "x"}, "x": "y}, {"id": "2"}, {"id": "3"}]}"#
            ),
            ["broken", r#"{"id": "2"}"#, r#"{"id": "3"}"#]
        );
        assert_eq!(items(r#"{"items": [{"id": "1"}, {"id": "2""#), [r#"{"id": "1"}"#, "breaks off"]);
        assert!(head("[1]").is_none() && head("{").is_none());
    }
}
