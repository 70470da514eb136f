//! The items of a JSON Feed, one after the other.

use serde_json::Value as Json;
use url::Url;

use super::batch::Batch;
use super::frame::Frame;
use super::json;
use crate::Problem;

/// Items that cannot be read, after which the rest of a document is left.
const MOST_BROKEN: usize = 100;

/// A JSON Feed that is being read. It is there whole: what it says of itself may stand after its items.
#[derive(Debug)]
pub(super) struct JsonFeed {
    text: String,
    at: usize,
    /// What it says of itself.
    pub(super) frame: Frame,
    base: Option<Url>,
    /// Items that were met so far.
    met: usize,
    /// Of these, those that could not be read: what follows each is searched for the next.
    broken: usize,
    /// Whether all items were given.
    pub(super) ended: bool,
}

impl JsonFeed {
    /// A feed from its text.
    ///
    /// # Errors
    /// Where it is none.
    pub(super) fn open(text: String, base: Option<Url>) -> Result<JsonFeed, String> {
        let head = json::head(&text).ok_or("its JSON cannot be read")?;
        let version = head.version.as_ref().and_then(Json::as_str).unwrap_or_default();
        let is_feed =
            version.contains("jsonfeed") || head.first.is_some() && (!version.is_empty() || head.title.is_some());
        if !is_feed {
            return Err("it is JSON and has neither a `version` nor `items`".to_owned());
        }
        let (mut frame, first) = (Frame::of_json(&head), head.first);
        let base = base.or_else(|| frame.address());
        frame.make_absolute(base.as_ref());
        let (at, ended) = (first.unwrap_or_default(), first.is_none());
        Ok(JsonFeed { text, at, frame, base, met: 0, broken: 0, ended })
    }

    /// Its next items, so many at most.
    pub(super) fn read(&mut self, most: usize, batch: &mut Batch) {
        for _ in 0..most {
            match json::next(&self.text, self.at) {
                json::Next::Item { item, begins, ends } => {
                    self.met += 1;
                    self.at = ends;
                    let raw = self.text[begins..ends].to_owned();
                    batch.items.push((json::item(&item, self.base.as_ref()), raw));
                }
                json::Next::Broken { why, ends } => {
                    self.met += 1;
                    self.broken += 1;
                    self.at = ends;
                    batch
                        .problems
                        .push(Problem::unnamed(format!("item {}", self.met), format!("cannot be read: {why}")));
                    if self.broken == MOST_BROKEN {
                        let message = format!("has {MOST_BROKEN} items that cannot be read; the rest was left");
                        batch.problems.push(Problem::unnamed("the document", message));
                        self.ended = true;
                        return;
                    }
                }
                json::Next::End => {
                    self.ended = true;
                    return;
                }
                json::Next::BreaksOff => {
                    let message = format!("breaks off after {} items", self.met);
                    batch.problems.push(Problem::unnamed("the document", message));
                    self.ended = true;
                    return;
                }
            }
        }
    }
}
