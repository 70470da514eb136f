//! An element with all that is in it, read with mercy: what has no end ends where something begins that
//! cannot be within.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::rc::Rc;

use quick_xml::events::attributes::Attributes;
use url::Url;

use super::markup::absolute;
use super::names::{Bindings, Space, is_item, split};
use super::references::{Entities, Mended, resolve, without_control};
use super::table::{self, Reads};
use super::tokens::{Token, Tokens};
use super::written::Written;

/// Elements within elements.
const MOST_DEPTH: usize = 32;
/// Elements of one item.
const MOST_NODES: usize = 5_000;

/// An element.
#[derive(Debug)]
pub(super) struct Node<'a> {
    /// Whose it is.
    pub(super) space: Space,
    /// Its prefix as written.
    pub(super) prefix: &'a str,
    /// Its name.
    pub(super) name: &'a str,
    /// Its attributes, names as written.
    pub(super) attributes: Vec<(&'a str, Cow<'a, str>)>,
    /// Its own text, references resolved.
    pub(super) text: Cow<'a, str>,
    /// Whether there are elements in its text.
    pub(super) has_markup: bool,
    /// What it holds, as written.
    pub(super) inner: &'a str,
    /// Its elements; none where it is a text.
    pub(super) children: Vec<Node<'a>>,
    /// What its relative addresses are relative to.
    pub(super) base: Option<Rc<Url>>,
}

impl<'a> Node<'a> {
    /// An attribute's value, trimmed; none where it is empty.
    pub(super) fn attribute(&self, name: &str) -> Option<&str> {
        let found = self.attributes.iter().find(|(known, _)| known.eq_ignore_ascii_case(name));
        found.map(|(_, value)| value.trim()).filter(|value| !value.is_empty())
    }

    /// How its text says that it is written.
    pub(super) fn written(&self) -> Written {
        Written::of(self.space, self.attribute("type"), self.attribute("mode"))
    }

    /// Its own text, trimmed; none where it is empty.
    pub(super) fn words(&self) -> Option<&str> {
        Some(self.text.trim()).filter(|text| !text.is_empty())
    }

    /// The first element within of this name, whosever it is.
    pub(super) fn child(&self, name: &str) -> Option<&Node<'a>> {
        self.children.iter().find(|child| child.name.eq_ignore_ascii_case(name))
    }

    /// An address made absolute, as far as it can be.
    pub(super) fn absolute(&self, address: &str) -> String {
        absolute(self.base.as_deref(), address)
    }

    fn add_text(&mut self, piece: Cow<'a, str>) {
        if self.text.is_empty() {
            self.text = piece;
        } else {
            self.text.to_mut().push_str(&piece);
        }
    }
}

/// Elements as they come.
#[derive(Debug)]
pub(super) struct Elements<'a> {
    text: &'a str,
    /// What is read.
    pub(super) tokens: Tokens<'a>,
    /// Which prefixes are whose here.
    pub(super) bindings: Bindings,
    /// The document's own names of texts.
    pub(super) entities: Entities,
    /// What relative addresses are relative to here.
    pub(super) base: Option<Rc<Url>>,
    /// The elements that are open, as written.
    pub(super) open: Vec<&'a str>,
    /// What had to be mended.
    pub(super) mended: BTreeSet<Mended>,
    /// Whether the text ended within an element.
    pub(super) breaks_off: bool,
    left: usize,
}

/// The start of an element.
#[derive(Debug, Clone, Copy)]
pub(super) struct Start<'a> {
    /// Its name, with its prefix.
    pub(super) name: &'a str,
    /// Its attributes as written.
    pub(super) attributes: &'a str,
    /// Whether it has no content.
    pub(super) empty: bool,
}

impl<'a> Elements<'a> {
    /// The elements of a text from a byte on, in the surroundings that are known.
    pub(super) fn of(text: &'a str, at: usize, bindings: Bindings, base: Option<Rc<Url>>) -> Elements<'a> {
        Elements {
            text,
            tokens: Tokens::of(text, at),
            bindings,
            entities: Entities::default(),
            base,
            open: Vec::new(),
            mended: BTreeSet::new(),
            breaks_off: false,
            left: MOST_NODES,
        }
    }

    /// What the attributes of an element say; namespaces and `xml:base` count from here on.
    pub(super) fn attributes(&mut self, written: &'a str) -> Vec<(&'a str, Cow<'a, str>)> {
        let mut attributes = Vec::new();
        if written.trim().is_empty() {
            return attributes;
        }
        for attribute in Attributes::html(written, 0).with_checks(false).flatten() {
            let name = attribute.key.0;
            let value = match attribute.value {
                Cow::Borrowed(value) => resolve(value, &self.entities, &mut self.mended),
                Cow::Owned(value) => Cow::Owned(resolve(&value, &self.entities, &mut self.mended).into_owned()),
            };
            if self.bindings.declare(name, &value) {
                continue;
            }
            if name == "xml:base" {
                let own = match &self.base {
                    Some(base) => base.join(value.trim()),
                    None => Url::parse(value.trim()),
                };
                // Only what leads to the web is a base.
                let own = own.ok().filter(|url| matches!(url.scheme(), "http" | "https"));
                self.base = own.map(Rc::new).or_else(|| self.base.clone());
            }
            attributes.push((name, value));
        }
        attributes
    }

    /// An item, from its start to its end. One that is begun within another ends it.
    pub(super) fn item(&mut self, start: Start<'a>) -> Node<'a> {
        self.left = MOST_NODES;
        self.mended.clear();
        self.element(start, 0)
    }

    /// An element, from its start to its end.
    pub(super) fn element(&mut self, start: Start<'a>, depth: usize) -> Node<'a> {
        let (bindings, base) = (self.bindings.len(), self.base.clone());
        let attributes = self.attributes(start.attributes);
        let (prefix, name) = split(start.name);
        if depth == 0 {
            self.bindings.adopt(prefix);
        }
        let space = self.bindings.space(prefix);
        let mut node = Node {
            space,
            prefix,
            name,
            attributes,
            text: Cow::Borrowed(""),
            has_markup: false,
            inner: "",
            children: Vec::new(),
            base: self.base.clone(),
        };
        self.left = self.left.saturating_sub(1);
        if !start.empty {
            self.content(&mut node, start.name, depth);
        }
        self.bindings.truncate(bindings);
        self.base = base;
        node
    }

    fn content(&mut self, node: &mut Node<'a>, written: &'a str, depth: usize) {
        let reads = table::find(node.space, node.name).map(|(_, element)| element.reads);
        // Only what stands in an item is read by the table, and there a text is one as a whole.
        let reads = reads.filter(|reads| depth == 1 && reads.is_text());
        let is_text = reads.is_some() || depth >= MOST_DEPTH || self.left == 0;
        if is_text && reads.is_none() {
            self.mended.insert(Mended::TooMuch);
        }
        let is_foreign = reads == Some(Reads::Rich) && node.written() == Written::Xml;
        let (mut same_within, mut items_within) = (0_usize, 0_usize);
        let begins = self.tokens.at();
        self.open.push(written);
        let ends = loop {
            let at = self.tokens.at();
            let Some(token) = self.tokens.next() else {
                self.breaks_off = true;
                break at;
            };
            match token {
                Token::Text(text) => node.add_text(resolve(text, &self.entities, &mut self.mended)),
                Token::Verbatim(text) => node.add_text(without_control(text, &mut self.mended)),
                Token::Declaration(_) | Token::Aside => {}
                Token::Close(name) if items_within > 0 && is_item(name) => items_within -= 1,
                Token::Close(name) if name == written && same_within > 0 => same_within -= 1,
                Token::Close(name) if name == written => break at,
                Token::Close(name) if self.open.contains(&name) => {
                    self.tokens.go_back(at);
                    self.mended.insert(if depth == 0 { Mended::ItemEnd } else { Mended::ElementEnd });
                    break at;
                }
                Token::Close(_) => node.has_markup |= is_text,
                Token::Open { name, .. } if is_item(name) && is_foreign => {
                    items_within += 1;
                    node.has_markup = true;
                }
                Token::Open { name, .. }
                    if is_item(name) || reads.is_some_and(|reads| self.ends(reads, node, name)) =>
                {
                    self.tokens.go_back(at);
                    self.mended.insert(if depth == 0 { Mended::ItemEnd } else { Mended::ElementEnd });
                    break at;
                }
                Token::Open { name, empty, .. } if is_text => {
                    node.has_markup = true;
                    same_within += usize::from(name == written && !empty);
                }
                Token::Open { name, attributes, empty } => {
                    let child = self.element(Start { name, attributes, empty }, depth + 1);
                    node.children.push(child);
                }
            }
        };
        self.open.pop();
        node.inner = &self.text[begins..ends.max(begins)];
    }

    /// Whether an element that begins within a text of the item shows that the text has ended.
    fn ends(&self, reads: Reads, node: &Node<'_>, name: &str) -> bool {
        let (prefix, local) = split(name);
        if prefix == node.prefix && local == node.name {
            return false;
        }
        let space = self.bindings.space(prefix);
        match reads {
            Reads::Rich => {
                !matches!(node.written(), Written::Xml | Written::Xhtml) && table::is_never_markup(space, local)
            }
            _ => table::find(space, local).is_some(),
        }
    }
}
