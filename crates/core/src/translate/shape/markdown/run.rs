//! Runs of inline content: what a translator gets as one.

use std::ops::Range;

use super::Places;
use super::attribute::{AttributePlace, title_place, title_text};
use super::mapped::Mapped;
use super::token::{Mark, Origin, Role, Token, paired};
use crate::translate::inline::Piece;
use crate::translate::protect::Protected;
use crate::translate::shape::building::{Building, drawn_together, has_words, trimmed};
use crate::translate::shape::tag::TagKind;
use crate::translate::shape::{Block, Part, Written};

/// A run, and where it stands in the source.
pub(super) struct Run {
    pub(super) place: Range<usize>,
    pub(super) has_words: bool,
    /// It, with the numbers of runs in the places of blocks.
    pub(super) block: Block,
}

/// Puts runs together.
pub(super) struct RunMaker<'a> {
    pub(super) source: &'a str,
    pub(super) protected: &'a Protected,
    pub(super) runs: Vec<Run>,
}

impl RunMaker<'_> {
    /// A run of these tokens. Runs in it were found after so many.
    pub(super) fn run(&mut self, (within, before): (&str, usize), tokens: Vec<Token>, written: Written) {
        let tokens = without_blank_ends(paired(tokens, self.source));
        let (Some(first), Some(last)) = (tokens.first(), tokens.last()) else { return };
        let place = first.place().start..last.place().end;
        for token in &tokens {
            self.texts_in_markup(token);
        }
        let inner = Places::of_later(&self.runs, before);
        let mut building = Building::new(written);
        let mut open = Vec::new();
        let mut text = Mapped::default();
        for token in &tokens {
            match token {
                Token::Text { text: added, place } => text.push(added, place.clone(), self.source),
                Token::Mark(mark) => {
                    self.add_text(&mut building, &std::mem::take(&mut text));
                    self.add_mark(&mut building, mark, &inner, &mut open);
                }
            }
        }
        self.add_text(&mut building, &text);
        let (_, source, _) = trimmed(&building.source);
        building.source = source;
        self.push(place, building, within);
    }

    /// A text that is all of one attribute or title.
    pub(super) fn attribute(&mut self, name: &str, value: &str, place: Range<usize>, written: Written) {
        if value.trim().is_empty() {
            return;
        }
        let mut text = Mapped::default();
        text.push(value, place.clone(), self.source);
        let mut building = Building::new(written);
        self.add_text(&mut building, &text);
        let (_, source, _) = trimmed(&building.source);
        building.source = source;
        self.push(place, building, name);
    }

    /// The title at the end of this part of the source.
    pub(super) fn title(&mut self, within: Range<usize>) {
        let Some((place, mark)) = title_place(self.source, within) else { return };
        let value = title_text(self.source.get(place.clone()).unwrap_or_default());
        self.attribute("title", &value, place, Written::Title(mark));
    }

    pub(super) fn attributes(&mut self, attributes: &[AttributePlace]) {
        for AttributePlace { name, value, place, quote } in attributes {
            self.attribute(name, value, place.clone(), Written::Attribute(*quote));
        }
    }

    fn push(&mut self, place: Range<usize>, building: Building, within: &str) {
        let has_words = has_words(&building.source);
        self.runs.push(Run { place, has_words, block: building.block(within) });
    }

    fn texts_in_markup(&mut self, token: &Token) {
        let Token::Mark(mark) = token else { return };
        match (&mark.origin, &mark.role) {
            (Origin::Html { attributes, .. }, _) => self.attributes(attributes),
            (Origin::Markdown, Role::Close { instead: None }) if mark.name == "a" => {
                let end = mark.place.end.saturating_sub(1);
                if self.source.get(end..).is_some_and(|rest| rest.starts_with(')')) {
                    self.title(mark.place.start..end);
                }
            }
            _ => {}
        }
    }

    fn add_text(&self, building: &mut Building, text: &Mapped) {
        let as_it_is = |part: Range<usize>| self.source.get(text.place_of(part)).unwrap_or_default().to_owned();
        building.add_text(&text.text, self.protected, drawn_together, as_it_is);
    }

    fn add_mark(&self, building: &mut Building, mark: &Mark, inner: &Places, open: &mut Vec<u32>) {
        let parts = || inner.parts(self.source, mark.place.clone());
        match &mark.role {
            Role::Open => {
                let number = building.tag(TagKind::Pair, &mark.name, (parts(), Vec::new()), None);
                open.push(number);
                building.source.push(Piece::Open(number));
            }
            Role::Close { instead } => {
                let Some(number) = open.pop() else { return };
                let written = instead.as_ref().map_or_else(parts, |text| vec![Part::Fixed(text.clone())]);
                building.end(number, written);
                building.source.push(Piece::Close(number));
            }
            Role::Alone { shown } => building.alone(&mark.name, parts(), shown.clone()),
        }
    }
}

impl Places {
    /// Where the runs stand that were found after so many.
    fn of_later(runs: &[Run], before: usize) -> Places {
        let Places(places) = Places::of(runs.get(before..).unwrap_or_default());
        Places(places.into_iter().map(|(place, at)| (place, at + before)).collect())
    }
}

/// White space at a run's ends belongs to what stands around it.
fn without_blank_ends(mut tokens: Vec<Token>) -> Vec<Token> {
    while let Some(Token::Text { text, place }) = tokens.first_mut() {
        let kept = text.trim_start().len();
        if kept > 0 {
            // What is written otherwise than it is read cannot be cut.
            if place.len() == text.len() {
                place.start += text.len() - kept;
                *text = text.trim_start().to_owned();
            }
            break;
        }
        tokens.remove(0);
    }
    while let Some(Token::Text { text, place }) = tokens.last_mut() {
        let kept = text.trim_end().len();
        if kept > 0 {
            if place.len() == text.len() {
                place.end -= text.len() - kept;
                text.truncate(kept);
            }
            break;
        }
        tokens.pop();
    }
    tokens
}
