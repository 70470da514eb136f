//! Joining blocks to a text again.

use std::borrow::Cow;
use std::collections::BTreeSet;

use super::building::{drawn_together, trimmed};
use super::markdown::{TextPlace, escaped, escaped_title};
use super::message;
use super::tag::{Tag, escape_text};
use super::{Block, Form, Inline, JoinError, Local, Part, Piece, TextStructure, Written, is_affordable, normal_html};

impl TextStructure {
    /// The text again, with these in the places of its blocks.
    ///
    /// # Errors
    /// Where the blocks do not fit, or what they make is no sound markup.
    pub fn join(&self, targets: &[Inline]) -> Result<String, JoinError> {
        self.join_in(targets, None)
    }

    /// As [`TextStructure::join`], with the markup that follows the language.
    ///
    /// # Errors
    /// As there.
    pub fn join_in(&self, targets: &[Inline], local: Option<&Local<'_>>) -> Result<String, JoinError> {
        if targets.len() != self.sent {
            return Err(JoinError::Count { expected: self.sent, found: targets.len() });
        }
        if self.form == Form::Markdown {
            return self.join_markdown(targets, local);
        }
        let joined = self.written(targets, &BTreeSet::new(), local)?;
        match self.form {
            Form::Message => message::is_read_as_meant(self, &joined, targets).map(|()| joined),
            Form::Html if !is_affordable(self.form, &joined) => Err(JoinError::IllFormed),
            // Sound markup is read as it is written.
            Form::Html if normal_html(&joined) != joined => Err(JoinError::IllFormed),
            _ => Ok(joined),
        }
    }

    /// What was joined must be read as what was meant. Emphasis that is none between these letters (CommonMark §6.2
    /// knows none within words of many scripts) is written as HTML.
    fn join_markdown(&self, targets: &[Inline], local: Option<&Local<'_>>) -> Result<String, JoinError> {
        let mut as_html = BTreeSet::new();
        for _ in 0..2 {
            let joined = self.written(targets, &as_html, local)?;
            let misread = self.misread((targets, local), &as_html, &joined)?;
            if misread.is_empty() {
                return Ok(joined);
            }
            as_html.extend(misread);
        }
        Err(JoinError::IllFormed)
    }

    /// The parts of a joined text that are read as something else.
    fn misread(
        &self,
        (targets, local): (&[Inline], Option<&Local<'_>>),
        as_html: &BTreeSet<usize>,
        joined: &str,
    ) -> Result<BTreeSet<usize>, JoinError> {
        if !is_affordable(self.form, joined) {
            return Err(JoinError::IllFormed);
        }
        let read = TextStructure::of(self.form, joined, &self.protected);
        if read.parts.len() != self.parts.len() {
            return Err(JoinError::IllFormed);
        }
        let own: Vec<Inline> = read.blocks().iter().map(|block| block.source.clone()).collect();
        let mut misread = BTreeSet::new();
        for (at, (meant, found)) in self.parts.iter().zip(&read.parts).enumerate() {
            let (mut expected, mut seen) = (Reading::default(), Reading::default());
            self.write(meant, &Targets { texts: targets, as_html: as_html.contains(&at), local }, &mut expected)?;
            read.write(found, &Targets { texts: &own, as_html: false, local: None }, &mut seen)?;
            if expected != seen {
                misread.insert(at);
            }
        }
        Ok(misread)
    }

    /// A block by itself, on a line of its own.
    #[must_use]
    pub fn original(&self, place: usize) -> String {
        let (sources, mut joined) = (self.sources(), Joined::written_anew());
        match self.write(&Part::Block(place), &Targets { texts: &sources, as_html: false, local: None }, &mut joined) {
            Ok(()) => joined.text,
            Err(_) => String::new(),
        }
    }

    pub(super) fn sources(&self) -> Vec<Inline> {
        self.blocks().iter().map(|block| block.source.clone()).collect()
    }

    fn written(
        &self,
        targets: &[Inline],
        as_html: &BTreeSet<usize>,
        local: Option<&Local<'_>>,
    ) -> Result<String, JoinError> {
        let mut joined = Joined::default();
        for (at, part) in self.parts.iter().enumerate() {
            self.write(part, &Targets { texts: targets, as_html: as_html.contains(&at), local }, &mut joined)?;
        }
        Ok(joined.text)
    }

    fn write(&self, part: &Part, targets: &Targets<'_>, to: &mut impl Sink) -> Result<(), JoinError> {
        let place = match part {
            Part::Fixed(text) => {
                to.fixed(text);
                return Ok(());
            }
            Part::Local(value) => {
                to.fixed(&escape_text(&value.within(targets.local), Some('"')));
                return Ok(());
            }
            Part::Block(place) => *place,
            Part::Branch { before, block, after, within } => {
                let mut sent = within.iter().filter(|place| **place < self.sent).peekable();
                let is_there = |place: &usize| targets.texts.get(*place).is_none_or(|text| !text.pieces().is_empty());
                if sent.peek().is_none() || sent.any(is_there) {
                    to.fixed(before);
                    self.write(&Part::Block(*block), targets, to)?;
                    to.fixed(after);
                }
                return Ok(());
            }
        };
        let Some(block) = self.blocks.get(place) else { return Ok(()) };
        // What has no words is nobody's to translate.
        let target = targets.texts.get(place).unwrap_or(&block.source);
        to.block(block);
        if to.takes_originals()
            && !block.own.is_empty()
            && *target == block.source
            && !self.leads_elsewhere(block, targets.local)
        {
            block.own.iter().try_for_each(|part| self.write(part, targets, to))?;
        } else {
            let target =
                if self.form == Form::Markdown { Cow::Owned(on_a_line(target)) } else { Cow::Borrowed(target) };
            self.write_pieces(block, &target, targets, to)?;
        }
        to.block(block);
        Ok(())
    }

    /// Whether a link of Markdown in a block leads elsewhere in another language.
    fn leads_elsewhere(&self, block: &Block, local: Option<&Local<'_>>) -> bool {
        self.form == Form::Markdown
            && local.is_some_and(|local| block.ends.iter().any(|parts| localised_end(Some(parts), local).is_some()))
    }

    fn write_pieces(
        &self,
        block: &Block,
        target: &Inline,
        targets: &Targets<'_>,
        to: &mut impl Sink,
    ) -> Result<(), JoinError> {
        if self.form == Form::Markdown && !is_nested(target) {
            return Err(JoinError::IllFormed);
        }
        let mut pieces = target.pieces().iter().peekable();
        while let Some(piece) = pieces.next() {
            let number = match piece {
                Piece::Text(text) => {
                    to.text(text, block.written, pieces.peek().is_some());
                    continue;
                }
                Piece::Open(number) | Piece::Alone(number) | Piece::Close(number) => *number,
            };
            let at = usize::try_from(number).ok().and_then(|number| number.checked_sub(1));
            let (at, tag) = at.and_then(|at| Some((at, block.tags.get(at)?))).ok_or(JoinError::UnknownTag(number))?;
            let is_end = matches!(piece, Piece::Close(_));
            let parts = if is_end { block.ends.get(at) } else { block.starts.get(at) };
            if targets.as_html && is_emphasis(tag) {
                to.fixed(&if is_end { format!("</{}>", tag.name) } else { format!("<{}>", tag.name) });
            } else if let Some(link) = targets.local.filter(|_| is_end).and_then(|local| localised_end(parts, local)) {
                to.fixed(&link);
                parts.into_iter().flatten().skip(1).try_for_each(|part| self.write(part, targets, to))?;
                to.after_mark(tag);
            } else if !to.kept(tag) {
                parts.into_iter().flatten().try_for_each(|part| self.write(part, targets, to))?;
                to.after_mark(tag);
            }
        }
        Ok(())
    }
}

/// A text without ends of lines, which would end what it stands in, and without white space at its ends, which would
/// belong to what stands around it.
fn on_a_line(target: &Inline) -> Inline {
    trimmed(&target.map_text(|text| text.replace(['\n', '\r'], " "))).1
}

/// Whether each tag ends within the one that it begins in.
fn is_nested(target: &Inline) -> bool {
    let mut open = Vec::new();
    let is_sound = target.pieces().iter().all(|piece| match piece {
        Piece::Open(number) => {
            open.push(*number);
            true
        }
        Piece::Close(number) => open.pop() == Some(*number),
        Piece::Text(_) | Piece::Alone(_) => true,
    });
    is_sound && open.is_empty()
}

/// How the end of a link of Markdown (`](/en/a)`) begins, where it leads elsewhere in another language.
fn localised_end(parts: Option<&Vec<Part>>, local: &Local<'_>) -> Option<String> {
    let Part::Fixed(end) = parts?.first()? else { return None };
    let start = if end.starts_with("](<") { "](<" } else { "](" };
    Some(format!("{start}{}", local.link(end.strip_prefix(start)?)?))
}

/// What stands in the places of blocks.
struct Targets<'a> {
    texts: &'a [Inline],
    /// Whether emphasis is written as HTML.
    as_html: bool,
    local: Option<&'a Local<'a>>,
}

/// Emphasis by marks of Markdown.
fn is_emphasis(tag: &Tag) -> bool {
    matches!(tag.original.as_str(), "*" | "_" | "**" | "__" | "~" | "~~")
}

/// What a text is written to.
trait Sink {
    /// Markup as it is.
    fn fixed(&mut self, text: &str);
    /// Text, and whether markup follows.
    fn text(&mut self, text: &str, written: Written, before_mark: bool);
    /// A block begins or ends.
    fn block(&mut self, block: &Block);
    /// Whether a block that has not changed is written as its source has it.
    fn takes_originals(&self) -> bool;
    /// Takes a tag as the text that it keeps. Says whether it did.
    fn kept(&mut self, tag: &Tag) -> bool;
    /// Markup was written.
    fn after_mark(&mut self, tag: &Tag);
}

/// The text as it is written.
#[derive(Default)]
struct Joined {
    text: String,
    starts_line: bool,
    /// Whether even what has not changed is written by its pieces.
    is_anew: bool,
}

impl Joined {
    fn written_anew() -> Joined {
        Joined { is_anew: true, ..Joined::default() }
    }
}

impl Sink for Joined {
    fn fixed(&mut self, text: &str) {
        self.text.push_str(text);
        self.starts_line = false;
    }

    fn text(&mut self, text: &str, written: Written, before_mark: bool) {
        let place = TextPlace { written, starts_line: self.starts_line, before_mark };
        match written {
            Written::Plain => self.text.push_str(text),
            Written::Html => self.text.push_str(&escape_text(text, None)),
            Written::Message { in_plural, is_doubled } => {
                self.text.push_str(&message::written_message(text, in_plural, is_doubled));
            }
            Written::Attribute(quote) => self.text.push_str(&escape_text(text, Some(quote))),
            Written::Title(mark) => self.text.push_str(&escaped_title(text, mark)),
            Written::Markdown | Written::Heading | Written::Cell => self.text.push_str(&escaped(text, place)),
        }
        self.starts_line = false;
    }

    fn block(&mut self, _: &Block) {
        self.starts_line = true;
    }

    fn takes_originals(&self) -> bool {
        !self.is_anew
    }

    fn kept(&mut self, _: &Tag) -> bool {
        false
    }

    fn after_mark(&mut self, tag: &Tag) {
        self.starts_line = tag.name == "br";
    }
}

/// What is read in a text: its words, and the markup around them.
#[derive(Default, PartialEq, Debug)]
struct Reading {
    parts: Vec<Read>,
}

#[derive(PartialEq, Debug)]
enum Read {
    Markup(String),
    Text(String),
    Edge(String),
}

impl Sink for Reading {
    fn fixed(&mut self, text: &str) {
        match self.parts.last_mut() {
            _ if text.is_empty() => {}
            Some(Read::Markup(before)) => before.push_str(text),
            _ => self.parts.push(Read::Markup(text.to_owned())),
        }
    }

    fn text(&mut self, text: &str, _: Written, _: bool) {
        match self.parts.last_mut() {
            _ if text.is_empty() => {}
            Some(Read::Text(before)) => *before = drawn_together(&format!("{before}{text}")),
            Some(Read::Edge(_)) if text.trim().is_empty() => {}
            Some(Read::Edge(_)) => self.parts.push(Read::Text(drawn_together(text.trim_start()))),
            _ => self.parts.push(Read::Text(drawn_together(text))),
        }
    }

    fn block(&mut self, block: &Block) {
        if let Some(Read::Text(last)) = self.parts.last_mut() {
            last.truncate(last.trim_end().len());
            if last.is_empty() {
                self.parts.pop();
            }
        }
        self.parts.push(Read::Edge(block.within.clone()));
    }

    fn takes_originals(&self) -> bool {
        false
    }

    fn kept(&mut self, tag: &Tag) -> bool {
        let kept = tag.shown.as_deref().filter(|_| tag.name == "keep");
        kept.inspect(|text| self.text(text, Written::Plain, false)).is_some()
    }

    fn after_mark(&mut self, _: &Tag) {}
}
