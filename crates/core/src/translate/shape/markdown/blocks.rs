//! Walking through the blocks of a document.

use std::ops::Range;

use pulldown_cmark::{Event, Parser, Tag};

use super::OPTIONS;
use super::html;
use super::inline::{InlineReader, Placed, end_of};
use super::mapped::Mapped;
use super::run::{Run, RunMaker};
use super::token::{Mark, Origin, Role, Token};
use crate::translate::protect::Protected;
use crate::translate::shape::Written;
use crate::translate::shape::element::is_block_name;

/// The runs of a document.
pub(super) fn runs(text: &str, protected: &Protected) -> Vec<Run> {
    let mut walk = Walk { maker: RunMaker { source: text, protected, runs: Vec::new() }, within: Vec::new() };
    let mark = if text.starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
    let skipped = mark + front_matter(&text[mark..]);
    let parser = Parser::new_ext(text.get(skipped..).unwrap_or_default(), OPTIONS);
    let moved = |place: Range<usize>| place.start + skipped..place.end + skipped;
    for (_, definition) in parser.reference_definitions().iter().filter(|(_, known)| known.title.is_some()) {
        walk.maker.title(moved(definition.span.clone()));
    }
    let events: Vec<Placed<'_>> = parser.into_offset_iter().map(|(event, place)| (event, moved(place))).collect();
    walk.document(&events);
    walk.maker.runs
}

/// How long what stands before the document is: settings between two lines of `---` or `+++`.
fn front_matter(text: &str) -> usize {
    let mark = match text.lines().next().map(str::trim_end) {
        Some(mark @ ("---" | "+++")) => mark,
        _ => return 0,
    };
    let mut until = 0;
    for (at, line) in text.split_inclusive('\n').enumerate() {
        until += line.len();
        let line = line.trim_end();
        match at {
            0 => {}
            1 if line.is_empty() => return 0,
            _ if line == mark || (mark == "---" && line == "...") => return until,
            _ => {}
        }
    }
    0
}

struct Walk<'a> {
    maker: RunMaker<'a>,
    /// The elements around what is read.
    within: Vec<&'static str>,
}

impl<'a> Walk<'a> {
    fn document(&mut self, events: &[Placed<'a>]) {
        let mut at = 0;
        let mut run_from = 0;
        while let Some((event, _)) = events.get(at) {
            let next = match event {
                Event::Start(tag) if is_inline(tag) => {
                    at = end_of(events, at) + 1;
                    continue;
                }
                Event::Start(Tag::CodeBlock(_) | Tag::HtmlBlock | Tag::MetadataBlock(_)) => end_of(events, at) + 1,
                Event::Start(_) | Event::End(_) | Event::Rule | Event::TaskListMarker(_) => at + 1,
                _ => {
                    at += 1;
                    continue;
                }
            };
            self.run(events.get(run_from..at).unwrap_or_default());
            match event {
                Event::Start(Tag::HtmlBlock) => {
                    self.html(events.get(at + 1..next.saturating_sub(1)).unwrap_or_default());
                }
                Event::Start(tag) if next == at + 1 => self.within.push(self.element(tag)),
                Event::End(_) => drop(self.within.pop()),
                _ => {}
            }
            (at, run_from) = (next, next);
        }
        self.run(events.get(run_from..).unwrap_or_default());
    }

    /// The name of the element that a block stands for.
    fn element(&self, tag: &Tag<'_>) -> &'static str {
        const HEADINGS: [&str; 6] = ["h1", "h2", "h3", "h4", "h5", "h6"];
        match tag {
            Tag::Heading { level, .. } => HEADINGS[(*level as usize).clamp(1, 6) - 1],
            Tag::Item => "li",
            Tag::TableHead => "thead",
            Tag::TableCell if self.within.last() == Some(&"thead") => "th",
            Tag::TableCell => "td",
            Tag::DefinitionListTitle => "dt",
            Tag::DefinitionListDefinition => "dd",
            _ => "p",
        }
    }

    fn run(&mut self, events: &[Placed<'a>]) {
        if events.is_empty() {
            return;
        }
        let within = self.within.last().copied().unwrap_or("p");
        let before = self.maker.runs.len();
        let mut pictures = Vec::new();
        let tokens =
            InlineReader::new(self.maker.source, self.maker.protected).read(events, |picture| pictures.push(picture));
        for picture in pictures {
            let start = picture.alternative.last().map_or(picture.place.start + 2, |(_, place)| place.end);
            let alternative =
                InlineReader::new(self.maker.source, self.maker.protected).read(picture.alternative, |_| {});
            self.maker.run(("alt", self.maker.runs.len()), alternative, Written::Markdown);
            let end = picture.place.end.saturating_sub(1);
            if self.maker.source.get(end..).is_some_and(|rest| rest.starts_with(')')) {
                self.maker.title(start..end);
            }
        }
        let written = match within {
            "td" | "th" => Written::Cell,
            "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => Written::Heading,
            _ => Written::Markdown,
        };
        self.maker.run((within, before), tokens, written);
    }

    /// The texts of a block of HTML: runs of text and inline elements between the others.
    fn html(&mut self, events: &[Placed<'a>]) {
        let mut html = Mapped::default();
        for (event, place) in events {
            if let Event::Html(text) | Event::Text(text) = event {
                html.push(text, place.clone(), self.maker.source);
            }
        }
        let mut within = "p".to_owned();
        let mut run = Vec::new();
        let mut tokens = html::tokens(&html, self.maker.protected).into_iter();
        while let Some(token) = tokens.next() {
            let Token::Mark(mark) = &token else {
                run.push(token);
                continue;
            };
            if !is_block_name(&mark.name) {
                run.push(token);
                continue;
            }
            self.maker.run((&within, self.maker.runs.len()), std::mem::take(&mut run), Written::Html);
            if let Origin::Html { is_opaque: true, .. } = mark.origin
                && mark.role == Role::Open
            {
                skip(&mut tokens, &mark.name);
            } else if let Origin::Html { attributes, .. } = &mark.origin {
                self.maker.attributes(attributes);
                within = if mark.role == Role::Open { mark.name.clone() } else { "p".to_owned() };
            }
        }
        self.maker.run((&within, self.maker.runs.len()), run, Written::Html);
    }
}

/// Goes on behind the end of an element that is kept whole.
fn skip(tokens: &mut impl Iterator<Item = Token>, name: &str) {
    let mut depth = 1_usize;
    for token in tokens {
        match token {
            Token::Mark(Mark { role: Role::Open, name: inner, .. }) if inner == name => depth += 1,
            Token::Mark(Mark { role: Role::Close { .. }, name: inner, .. }) if inner == name => depth -= 1,
            _ => {}
        }
        if depth == 0 {
            return;
        }
    }
}

fn is_inline(tag: &Tag<'_>) -> bool {
    matches!(
        tag,
        Tag::Emphasis
            | Tag::Strong
            | Tag::Strikethrough
            | Tag::Superscript
            | Tag::Subscript
            | Tag::Link { .. }
            | Tag::Image { .. }
    )
}
