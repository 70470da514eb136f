//! A feed's document, its items one after the other.

use std::ops::Range;
use std::rc::Rc;

use serde_json::Value as Json;
use url::Url;

use super::frame::Frame;
use super::item::Item;
use super::json;
use super::names::{Bindings, Space, is_item, split};
use super::node::{Elements, Start};
use super::references::{Entities, Mended};
use super::tokens::Token;
use crate::Problem;

/// A document that is being read.
#[derive(Debug)]
pub(super) struct Document {
    text: String,
    at: usize,
    form: Form,
    /// What the feed says of itself, as far as it was read.
    pub(super) frame: Frame,
    base: Option<Url>,
    /// Items that were met so far.
    met: usize,
    /// Of these, items of JSON that could not be read: what follows each is searched for the next.
    broken: usize,
    ended: bool,
}

/// Items of JSON that cannot be read, after which the rest of a document is left.
const MOST_BROKEN: usize = 100;

#[derive(Debug)]
enum Form {
    /// With the names of the elements that are open, as they stand in the text.
    Xml {
        bindings: Bindings,
        entities: Entities,
        open: Vec<Range<usize>>,
    },
    Json,
}

/// Some items of a document.
#[derive(Debug, Default)]
pub(super) struct Batch {
    /// The items, each as it was received.
    pub(super) items: Vec<(Item, String)>,
    /// Those that could not be read.
    pub(super) problems: Vec<Problem>,
}

/// Elements that hold a feed's own elements or its items.
const CONTAINERS: [&str; 4] = ["rss", "rdf", "feed", "channel"];

impl Document {
    /// A document of XML or JSON.
    ///
    /// # Errors
    /// Where it is no feed.
    pub(super) fn open(text: String, base: Option<Url>) -> Result<Document, String> {
        let begins = text.find(['<', '{', '[']);
        if text.trim().is_empty() {
            return Err("the body is empty".to_owned());
        }
        if begins.is_some_and(|at| text[at..].starts_with('{')) {
            return Document::of_json(text, base);
        }
        let form = Form::Xml { bindings: Bindings::default(), entities: Entities::default(), open: Vec::new() };
        let mut document =
            Document { text, at: 0, form, frame: Frame::default(), base, met: 0, broken: 0, ended: false };
        document.look_ahead()?;
        Ok(document)
    }

    fn of_json(text: String, base: Option<Url>) -> Result<Document, String> {
        let head = json::head(&text).ok_or("its JSON cannot be read")?;
        let version = head.version.as_ref().and_then(Json::as_str).unwrap_or_default();
        let is_feed =
            version.contains("jsonfeed") || head.first.is_some() && (!version.is_empty() || head.title.is_some());
        if !is_feed {
            return Err("it is JSON and has neither a `version` nor `items`".to_owned());
        }
        let (mut frame, first) = (Frame::of_json(&head), head.first);
        let base = base.or_else(|| frame.address());
        frame.make_absolute(base.as_ref());
        let (at, ended) = (first.unwrap_or_default(), first.is_none());
        Ok(Document { text, at, form: Form::Json, frame, base, met: 0, broken: 0, ended })
    }

    /// Whether all its items were given.
    pub(super) fn ended(&self) -> bool {
        self.ended
    }

    /// Reads what stands before the first item, and sees that it is a feed.
    fn look_ahead(&mut self) -> Result<(), String> {
        self.read(0, &mut Batch::default());
        let root = self.frame.root.clone().unwrap_or_default();
        if root.eq_ignore_ascii_case("html") {
            return Err("it is a page of HTML".to_owned());
        }
        if self.ended && self.met == 0 && !self.frame.is_feed {
            return Err(if root.is_empty() {
                "it has no elements".to_owned()
            } else {
                format!("its root is `{root}`, and it has no items")
            });
        }
        Ok(())
    }

    /// Its next items, so many at most.
    pub(super) fn batch(&mut self, most: usize) -> Batch {
        let mut batch = Batch::default();
        match self.form {
            Form::Json => self.read_json(most, &mut batch),
            Form::Xml { .. } => self.read(most, &mut batch),
        }
        batch
    }

    /// Reads so many items; with none asked for, up to the first.
    fn read(&mut self, most: usize, batch: &mut Batch) {
        let Form::Xml { bindings, entities, open } = &mut self.form else { return };
        let base = self.base.clone().map(Rc::new);
        let mut elements = Elements::of(&self.text, self.at, std::mem::take(bindings), base);
        elements.entities = std::mem::take(entities);
        elements.open = open.iter().map(|name| &self.text[name.clone()]).collect();
        let mut given = 0;
        loop {
            let Some((at, start)) = next_start(&mut elements) else {
                self.ended = true;
                if !elements.open.is_empty() && self.frame.is_feed {
                    let message = format!("breaks off after item {}; what came after it is not known", self.met);
                    batch.problems.push(Problem::unnamed("the document", message));
                }
                break;
            };
            if begins_item(&elements, start.name) {
                if given == most {
                    elements.tokens.go_back(at);
                    break;
                }
                given += 1;
                self.met += 1;
                let node = elements.item(start);
                if elements.breaks_off {
                    let message = format!("breaks off within item {}; {} before it were read", self.met, self.met - 1);
                    batch.problems.push(Problem::unnamed("the document", message));
                    self.ended = true;
                    break;
                }
                let raw = self.text[at..elements.tokens.at()].to_owned();
                batch.items.push((Item::of(&node, elements.mended.clone()), raw));
            } else if self.frame.root.is_none() || is_container(start.name) {
                enter(&mut elements, &mut self.frame, start);
            } else {
                let node = elements.element(start, 1);
                self.frame.take(&node);
                if elements.base.is_none() {
                    // A document that comes from a file knows its own address, if anybody does.
                    elements.base = self.frame.address().map(Rc::new);
                }
            }
        }
        let within = |name: &str| {
            let begins = name.as_ptr() as usize - self.text.as_ptr() as usize;
            begins..begins + name.len()
        };
        self.at = elements.tokens.at();
        self.base = elements.base.as_deref().cloned();
        let open = elements.open.iter().map(|name| within(name)).collect();
        self.form = Form::Xml { open, bindings: elements.bindings, entities: elements.entities };
    }

    fn read_json(&mut self, most: usize, batch: &mut Batch) {
        for _ in 0..most {
            match json::next(&self.text, self.at) {
                json::Next::Item { item, begins, ends } => {
                    self.met += 1;
                    self.at = ends;
                    let raw = self.text[begins..ends].to_owned();
                    batch.items.push((json::item(&item, self.base.as_ref()), raw));
                }
                json::Next::Broken { why, ends } => {
                    self.met += 1;
                    self.broken += 1;
                    self.at = ends;
                    batch
                        .problems
                        .push(Problem::unnamed(format!("item {}", self.met), format!("cannot be read: {why}")));
                    if self.broken == MOST_BROKEN {
                        let message = format!("has {MOST_BROKEN} items that cannot be read; the rest was left");
                        batch.problems.push(Problem::unnamed("the document", message));
                        self.ended = true;
                        return;
                    }
                }
                json::Next::End => {
                    self.ended = true;
                    return;
                }
                json::Next::BreaksOff => {
                    let message = format!("breaks off after {} items", self.met);
                    batch.problems.push(Problem::unnamed("the document", message));
                    self.ended = true;
                    return;
                }
            }
        }
    }
}

/// The next element of the frame, and the byte that it begins at.
fn next_start<'a>(elements: &mut Elements<'a>) -> Option<(usize, Start<'a>)> {
    loop {
        let at = elements.tokens.at();
        match elements.tokens.next()? {
            Token::Open { name, attributes, empty } => return Some((at, Start { name, attributes, empty })),
            Token::Close(name) => close(&mut elements.open, name),
            Token::Declaration(text) => elements.entities.declare(text),
            _ => {}
        }
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

/// What is said of an item's mending.
pub(super) fn notes(item: &Item) -> Vec<String> {
    item.mended.iter().copied().map(Mended::says).map(str::to_owned).chain(item.notes.iter().cloned()).collect()
}
