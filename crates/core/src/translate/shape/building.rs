//! Blocks that are being put together.

use std::ops::Range;

use super::tag::{Tag, TagKind, escape_text};
use super::{Block, Part, Written};
use crate::translate::inline::{Inline, Piece};
use crate::translate::protect::Protected;

/// A block that is being put together.
#[derive(Default)]
pub(super) struct Building {
    pub(super) source: Inline,
    pub(super) written: Written,
    tags: Vec<Tag>,
    starts: Vec<Vec<Part>>,
    ends: Vec<Vec<Part>>,
}

impl Building {
    /// Nothing yet, of a block whose text is written so.
    pub(super) fn new(written: Written) -> Building {
        Building { written, ..Building::default() }
    }

    /// Adds a tag, with what its start and its end are made of. Gives its number.
    pub(super) fn tag(
        &mut self,
        kind: TagKind,
        name: &str,
        (start, end): (Vec<Part>, Vec<Part>),
        shown: Option<String>,
    ) -> u32 {
        let (original, original_end) = (fixed_text(&start), fixed_text(&end));
        self.tags.push(Tag { kind, name: name.to_owned(), shown, original, original_end });
        self.starts.push(joined(start));
        self.ends.push(joined(end));
        u32::try_from(self.tags.len()).unwrap_or(u32::MAX)
    }

    /// Says what the end of a tag is made of.
    pub(super) fn end(&mut self, number: u32, end: Vec<Part>) {
        let Some(at) = usize::try_from(number).ok().and_then(|number| number.checked_sub(1)) else { return };
        if let (Some(tag), Some(parts)) = (self.tags.get_mut(at), self.ends.get_mut(at)) {
            tag.original_end = fixed_text(&end);
            *parts = joined(end);
        }
    }

    pub(super) fn alone(&mut self, name: &str, start: Vec<Part>, shown: Option<String>) {
        let number = self.tag(TagKind::Alone, name, (start, Vec::new()), shown);
        self.source.push(Piece::Alone(number));
    }

    /// Adds text, as `read` has it; what must not change in it, and what XML cannot hold, becomes a tag. `original` says
    /// how a part of the text is written.
    pub(super) fn add_text(
        &mut self,
        text: &str,
        protected: &Protected,
        read: impl Fn(&str) -> String,
        original: impl Fn(Range<usize>) -> String,
    ) {
        let mut at = 0;
        for range in protected.find(text) {
            self.add_open_text(text, at..range.start, &read, &original);
            let kept = &text[range.clone()];
            if kept.chars().all(fits_xml) {
                self.alone("keep", vec![Part::Fixed(original(range.clone()))], Some(kept.to_owned()));
            } else {
                self.add_open_text(text, range.clone(), &read, &original);
            }
            at = range.end;
        }
        self.add_open_text(text, at..text.len(), &read, &original);
    }

    fn add_open_text(
        &mut self,
        text: &str,
        range: Range<usize>,
        read: &impl Fn(&str) -> String,
        original: &impl Fn(Range<usize>) -> String,
    ) {
        let mut at = range.start;
        while let Some(found) = text[at..range.end].find(|c| !fits_xml(c)) {
            let control = at + found;
            let length = text[control..].chars().next().map_or(1, char::len_utf8);
            self.source.push_text(&read(&text[at..control]));
            self.alone("control", vec![Part::Fixed(original(control..control + length))], None);
            at = control + length;
        }
        self.source.push_text(&read(&text[at..range.end]));
    }

    pub(super) fn block(self, within: &str) -> Block {
        let Building { source, written, tags, starts, ends } = self;
        Block {
            within: within.to_owned(),
            source,
            tags,
            starts,
            ends,
            own: Vec::new(),
            written,
            cases: Vec::new(),
            is_added: false,
        }
    }
}

fn fixed_text(parts: &[Part]) -> String {
    let fixed = |part: &Part| match part {
        Part::Fixed(text) => text.clone(),
        Part::Local(value) => escape_text(value.original(), Some('"')),
        Part::Block(_) | Part::Branch { .. } => String::new(),
    };
    parts.iter().map(fixed).collect()
}

/// What XML 1.0 can hold (§2.2), but for the carriage return, which its readers turn into another
/// end of line.
pub(super) fn fits_xml(c: char) -> bool {
    matches!(c, '\t' | '\n' | '\u{20}'..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..)
}

pub(super) fn has_words(source: &Inline) -> bool {
    source.plain().chars().any(char::is_alphabetic)
}

/// Fixed parts that follow each other as one; none is empty.
pub(super) fn joined(parts: Vec<Part>) -> Vec<Part> {
    let mut joined: Vec<Part> = Vec::new();
    for part in parts {
        match (joined.last_mut(), part) {
            (_, Part::Fixed(text)) if text.is_empty() => {}
            (Some(Part::Fixed(before)), Part::Fixed(text)) => before.push_str(&text),
            (_, part) => joined.push(part),
        }
    }
    joined
}

/// White space at a block's ends belongs to what stands around it.
pub(super) fn trimmed(source: &Inline) -> (String, Inline, String) {
    let white = char::is_whitespace;
    let mut pieces = source.pieces().to_vec();
    let (mut before, mut after) = (String::new(), String::new());
    if let Some(Piece::Text(text)) = pieces.first_mut() {
        let kept = text.trim_start_matches(white).to_owned();
        before = text[..text.len() - kept.len()].to_owned();
        *text = kept;
    }
    if let Some(Piece::Text(text)) = pieces.last_mut() {
        let kept = text.trim_end_matches(white).to_owned();
        after = text[kept.len()..].to_owned();
        *text = kept;
    }
    let mut inner = Inline::default();
    pieces.into_iter().for_each(|piece| inner.push(piece));
    (escape_text(&before, None), inner, escape_text(&after, None))
}

pub(super) fn drawn_together(text: &str) -> String {
    let mut drawn = String::with_capacity(text.len());
    let mut in_space = false;
    for c in text.chars() {
        if c.is_ascii_whitespace() {
            if !in_space {
                drawn.push(' ');
            }
            in_space = true;
        } else {
            drawn.push(c);
            in_space = false;
        }
    }
    drawn
}
