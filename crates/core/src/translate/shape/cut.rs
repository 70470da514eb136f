//! Cutting texts into blocks.

use ego_tree::NodeRef;
use scraper::node::Element;
use scraper::{ElementRef, Html, Node};

use super::element::{end_tag, is_flow, is_opaque, is_void, outer_html};
use super::tag::{Tag, TagKind, escape_text};
use super::{Block, Part, TextStructure};
use crate::translate::inline::{Inline, Piece};
use crate::translate::protect::Protected;

/// Elements deeper than this are kept as they are.
const DEEPEST: usize = 100;

/// Attributes that are read by people.
const READ: [&str; 3] = ["alt", "title", "aria-label"];

/// HTML as a reader of it writes it again; sound markup stays as it is.
#[must_use]
pub fn normal_html(html: &str) -> String {
    // Most texts have no markup, and need no reader of it.
    if !html.contains(['<', '>', '&', '\0', '\r', '\u{a0}']) {
        return html.to_owned();
    }
    Html::parse_fragment(html).root_element().inner_html()
}

pub(super) fn plain(shape: &mut TextStructure, text: &str, protected: &Protected) {
    let inner = text.trim();
    let before = text.len() - text.trim_start().len();
    let mut building = Building::default();
    building.add_text(inner, protected, str::to_owned);
    if !has_words(&building.source) {
        shape.parts.push(Part::Fixed(text.to_owned()));
        return;
    }
    shape.parts.push(Part::Fixed(text[..before].to_owned()));
    shape.parts.push(Part::Block(0));
    shape.parts.push(Part::Fixed(text[before + inner.len()..].to_owned()));
    shape.blocks.push(building.block("text"));
}

pub(super) fn html(shape: &mut TextStructure, text: &str, protected: &Protected) {
    // Misnested markup is put in order by being read; a few readings, and it stays as it is.
    let mut normal = normal_html(text);
    for _ in 0..4 {
        let again = normal_html(&normal);
        if again == normal {
            break;
        }
        normal = again;
    }
    let document = Html::parse_fragment(&normal);
    let mut cutter = Cutter { shape, protected };
    let mut parts = Vec::new();
    cutter.flow(*document.root_element(), "text", Space::Drawn, 0, &mut parts);
    shape.parts = joined(parts);
}

/// Whether white space counts.
#[derive(Clone, Copy, PartialEq)]
enum Space {
    /// Any is one space.
    Drawn,
    /// It stays as it is.
    Kept,
}

/// A block that is being put together.
#[derive(Default)]
struct Building {
    source: Inline,
    tags: Vec<Tag>,
    starts: Vec<Vec<Part>>,
    is_attribute: bool,
}

impl Building {
    fn tag(&mut self, kind: TagKind, name: &str, start: Vec<Part>, end: &str, shown: Option<String>) -> u32 {
        let fixed = |part: &Part| match part {
            Part::Fixed(text) => text.clone(),
            Part::Block(_) => String::new(),
        };
        let original = start.iter().map(fixed).collect();
        self.tags.push(Tag { kind, name: name.to_owned(), shown, original, original_end: end.to_owned() });
        self.starts.push(joined(start));
        u32::try_from(self.tags.len()).unwrap_or(u32::MAX)
    }

    fn alone(&mut self, name: &str, start: Vec<Part>, shown: Option<String>) {
        let number = self.tag(TagKind::Alone, name, start, "", shown);
        self.source.push(Piece::Alone(number));
    }

    /// Adds text; what must not change in it, and what XML cannot hold, becomes a tag.
    fn add_text(&mut self, text: &str, protected: &Protected, escape: impl Fn(&str) -> String) {
        let mut at = 0;
        for range in protected.find(text) {
            self.add_open_text(&text[at..range.start], &escape);
            let kept = &text[range.clone()];
            if kept.chars().all(fits_xml) {
                self.alone("keep", vec![Part::Fixed(escape(kept))], Some(kept.to_owned()));
            } else {
                self.add_open_text(kept, &escape);
            }
            at = range.end;
        }
        self.add_open_text(&text[at..], &escape);
    }

    fn add_open_text(&mut self, text: &str, escape: &impl Fn(&str) -> String) {
        let mut rest = text;
        while let Some(at) = rest.find(|c| !fits_xml(c)) {
            self.source.push_text(&rest[..at]);
            let length = rest[at..].chars().next().map_or(1, char::len_utf8);
            self.alone("control", vec![Part::Fixed(escape(&rest[at..at + length]))], None);
            rest = &rest[at + length..];
        }
        self.source.push_text(rest);
    }

    fn block(self, within: &str) -> Block {
        let Building { source, tags, starts, is_attribute } = self;
        Block { within: within.to_owned(), source, tags, starts, is_attribute }
    }
}

/// What XML 1.0 can hold (§2.2), but for the carriage return, which its readers turn into another
/// end of line.
fn fits_xml(c: char) -> bool {
    matches!(c, '\t' | '\n' | '\u{20}'..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..)
}

fn has_words(source: &Inline) -> bool {
    source.plain().chars().any(char::is_alphabetic)
}

struct Cutter<'a> {
    shape: &'a mut TextStructure,
    protected: &'a Protected,
}

impl Cutter<'_> {
    /// The children of an element: runs of text and inline elements are blocks, the rest is looked
    /// into.
    fn flow(&mut self, parent: NodeRef<'_, Node>, within: &str, space: Space, depth: usize, parts: &mut Vec<Part>) {
        let mut run = Vec::new();
        for child in parent.children() {
            match child.value() {
                Node::Element(element) if is_flow(child, element) => {
                    self.run(&run, within, space, depth, parts);
                    run.clear();
                    self.element(child, element, space, depth, parts);
                }
                _ => run.push(child),
            }
        }
        self.run(&run, within, space, depth, parts);
    }

    fn element(
        &mut self,
        node: NodeRef<'_, Node>,
        element: &Element,
        space: Space,
        depth: usize,
        parts: &mut Vec<Part>,
    ) {
        if depth >= DEEPEST || is_opaque(element) {
            parts.push(Part::Fixed(outer_html(node)));
            return;
        }
        self.start_tag(element, parts);
        if is_void(element) {
            return;
        }
        let space = if element.name() == "pre" { Space::Kept } else { space };
        self.flow(node, element.name(), space, depth + 1, parts);
        parts.push(Part::Fixed(end_tag(element)));
    }

    /// A run of inline nodes: a block where there are words in it.
    fn run(&mut self, run: &[NodeRef<'_, Node>], within: &str, space: Space, depth: usize, parts: &mut Vec<Part>) {
        let place = self.shape.blocks.len();
        let mut building = Building::default();
        // Its place comes before those of the attributes in it.
        self.shape.blocks.push(Building::default().block(within));
        for node in run {
            self.inline(*node, space, depth, &mut building);
        }
        if !has_words(&building.source) {
            self.shape.blocks.truncate(place);
            for node in run {
                self.as_it_is(*node, depth, parts);
            }
            return;
        }
        let (before, source, after) = trimmed(&building.source);
        building.source = source;
        parts.extend([Part::Fixed(before), Part::Block(place), Part::Fixed(after)]);
        self.shape.blocks[place] = building.block(within);
    }

    fn inline(&mut self, node: NodeRef<'_, Node>, space: Space, depth: usize, building: &mut Building) {
        match node.value() {
            Node::Text(text) => {
                let escape = |text: &str| escape_text(text, false);
                match space {
                    Space::Kept => building.add_text(text, self.protected, escape),
                    Space::Drawn => building.add_text(&drawn_together(text), self.protected, escape),
                }
            }
            Node::Element(element) if depth >= DEEPEST || is_opaque(element) => {
                let shown: String = ElementRef::wrap(node).map(|element| element.text().collect()).unwrap_or_default();
                let shown = Some(shown).filter(|text| !text.is_empty() && text.chars().all(fits_xml));
                building.alone(element.name(), vec![Part::Fixed(outer_html(node))], shown);
            }
            Node::Element(element) => {
                let mut start = Vec::new();
                self.start_tag(element, &mut start);
                if is_void(element) {
                    building.alone(element.name(), start, None);
                    return;
                }
                let number = building.tag(TagKind::Pair, element.name(), start, &end_tag(element), None);
                building.source.push(Piece::Open(number));
                for child in node.children() {
                    self.inline(child, space, depth + 1, building);
                }
                building.source.push(Piece::Close(number));
            }
            _ => building.alone("comment", vec![Part::Fixed(outer_html(node))], None),
        }
    }

    /// Markup without words: only what its attributes say is translated.
    fn as_it_is(&mut self, node: NodeRef<'_, Node>, depth: usize, parts: &mut Vec<Part>) {
        match node.value() {
            Node::Element(element) if depth < DEEPEST && !is_opaque(element) => {
                self.start_tag(element, parts);
                if !is_void(element) {
                    for child in node.children() {
                        self.as_it_is(child, depth + 1, parts);
                    }
                    parts.push(Part::Fixed(end_tag(element)));
                }
            }
            _ => parts.push(Part::Fixed(outer_html(node))),
        }
    }

    fn start_tag(&mut self, element: &Element, parts: &mut Vec<Part>) {
        let mut text = format!("<{}", element.name());
        for (name, value) in element.attrs() {
            text.push_str(&format!(" {name}=\""));
            let mut building = Building { is_attribute: true, ..Building::default() };
            if READ.contains(&name) && value.trim() == value {
                building.add_text(value, self.protected, |text| escape_text(text, true));
            }
            if has_words(&building.source) {
                parts.push(Part::Fixed(std::mem::take(&mut text)));
                parts.push(Part::Block(self.shape.blocks.len()));
                self.shape.blocks.push(building.block(name));
            } else {
                text.push_str(&escape_text(value, true));
            }
            text.push('"');
        }
        text.push('>');
        parts.push(Part::Fixed(text));
    }
}

/// Fixed parts that follow each other as one; none is empty.
fn joined(parts: Vec<Part>) -> Vec<Part> {
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
fn trimmed(source: &Inline) -> (String, Inline, String) {
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
    (escape_text(&before, false), inner, escape_text(&after, false))
}

fn drawn_together(text: &str) -> String {
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
