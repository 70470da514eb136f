//! A feed's document, its items some at a time.

use std::io;

use url::Url;

use super::batch::Batch;
use super::frame::Frame;
use super::json_feed::JsonFeed;
use super::source::TextSource;
use super::xml_feed::XmlFeed;

/// A document that is being read.
#[derive(Debug)]
pub(super) enum Document {
    /// RSS, RDF, Atom.
    Xml(XmlFeed),
    /// JSON Feed.
    Json(JsonFeed),
}

impl Document {
    /// A document of XML or JSON, by what it begins with.
    ///
    /// # Errors
    /// Where it is no feed, or cannot be read.
    pub(super) fn open(mut source: TextSource, base: Option<Url>) -> Result<Document, String> {
        let mut text = String::new();
        let unreadable = |error: io::Error| format!("it cannot be read: {error}");
        while text.find(['<', '{', '[']).is_none() && source.more(&mut text).map_err(unreadable)? {}
        if text.trim().is_empty() {
            return Err("the body is empty".to_owned());
        }
        match text.find(['<', '{', '[']) {
            Some(at) if text[at..].starts_with('{') => {
                while source.more(&mut text).map_err(unreadable)? {}
                JsonFeed::open(text, base).map(Document::Json)
            }
            _ => XmlFeed::open(text, source, base).map(Document::Xml),
        }
    }

    /// What the feed says of itself, as far as it was read.
    pub(super) fn frame(&self) -> &Frame {
        match self {
            Document::Xml(feed) => &feed.frame,
            Document::Json(feed) => &feed.frame,
        }
    }

    /// Whether all its items were given.
    pub(super) fn ended(&self) -> bool {
        match self {
            Document::Xml(feed) => feed.ended,
            Document::Json(feed) => feed.ended,
        }
    }

    /// Its next items, so many at most.
    pub(super) fn batch(&mut self, most: usize) -> Batch {
        let mut batch = Batch::default();
        match self {
            Document::Xml(feed) => feed.read(most, &mut batch),
            Document::Json(feed) => feed.read(most, &mut batch),
        }
        batch
    }
}
