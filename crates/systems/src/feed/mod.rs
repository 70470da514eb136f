//! Kind `feed`: RSS, Atom and JSON Feed, from the web or from a file.

mod batch;
#[cfg(test)]
mod conformance;
mod dates;
mod document;
mod encoding;
mod entry;
mod extra;
mod feeds;
mod frame;
mod item;
mod json;
mod json_feed;
mod kind;
mod listing;
mod markup;
mod media;
mod model;
mod names;
mod node;
mod opml;
mod people;
mod references;
mod settings;
mod source;
mod table;
mod take;
#[cfg(test)]
mod tests;
mod texts;
mod tokens;
mod written;
mod xml_feed;

pub use feeds::Feeds;
pub use kind::Feed;
pub use model::{TYPE, fields_page, model};

pub(crate) use feeds::read_file;
#[cfg(any(test, fuzzing))]
pub(crate) use listing::read_whole;

use std::time::Duration;

use crate::DocumentPlace;

pub use opml::{Outline, read_opml, write_opml};

/// A feed with the name under which its items are told apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FeedSource {
    /// The name.
    pub name: String,
    /// Where it is.
    pub place: DocumentPlace,
    /// Which of its items are taken.
    pub wanted: ItemChoice,
}

/// Which items of a feed are taken, and under what label.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ItemChoice {
    /// Only items of these kinds; all where empty.
    pub media: Vec<Medium>,
    /// Only items that are no older than this.
    pub newest: Option<Duration>,
    /// What stands for the feed's own title.
    pub label: Option<String>,
}

/// What an item of a feed is first of all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Medium {
    /// Something to read.
    Text,
    /// A picture.
    Picture,
    /// Something to hear.
    Audio,
    /// Something to watch.
    Video,
}

impl Medium {
    /// Every medium with its word.
    pub const WORDS: [(&str, Medium); 4] =
        [("text", Medium::Text), ("picture", Medium::Picture), ("audio", Medium::Audio), ("video", Medium::Video)];

    /// The medium's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, medium)| *medium == self).map_or("", |(word, _)| word)
    }
}
