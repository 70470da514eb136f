//! A text in its blocks: what there is to translate in it, and the shape around that.

mod cut;
mod element;
mod tag;

use std::sync::OnceLock;

use crate::text::{affordable_html, html_from_markdown, markdown_from_html};

use super::inline::{Inline, Piece};
use super::protect::Protected;

pub use cut::normal_html;
use tag::escape_text;
pub use tag::{Tag, TagKind};

/// In which form a text is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Plain text: one block.
    Plain,
    /// HTML: a block per paragraph, heading, item or cell, and per alternative text or title.
    Html,
    /// Markdown: as the HTML that it stands for.
    Markdown,
}

/// A part of what stands around the blocks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Part {
    /// As it is.
    Fixed(String),
    /// A block, by its place among the blocks.
    Block(usize),
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
    /// What each tag's start is made of.
    starts: Vec<Vec<Part>>,
    is_attribute: bool,
}

/// A text cut into its blocks.
#[derive(Debug, Clone)]
pub struct TextStructure {
    form: Form,
    parts: Vec<Part>,
    blocks: Vec<Block>,
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
}

impl TextStructure {
    /// Cuts a text. What must not change becomes a tag.
    #[must_use]
    pub fn of(form: Form, text: &str, protected: &Protected) -> TextStructure {
        let mut shape = TextStructure { form, parts: Vec::new(), blocks: Vec::new(), is_sound: OnceLock::new() };
        // A text that nobody can read is nobody's to translate: it stays as it is.
        let read = match form {
            Form::Plain => Ok(text.to_owned()),
            Form::Html => affordable_html(text).map(|()| text.to_owned()),
            Form::Markdown => html_from_markdown(text),
        };
        let Ok(read) = read else {
            shape.parts.push(Part::Fixed(text.to_owned()));
            return shape;
        };
        match form {
            Form::Plain => cut::plain(&mut shape, text, protected),
            Form::Html | Form::Markdown => cut::html(&mut shape, &read, protected),
        }
        shape
    }

    /// What there is to translate, in the order of the text.
    #[must_use]
    pub fn blocks(&self) -> &[Block] {
        &self.blocks
    }

    /// Whether the other has the same markup around as many blocks.
    #[must_use]
    pub fn is_like(&self, other: &TextStructure) -> bool {
        let within = |shape: &TextStructure| shape.blocks.iter().map(|block| block.within.clone()).collect::<Vec<_>>();
        self.form == other.form && self.parts == other.parts && within(self) == within(other)
    }

    /// The text again, with these in the places of its blocks.
    ///
    /// # Errors
    /// Where the blocks do not fit, or what they make is no sound markup.
    pub fn join(&self, targets: &[Inline]) -> Result<String, JoinError> {
        if targets.len() != self.blocks.len() {
            return Err(JoinError::Count { expected: self.blocks.len(), found: targets.len() });
        }
        let mut joined = String::new();
        for part in &self.parts {
            self.write(part, targets, &mut joined)?;
        }
        if self.form != Form::Plain && affordable_html(&joined).is_err() {
            return Err(JoinError::IllFormed);
        }
        match self.form {
            Form::Plain => Ok(joined),
            // Sound markup is read as it is written.
            _ if normal_html(&joined) != joined => Err(JoinError::IllFormed),
            Form::Html => Ok(joined),
            Form::Markdown => markdown_from_html(&joined).map_err(|_| JoinError::IllFormed),
        }
    }

    /// One block by itself, as it is checked before the others are there.
    ///
    /// # Errors
    /// Where it has tags that the source has not, or is no sound markup.
    pub fn try_block(&self, place: usize, target: &Inline) -> Result<(), JoinError> {
        // Of what is in a start tag, what it costs to read is counted too.
        let is_alike =
            |block: &Block| self.form == Form::Html && !block.is_attribute && is_shaped_alike(&block.source, target);
        if self.blocks.get(place).is_some_and(is_alike)
            && *self.is_sound.get_or_init(|| self.join(&self.sources()).is_ok())
        {
            return Ok(());
        }
        self.try_whole(place, target)
    }

    fn sources(&self) -> Vec<Inline> {
        self.blocks.iter().map(|block| block.source.clone()).collect()
    }

    /// One block within all the others, read as a whole.
    fn try_whole(&self, place: usize, target: &Inline) -> Result<(), JoinError> {
        let mut targets = self.sources();
        if let Some(own) = targets.get_mut(place) {
            *own = target.clone();
        }
        self.join(&targets).map(drop)
    }

    fn write(&self, part: &Part, targets: &[Inline], joined: &mut String) -> Result<(), JoinError> {
        let place = match part {
            Part::Fixed(text) => {
                joined.push_str(text);
                return Ok(());
            }
            Part::Block(place) => *place,
        };
        let (Some(block), Some(target)) = (self.blocks.get(place), targets.get(place)) else { return Ok(()) };
        let tag = |number: u32| {
            let at = usize::try_from(number).ok().and_then(|number| number.checked_sub(1));
            let known = at.and_then(|at| block.starts.get(at).zip(block.tags.get(at)));
            known.ok_or(JoinError::UnknownTag(number))
        };
        for piece in target.pieces() {
            match piece {
                Piece::Text(text) if self.form == Form::Plain => joined.push_str(text),
                Piece::Text(text) => joined.push_str(&escape_text(text, block.is_attribute)),
                Piece::Open(number) | Piece::Alone(number) => {
                    for part in tag(*number)?.0 {
                        self.write(part, targets, joined)?;
                    }
                }
                Piece::Close(number) => joined.push_str(&tag(*number)?.1.original_end),
            }
        }
        Ok(())
    }
}

/// Whether two texts have the same tags in the same places, with text between them where the other has some, blank
/// where the other is blank. What is written as text is no markup, so one makes sound markup where the other does.
fn is_shaped_alike(source: &Inline, target: &Inline) -> bool {
    let (source, target) = (source.pieces(), target.pieces());
    let is_alike = |(source, target): (&Piece, &Piece)| match (source, target) {
        (Piece::Text(source), Piece::Text(target)) => {
            let is_blank = |text: &str| text.chars().all(char::is_whitespace);
            // Readers take some of these away.
            is_blank(source) == is_blank(target) && !target.contains(char::is_control)
        }
        (source, target) => source == target,
    };
    source.len() == target.len() && source.iter().zip(target).all(is_alike)
}

#[cfg(test)]
pub(crate) mod tests;
