//! The items of RSS, RDF and Atom, one after the other, from a window on the text that goes along.

use std::io;
use std::rc::Rc;

use url::Url;

use super::batch::Batch;
use super::frame::Frame;
use super::item::Item;
use super::names::{Bindings, Space, is_item, split};
use super::node::{Elements, Start};
use super::references::Entities;
use super::source::TextSource;
use super::tokens::Token;
use crate::Problem;

/// Elements that hold a feed's own elements or its items.
const CONTAINERS: [&str; 4] = ["rss", "rdf", "feed", "channel"];

/// A part of the text, from what is read next on.
#[derive(Debug)]
struct Window {
    text: String,
    at: usize,
    source: TextSource,
}

impl Window {
    /// Whether the text goes to its end.
    fn is_whole(&self) -> bool {
        self.source.ended()
    }

    /// Leaves what was read behind, and reads on: as much again as there is, so that what is read again in
    /// it is little in all.
    fn grow(&mut self) -> io::Result<()> {
        self.text.drain(..self.at);
        self.at = 0;
        let wanted = self.text.len() * 2;
        while self.source.more(&mut self.text)? && self.text.len() < wanted {}
        Ok(())
    }
}

/// A feed that is being read.
#[derive(Debug)]
pub(super) struct XmlFeed {
    window: Window,
    bindings: Bindings,
    entities: Entities,
    /// The names of the elements that are open.
    open: Vec<String>,
    /// What it says of itself, as far as it was read.
    pub(super) frame: Frame,
    base: Option<Url>,
    /// Items that were met so far.
    met: usize,
    /// Whether all items were given.
    pub(super) ended: bool,
}

/// Why a pass over the window ended.
#[derive(Debug, PartialEq, Eq)]
enum Pass {
    /// All that was wanted was read.
    Done,
    /// What stands at the end of the window may go on after it.
    NeedsMore,
}

impl XmlFeed {
    /// A feed from the beginning of its text.
    ///
    /// # Errors
    /// Where it is none.
    pub(super) fn open(text: String, source: TextSource, base: Option<Url>) -> Result<XmlFeed, String> {
        let mut feed = XmlFeed {
            window: Window { text, at: 0, source },
            bindings: Bindings::default(),
            entities: Entities::default(),
            open: Vec::new(),
            frame: Frame::default(),
            base,
            met: 0,
            ended: false,
        };
        // What stands before the first item tells whether it is a feed.
        feed.read(0, &mut Batch::default());
        let root = feed.frame.root.clone().unwrap_or_default();
        if root.eq_ignore_ascii_case("html") {
            return Err("it is a page of HTML".to_owned());
        }
        if feed.ended && feed.met == 0 && !feed.frame.is_feed {
            return Err(if root.is_empty() {
                "it has no elements".to_owned()
            } else {
                format!("its root is `{root}`, and it has no items")
            });
        }
        Ok(feed)
    }

    /// Reads so many items; with none asked for, up to the first.
    pub(super) fn read(&mut self, most: usize, batch: &mut Batch) {
        let most = batch.items.len() + most;
        while !self.ended && self.pass(most, batch) == Pass::NeedsMore {
            if let Err(error) = self.window.grow() {
                self.end(batch, format!("cannot be read on after item {}: {error}", self.met));
            }
        }
    }

    fn end(&mut self, batch: &mut Batch, message: String) {
        batch.problems.push(Problem::unnamed("the document", message));
        self.ended = true;
    }

    /// Reads what the window shows.
    fn pass(&mut self, most: usize, batch: &mut Batch) -> Pass {
        let text = std::mem::take(&mut self.window.text);
        let open = std::mem::take(&mut self.open);
        let base = self.base.clone().map(Rc::new);
        let mut elements = Elements::of(&text, self.window.at, std::mem::take(&mut self.bindings), base);
        elements.entities = std::mem::take(&mut self.entities);
        elements.open = open.iter().map(String::as_str).collect();
        let pass = self.pass_over(&text, &mut elements, most, batch);
        self.window.at = elements.tokens.at();
        self.base = elements.base.as_deref().cloned();
        self.open = elements.open.iter().map(|name| (*name).to_owned()).collect();
        (self.bindings, self.entities) = (elements.bindings, elements.entities);
        self.window.text = text;
        if self.ended && batch.problems.is_empty() && !self.open.is_empty() && self.frame.is_feed {
            self.end(batch, format!("breaks off after item {}; what came after it is not known", self.met));
        }
        pass
    }

    fn pass_over<'a>(&mut self, text: &'a str, elements: &mut Elements<'a>, most: usize, batch: &mut Batch) -> Pass {
        let is_whole = self.window.is_whole();
        let goes_on = |elements: &Elements<'_>| {
            let at_end = elements.tokens.at() == text.len();
            !is_whole && (at_end || elements.breaks_off || elements.tokens.lacks_end)
        };
        loop {
            let at = elements.tokens.at();
            let Some(token) = elements.tokens.next() else {
                self.ended = is_whole;
                return if is_whole { Pass::Done } else { Pass::NeedsMore };
            };
            let begins = matches!(token, Token::Open { name, .. } if begins_item(elements, name));
            if begins && batch.items.len() == most {
                elements.tokens.go_back(at);
                return Pass::Done;
            }
            if goes_on(elements) {
                elements.tokens.go_back(at);
                return Pass::NeedsMore;
            }
            let start = match token {
                Token::Open { name, attributes, empty } => Start { name, attributes, empty },
                token => {
                    around(elements, token);
                    continue;
                }
            };
            if !begins && (self.frame.root.is_none() || is_container(start.name)) {
                enter(elements, &mut self.frame, start);
                continue;
            }
            let node = if begins { elements.item(start) } else { elements.element(start, 1) };
            if goes_on(elements) {
                elements.tokens.go_back(at);
                return Pass::NeedsMore;
            }
            if !begins {
                self.frame.take(&node);
                // A document that comes from a file knows its own address, if anybody does.
                elements.base = elements.base.take().or_else(|| self.frame.address().map(Rc::new));
                continue;
            }
            self.met += 1;
            if elements.breaks_off {
                self.end(batch, format!("breaks off within item {}; {} before it were read", self.met, self.met - 1));
                return Pass::Done;
            }
            let raw = text[at..elements.tokens.at()].to_owned();
            batch.items.push((Item::of(&node, elements.mended.clone()), raw));
        }
    }
}

/// Takes what stands around elements.
fn around(elements: &mut Elements<'_>, token: Token<'_>) {
    match token {
        Token::Close(name) => close(&mut elements.open, name),
        Token::Declaration(text) => elements.entities.declare(text),
        _ => {}
    }
}

/// Whether an item begins: what is called so and is of RSS, of Atom, or of nobody known.
fn begins_item(elements: &Elements<'_>, name: &str) -> bool {
    is_item(name) && matches!(elements.bindings.space(split(name).0), Space::Rss | Space::Atom | Space::Other)
}

fn is_container(name: &str) -> bool {
    CONTAINERS.iter().any(|known| split(name).1.eq_ignore_ascii_case(known))
}

/// Goes into an element that holds a feed's own elements or its items.
fn enter<'a>(elements: &mut Elements<'a>, frame: &mut Frame, start: Start<'a>) {
    let (prefix, local) = split(start.name);
    frame.root.get_or_insert_with(|| local.to_owned());
    let attributes = elements.attributes(start.attributes);
    // RDF may hold anything, and is a feed where it says so.
    let is_rdf = local.eq_ignore_ascii_case("rdf");
    frame.is_feed |= is_container(start.name) && (!is_rdf || elements.bindings.declares(Space::Rss));
    elements.bindings.adopt(prefix);
    frame.container(&attributes);
    if !start.empty {
        elements.open.push(start.name);
    }
}

/// Goes out of the innermost element of this name, whatever its prefix.
fn close(open: &mut Vec<&str>, name: &str) {
    if let Some(place) = open.iter().rposition(|open| split(open).1.eq_ignore_ascii_case(split(name).1)) {
        open.truncate(place);
    }
}
