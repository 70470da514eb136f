//! A text in its blocks: what there is to translate in it, and the shape around that.

mod building;
mod cut;
mod element;
mod joining;
mod local;
pub(crate) mod markdown;
mod message;
mod tag;
mod trying;

use std::sync::OnceLock;

use crate::text::{affordable_html, affordable_markdown};
use crate::value::LanguageTag;

use super::case::Case;
use super::inline::{Inline, Piece};
use super::key::TextKey;
use super::protect::Protected;

pub use cut::normal_html;
pub use local::{LinkRule, Links, Local};
pub(in crate::translate) use message::NUMBER;
pub use tag::{Tag, TagKind};

/// In which form a text is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Plain text: one block.
    Plain,
    /// HTML: a block per paragraph, heading, item or cell, and per alternative text or title.
    Html,
    /// Markdown: a block per paragraph, heading, item or cell, and per alternative text or title; all else stays as it
    /// is, byte for byte.
    Markdown,
    /// A message with variables, plural forms and choices (ICU MessageFormat): a block for each text of it, and for
    /// each plural form that a language may have.
    Message,
}

/// A part of what stands around the blocks.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Part {
    /// As it is.
    Fixed(String),
    /// A block, by its place among the blocks.
    Block(usize),
    /// A value of an attribute that follows the language.
    Local(local::LocalValue),
    /// A branch of a message, which is there where any of these blocks has a text; always where there are none.
    Branch { before: String, block: usize, after: String, within: Vec<usize> },
}

/// A block: what is translated as one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// The element it stands in, or the attribute it is: `p`, `li`, `alt`; `text` of plain text.
    pub within: String,
    /// Its text.
    pub source: Inline,
    /// Its tags, by number from 1.
    pub tags: Vec<Tag>,
    /// In which cases it counts, from the outermost; of a message alone.
    pub cases: Vec<Case>,
    /// Whether the source has no text for that case: it is that of `other`.
    pub is_added: bool,
    /// What each tag's start is made of.
    starts: Vec<Vec<Part>>,
    /// What each tag's end is made of.
    ends: Vec<Vec<Part>>,
    /// How the block is written in its source, where that is more than its text and its tags tell.
    own: Vec<Part>,
    written: Written,
}

/// How text is written, so that it is read as text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) enum Written {
    /// As it is.
    #[default]
    Plain,
    /// As text of HTML.
    Html,
    /// In an attribute of HTML, between these quotes.
    Attribute(char),
    /// As text of Markdown.
    Markdown,
    /// In a heading of Markdown.
    Heading,
    /// In a cell of a table of Markdown.
    Cell,
    /// As text of a message, in which `#` is the number or not, with each apostrophe twice or not.
    Message { in_plural: bool, is_doubled: bool },
    /// As the title of a link in Markdown, which ends with this mark.
    Title(char),
}

impl Block {
    /// By what the text is known again: the same text in another case is another.
    #[must_use]
    pub fn key(&self) -> TextKey {
        TextKey::of(&self.source, &self.cases)
    }

    /// Whether the language has the cases in which it counts.
    #[must_use]
    pub fn is_for(&self, language: &LanguageTag) -> bool {
        self.cases.iter().all(|case| case.is_of(language))
    }
}

/// A text cut into its blocks.
#[derive(Debug, Clone)]
pub struct TextStructure {
    form: Form,
    parts: Vec<Part>,
    /// Those to translate, and behind them those without words.
    blocks: Vec<Block>,
    sent: usize,
    protected: Protected,
    /// Why it cannot be read.
    fault: Option<String>,
    is_sound: OnceLock<bool>,
}

impl PartialEq for TextStructure {
    fn eq(&self, other: &TextStructure) -> bool {
        // Whether it is sound follows from the rest, known already or not.
        (self.form, &self.parts, &self.blocks) == (other.form, &other.parts, &other.blocks)
    }
}

impl Eq for TextStructure {}

/// Why blocks cannot be joined to a text again.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum JoinError {
    /// There are more or fewer than the shape has.
    #[error("the text has {expected} blocks, and {found} are there")]
    Count {
        /// How many it has.
        expected: usize,
        /// How many there are.
        found: usize,
    },
    /// A tag that the source does not have.
    #[error("tag {0} is not in the source")]
    UnknownTag(u32),
    /// What was joined is read as something else: a tag is not closed, or stands where it cannot.
    #[error("the markup does not hold together once it is joined")]
    IllFormed,
    /// A brace in a text of a message.
    #[error("`{0}` stands in the text: variables are tags, and are not written out")]
    Brace(char),
}

impl TextStructure {
    /// Cuts a text. What must not change becomes a tag.
    #[must_use]
    pub fn of(form: Form, text: &str, protected: &Protected) -> TextStructure {
        let (parts, blocks) = (Vec::new(), Vec::new());
        let protected = protected.clone();
        let mut shape =
            TextStructure { form, parts, blocks, sent: 0, protected, fault: None, is_sound: OnceLock::new() };
        if !is_affordable(form, text) {
            shape.parts.push(Part::Fixed(text.to_owned()));
            return shape;
        }
        let protected = shape.protected.clone();
        match form {
            Form::Plain => cut::plain(&mut shape, text, &protected),
            Form::Html => cut::html(&mut shape, text, &protected),
            Form::Markdown => {
                markdown::cut(&mut shape, text, &protected);
                return shape;
            }
            Form::Message => {
                message::cut(&mut shape, text, &protected);
                return shape;
            }
        }
        shape.sent = shape.blocks.len();
        shape
    }

    /// What there is to translate, in the order of the text.
    #[must_use]
    pub fn blocks(&self) -> &[Block] {
        self.blocks.get(..self.sent).unwrap_or_default()
    }

    /// Why nothing of it can be translated, where it is broken.
    #[must_use]
    pub fn fault(&self) -> Option<&str> {
        self.fault.as_deref()
    }

    /// Texts with words that stay as they are: within blocks, and between them.
    #[must_use]
    pub fn kept(&self) -> Vec<String> {
        let has_words = |text: &String| text.chars().any(char::is_alphabetic);
        let in_blocks = self.blocks().iter().filter(|block| !block.is_added).flat_map(|block| &block.tags);
        // What is protected is known to be kept.
        let in_blocks = in_blocks.filter(|tag| !matches!(tag.name.as_str(), "keep" | "number" | "control"));
        let in_blocks = in_blocks.filter_map(|tag| tag.shown.clone());
        readable(&self.parts).into_iter().chain(in_blocks).filter(has_words).collect()
    }

    fn wordless(&self) -> &[Block] {
        self.blocks.get(self.sent..).unwrap_or_default()
    }

    /// Whether the other has the same markup around as many blocks.
    #[must_use]
    pub fn is_like(&self, other: &TextStructure) -> bool {
        let within =
            |shape: &TextStructure| shape.blocks().iter().map(|block| block.within.clone()).collect::<Vec<_>>();
        (self.form, &self.parts, self.wordless()) == (other.form, &other.parts, other.wordless())
            && within(self) == within(other)
    }
}

/// What is read of markup between its tags and the blocks, each piece on a line.
fn readable(parts: &[Part]) -> Vec<String> {
    let (mut pieces, mut text, mut in_tag) = (Vec::new(), String::new(), false);
    for part in parts {
        match part {
            Part::Fixed(markup) => {
                for c in markup.chars() {
                    match c {
                        '<' => in_tag = true,
                        '>' if in_tag => {
                            in_tag = false;
                            text.push(' ');
                        }
                        other if !in_tag => text.push(other),
                        _ => {}
                    }
                }
            }
            // An attribute stands in a tag.
            Part::Block(_) | Part::Local(_) | Part::Branch { .. } if in_tag => {}
            Part::Block(_) | Part::Local(_) | Part::Branch { .. } => pieces.push(std::mem::take(&mut text)),
        }
    }
    pieces.push(text);
    pieces.iter().map(|text| text.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

/// The most bytes of a message.
const LARGEST_MESSAGE: usize = 1 << 18;

/// A text that nobody can read is nobody's to translate: it stays as it is.
fn is_affordable(form: Form, text: &str) -> bool {
    match form {
        Form::Plain => true,
        Form::Message => text.len() <= LARGEST_MESSAGE,
        Form::Html => affordable_html(text).is_ok(),
        Form::Markdown => affordable_markdown(text).is_ok(),
    }
}

#[cfg(test)]
pub(crate) mod tests;
