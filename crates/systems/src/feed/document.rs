//! A feed's document read as a whole, or item by item where it cannot be.

use feed_rs::model::{Entry, Feed};
use serde_json::{Value as Json, json};

use super::mend::Pieces;
use crate::Problem;

/// Items of a document that cannot be read whole, at most; each is read by itself.
const MOST_ALONE: usize = 2_000;

/// The most items of one document.
const MOST_ITEMS: usize = 20_000;

/// How an item came.
#[derive(Default)]
pub(super) struct Received {
    /// As its source gave it; none where items cannot be told apart.
    pub(super) raw: Option<String>,
    /// What was mended.
    pub(super) notes: Vec<String>,
}

/// A feed, with how each of its entries came.
pub(super) struct Document {
    pub(super) feed: Feed,
    pub(super) items: Vec<Received>,
    /// What could not be read.
    pub(super) problems: Vec<Problem>,
}

impl Document {
    /// Reads a document of XML or JSON.
    pub(super) fn read(text: &str) -> Result<Document, String> {
        // Each item takes memory before anything can be said of it, an empty one too.
        let items = ["<item", "<entry"].iter().map(|tag| text.matches(tag).count()).sum::<usize>();
        if items > MOST_ITEMS {
            return Err(format!("it has more than {MOST_ITEMS} items"));
        }
        match text.find(['<', '{']).map(|place| &text[place..]) {
            Some(json) if json.starts_with('{') => read_json(json),
            _ => read_xml(text),
        }
    }

    fn whole(feed: Feed, mut items: Vec<Received>) -> Document {
        // Where items are counted otherwise, it is not known which is which.
        if items.len() != feed.entries.len() {
            items = feed.entries.iter().map(|_| Received::default()).collect();
        }
        Document { feed, items, problems: Vec::new() }
    }

    /// Reads items one by one, when the document as a whole met with an error.
    fn one_by_one(error: &str, documents: impl Iterator<Item = (String, Received)>) -> Result<Document, String> {
        let mut feed: Option<Feed> = None;
        let mut entries: Vec<Entry> = Vec::new();
        let (mut items, mut problems) = (Vec::new(), Vec::new());
        for (number, (document, mut received)) in documents.take(MOST_ALONE).enumerate() {
            match parse(&document) {
                Ok(mut one) if one.entries.len() == 1 => {
                    entries.append(&mut one.entries);
                    feed.get_or_insert(one);
                    received.notes.push(format!("its document is not well-formed ({error}); it was read by itself"));
                    items.push(received);
                }
                Ok(_) => problems.push(problem(number, "is not well-formed")),
                Err(reason) => problems.push(problem(number, &format!("cannot be read: {reason}"))),
            }
        }
        let mut feed = feed.ok_or(error)?;
        feed.entries = entries;
        Ok(Document { feed, items, problems })
    }
}

fn problem(number: usize, message: &str) -> Problem {
    Problem::unnamed(format!("item {}", number + 1), message)
}

fn parse(text: &str) -> Result<Feed, String> {
    let parser = feed_rs::parser::Builder::new()
        .sanitize_content(false)
        // An item without an id gets one from what it holds, not a new one at every reading.
        .id_generator(|_, _, _| String::new())
        .build();
    parser.parse(text.as_bytes()).map_err(|error| error.to_string())
}

fn read_xml(text: &str) -> Result<Document, String> {
    let pieces = Pieces::of(text);
    let received = |item: &super::mend::Item| Received { raw: Some(item.raw.clone()), notes: item.notes.clone() };
    match parse(&pieces.whole()) {
        Ok(feed) => Ok(Document::whole(feed, pieces.items.iter().map(received).collect())),
        Err(error) => {
            let documents = pieces.items.iter().map(|item| (pieces.alone(item), received(item)));
            let mut document = Document::one_by_one(&error, documents)?;
            if pieces.breaks_off {
                let message = format!("breaks off ({error}); what stands whole before that was read");
                document.problems.push(Problem::unnamed("the document", message));
            }
            Ok(document)
        }
    }
}

fn read_json(text: &str) -> Result<Document, String> {
    let received = |item: &Json| Received { raw: Some(item.to_string()), notes: Vec::new() };
    match parse(text) {
        Ok(feed) => {
            let json: Json = serde_json::from_str(text).map_err(|error| error.to_string())?;
            let items = json.get("items").and_then(Json::as_array).map(|items| items.iter().map(received).collect());
            Ok(Document::whole(feed, items.unwrap_or_default()))
        }
        Err(error) => {
            let json: Json = serde_json::from_str(text).map_err(|error| error.to_string())?;
            let (Some(items), true) = (json.get("items").and_then(Json::as_array), json.get("version").is_some())
            else {
                return Err(error);
            };
            let alone = |item: &Json| {
                let mut item = item.clone();
                if let Some(id) = item.get_mut("id").filter(|id| id.is_number()) {
                    *id = id.to_string().into();
                }
                let version = "https://jsonfeed.org/version/1.1";
                let title = json.get("title").and_then(Json::as_str).unwrap_or_default();
                json!({ "version": version, "title": title, "items": [item] }).to_string()
            };
            Document::one_by_one(&error, items.iter().map(|item| (alone(item), received(item))))
        }
    }
}
