//! The tokens of inline content, from the events of its parser.

use std::ops::Range;

use pulldown_cmark::{Event, LinkType, Tag};

use super::html;
use super::token::{Mark, Origin, Role, Token};
use crate::translate::protect::Protected;

/// An event, and where in the source it stands.
pub(super) type Placed<'a> = (Event<'a>, Range<usize>);

/// Reads the events of a run of inline content.
pub(super) struct InlineReader<'a> {
    pub(super) source: &'a str,
    protected: &'a Protected,
    tokens: Vec<Token>,
    /// Where the last token ends.
    until: usize,
    /// What ends the elements that are open.
    ends: Vec<Token>,
}

/// A picture in a run: what it shows is read by itself.
pub(super) struct Picture<'e, 'a> {
    pub(super) place: Range<usize>,
    pub(super) alternative: &'e [Placed<'a>],
}

impl<'a> InlineReader<'a> {
    pub(super) fn new(source: &'a str, protected: &'a Protected) -> InlineReader<'a> {
        InlineReader { source, protected, tokens: Vec::new(), until: 0, ends: Vec::new() }
    }

    /// The tokens of these events; what is found of pictures is handed on.
    pub(super) fn read<'e>(mut self, events: &'e [Placed<'a>], mut picture: impl FnMut(Picture<'e, 'a>)) -> Vec<Token> {
        let mut at = 0;
        while let Some((event, place)) = events.get(at) {
            if let Some((name, link_type)) = kept_whole(event) {
                let end = end_of(events, at);
                let inner = events.get(at + 1..end).unwrap_or_default();
                // The text of a short reference is its label, by which it is found.
                if matches!(link_type, LinkType::Inline | LinkType::Reference) {
                    picture(Picture { place: place.clone(), alternative: inner });
                }
                let shown = (name == "a").then(|| inner.iter().filter_map(text_of).collect());
                self.alone(name, place.clone(), shown);
                at = end + 1;
                continue;
            }
            let next = events.get(at + 1).map(|(_, next)| next.start);
            self.event(event, place.clone(), next);
            at += 1;
        }
        self.tokens
    }

    fn event(&mut self, event: &Event<'_>, place: Range<usize>, next: Option<usize>) {
        match event {
            Event::Text(text) => self.text(text, place),
            Event::SoftBreak => self.push(Token::Text { text: " ".to_owned(), place }),
            Event::HardBreak => {
                // What a container writes at the start of a line belongs to the break.
                let next = next.filter(|next| *next >= place.end).unwrap_or(place.end);
                let gap = self.source.get(place.end..next).unwrap_or_default();
                let is_escape = gap.ends_with('\\');
                self.alone("br", place.start..next - usize::from(is_escape), None);
            }
            Event::Code(code) => self.alone("code", place, Some(code.to_string())),
            Event::InlineHtml(markup) | Event::Html(markup) => {
                let mark = html::tag(markup, place, self.source, self.protected);
                self.push(Token::Mark(mark));
            }
            Event::Start(tag) => self.start(tag, place),
            Event::End(_) => {
                if let Some(end) = self.ends.pop() {
                    self.push(end);
                }
            }
            _ => self.alone("note", place, None),
        }
    }

    /// Text, with the stroke before it that keeps its first character from being markup.
    fn text(&mut self, text: &str, place: Range<usize>) {
        let before = self.source.get(..place.start).unwrap_or_default();
        let first = text.chars().next().map_or(0, char::len_utf8);
        if before.ends_with('\\') && self.until < place.start && text.starts_with(|c: char| c.is_ascii_punctuation()) {
            self.push(Token::Text { text: text[..first].to_owned(), place: place.start - 1..place.start + first });
            self.push(Token::Text { text: text[first..].to_owned(), place: place.start + first..place.end });
        } else {
            self.push(Token::Text { text: text.to_owned(), place });
        }
    }

    fn start(&mut self, tag: &Tag<'_>, place: Range<usize>) {
        let within = self.source.get(place.clone()).unwrap_or_default();
        let (name, length) = match tag {
            Tag::Emphasis => ("em", 1),
            Tag::Strong => ("strong", 2),
            Tag::Strikethrough => ("del", if within.starts_with("~~") { 2 } else { 1 }),
            _ => ("a", 1),
        };
        let mark = |role, place| Token::Mark(Mark { role, name: name.to_owned(), place, origin: Origin::Markdown });
        let instead = match tag {
            // Its text is its label, by which it is found; another text needs the label beside it.
            Tag::Link { link_type: LinkType::Collapsed | LinkType::Shortcut, id, .. } => Some(format!("][{id}]")),
            _ => None,
        };
        self.push(mark(Role::Open, place.start..place.start + length));
        self.ends.push(mark(Role::Close { instead }, place.end.saturating_sub(length)..place.end));
    }

    fn alone(&mut self, name: &str, place: Range<usize>, shown: Option<String>) {
        let role = Role::Alone { shown };
        self.push(Token::Mark(Mark { role, name: name.to_owned(), place, origin: Origin::Markdown }));
    }

    fn push(&mut self, mut token: Token) {
        if let Token::Mark(Mark { role: Role::Close { .. }, name, place, .. }) = &mut token
            && name == "a"
        {
            // A link ends with its address, which begins where its text ends.
            let text = self.source.get(self.until..place.end).unwrap_or_default();
            place.start = text.find(']').map_or(place.start, |at| self.until + at);
        }
        self.until = token.place().end;
        self.tokens.push(token);
    }
}

/// A picture, or an address that is a link: the name of its element and how it links.
fn kept_whole(event: &Event<'_>) -> Option<(&'static str, LinkType)> {
    match event {
        Event::Start(Tag::Image { link_type, .. }) => Some(("img", *link_type)),
        Event::Start(Tag::Link { link_type: link_type @ (LinkType::Autolink | LinkType::Email), .. }) => {
            Some(("a", *link_type))
        }
        _ => None,
    }
}

fn text_of<'e>((event, _): &'e Placed<'_>) -> Option<&'e str> {
    match event {
        Event::Text(text) => Some(text),
        _ => None,
    }
}

/// The place of the end of what starts here.
pub(super) fn end_of(events: &[Placed<'_>], start: usize) -> usize {
    let mut depth = 0_usize;
    for (at, (event, _)) in events.iter().enumerate().skip(start) {
        match event {
            Event::Start(_) => depth += 1,
            Event::End(_) => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth == 0 {
            return at;
        }
    }
    events.len()
}
