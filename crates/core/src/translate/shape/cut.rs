//! Cutting texts into blocks.

use ego_tree::NodeRef;
use html5ever::tendril::TendrilSink;
use html5ever::tree_builder::TreeBuilderOpts;
use html5ever::{ParseOpts, QualName, local_name, ns};
use scraper::node::Element;
use scraper::{ElementRef, Html, HtmlTreeSink, Node};

use super::building::{Building, drawn_together, fits_xml, has_words, joined, trimmed};
use super::element::{
    end_tag, has_readable, is_flow, is_opaque, is_read, is_read_within, is_void, outer_html, raw_tags,
};
use super::local::LocalValue;
use super::tag::{TagKind, escape_text};
use super::{Part, TextStructure, Written};
use crate::translate::inline::Piece;
use crate::translate::protect::Protected;

/// Elements deeper than this are kept as they are.
const DEEPEST: usize = 100;

/// HTML as a reader of it writes it again; sound markup stays as it is.
#[must_use]
pub fn normal_html(html: &str) -> String {
    // Most texts have no markup, and need no reader of it.
    if !html.contains(['<', '>', '&', '\0', '\r', '\u{a0}']) {
        return html.to_owned();
    }
    parsed(html).root_element().inner_html()
}

/// HTML as it is read where no programs run: what `noscript` holds is markup like any other.
fn parsed(html: &str) -> Html {
    let tree_builder = TreeBuilderOpts { scripting_enabled: false, ..TreeBuilderOpts::default() };
    let options = ParseOpts { tree_builder, ..ParseOpts::default() };
    let body = QualName::new(None, ns!(html), local_name!("body"));
    let sink = HtmlTreeSink::new(Html::new_fragment());
    html5ever::parse_fragment(sink, options, body, Vec::new(), false).one(html)
}

pub(super) fn plain(shape: &mut TextStructure, text: &str, protected: &Protected) {
    let inner = text.trim();
    let before = text.len() - text.trim_start().len();
    let mut building = Building::default();
    building.add_text(inner, protected, str::to_owned, |range| inner[range].to_owned());
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
    let document = parsed(&normal);
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
            self.whole(node, space, depth, parts);
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
        let mut building = Building::new(Written::Html);
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
                let text = if space == Space::Kept { text.to_string() } else { drawn_together(text) };
                let original = |range| escape_text(&text[range], None);
                building.add_text(&text, self.protected, str::to_owned, original);
            }
            Node::Element(element) if depth >= DEEPEST || is_opaque(element) => {
                let shown: String = ElementRef::wrap(node).map(|element| element.text().collect()).unwrap_or_default();
                let shown = Some(shown).filter(|text| !text.is_empty() && text.chars().all(fits_xml));
                let mut parts = Vec::new();
                self.whole(node, space, depth, &mut parts);
                // What is a text of its own is not shown as kept.
                let shown = shown.filter(|_| parts.iter().all(|part| matches!(part, Part::Fixed(_))));
                building.alone(element.name(), parts, shown);
            }
            Node::Element(element) => {
                let mut start = Vec::new();
                self.start_tag(element, &mut start);
                if is_void(element) {
                    building.alone(element.name(), start, None);
                    return;
                }
                let ends = vec![Part::Fixed(end_tag(element))];
                let number = building.tag(TagKind::Pair, element.name(), (start, ends), None);
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
            Node::Element(_) => self.whole(node, Space::Drawn, depth, parts),
            _ => parts.push(Part::Fixed(outer_html(node))),
        }
    }

    /// An element that is kept whole, but for what people read in it.
    fn whole(&mut self, node: NodeRef<'_, Node>, space: Space, depth: usize, parts: &mut Vec<Part>) {
        let element = node.value().as_element();
        let name = element.map(Element::name);
        let Some(name) = name.filter(|name| depth < DEEPEST && has_readable(name, node)) else {
            parts.push(Part::Fixed(outer_html(node)));
            return;
        };
        self.within_whole(name, node, (space, depth), parts);
    }

    fn within_whole(
        &mut self,
        whole: &str,
        node: NodeRef<'_, Node>,
        (space, depth): (Space, usize),
        parts: &mut Vec<Part>,
    ) {
        let (start, end) = raw_tags(node);
        match node.value().as_element().filter(|element| element.name() == "optgroup") {
            Some(group) => self.start_tag(group, parts),
            None => parts.push(Part::Fixed(start)),
        }
        for child in node.children() {
            match child.value() {
                Node::Element(element) if depth < DEEPEST && is_read_within(whole, element) => {
                    let (start, end) = raw_tags(child);
                    if element.name() == "option" {
                        self.start_tag(element, parts);
                    } else {
                        parts.push(Part::Fixed(start));
                    }
                    self.flow(child, element.name(), space, depth + 1, parts);
                    parts.push(Part::Fixed(end));
                }
                Node::Element(_) if depth < DEEPEST && has_readable(whole, child) => {
                    self.within_whole(whole, child, (space, depth + 1), parts);
                }
                _ => parts.push(Part::Fixed(outer_html(child))),
            }
        }
        parts.push(Part::Fixed(end));
    }

    fn start_tag(&mut self, element: &Element, parts: &mut Vec<Part>) {
        let mut text = format!("<{}", element.name());
        for (qualified, value) in &element.attrs {
            let name: &str = &qualified.local;
            match qualified.prefix.as_deref().filter(|prefix| !prefix.is_empty()) {
                Some(prefix) => text.push_str(&format!(" {prefix}:{name}=\"")),
                None => text.push_str(&format!(" {name}=\"")),
            }
            let mut building = Building::new(Written::Attribute('"'));
            let escape = |text: &str| escape_text(text, Some('"'));
            let inner = value.trim();
            if is_read(element.name(), name, element.attr("type")) || self.protected.reads(name) {
                building.add_text(inner, self.protected, str::to_owned, |range| escape(&inner[range]));
            }
            if has_words(&building.source) {
                let (before, rest) = value.split_at(value.len() - value.trim_start().len());
                text.push_str(&escape(before));
                parts.push(Part::Fixed(std::mem::take(&mut text)));
                parts.push(Part::Block(self.shape.blocks.len()));
                self.shape.blocks.push(building.block(name));
                text.push_str(&escape(&rest[inner.len()..]));
            } else if let Some(local) = LocalValue::of(name, value, element.attr("href")) {
                parts.extend([Part::Fixed(std::mem::take(&mut text)), Part::Local(local)]);
            } else {
                text.push_str(&escape(value));
            }
            text.push('"');
        }
        text.push('>');
        parts.push(Part::Fixed(text));
    }
}
