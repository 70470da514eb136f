//! An item's elements, each taken for what the table says that it is.

use std::collections::BTreeSet;

use diaporos_core::value::{Record, Value};

use super::extra::is_frame;
use super::item::Item;
use super::media;
use super::names::Space;
use super::node::Node;
use super::people::Person;
use super::references::Mended;
use super::table::{self, Reads, Role};
use super::texts::{line, rich};

/// Keywords of one item.
const MOST_KEYWORDS: usize = 1_000;

impl Item {
    /// An item from its element.
    pub(super) fn of(node: &Node<'_>, mended: BTreeSet<Mended>) -> Item {
        let mut item = Item::default();
        item.mended = mended;
        item.id = node.attribute("rdf:about").map(str::to_owned);
        item.id_link = item.id.clone();
        if let Some(language) = node.attribute("xml:lang") {
            item.set("language", 0, Value::from(language));
        }
        // Channel Definition Format has these as attributes.
        if let Some(address) = node.attribute("href") {
            item.set("link", usize::MAX, Value::Text(node.absolute(address)));
        }
        if let Some(moment) = node.attribute("lastmod") {
            item.moment("updated", usize::MAX, moment);
        }
        for child in &node.children {
            item.take(child);
        }
        item
    }

    /// Takes an element of the item for what the table says that it is.
    pub(super) fn take(&mut self, node: &Node<'_>) {
        let Some((rank, element)) = table::find(node.space, node.name) else {
            if !is_frame(node) {
                self.extra.keep(node);
            }
            return;
        };
        let field = element.field;
        let is_taken = match element.reads {
            Reads::Line => line(node, &mut self.mended).is_some_and(|text| self.line(field, rank, text)),
            Reads::Rich => self.rich(field, rank, node),
            Reads::Moment => self.moment(field, rank, node.text.trim()),
            Reads::Address => self.text(field, rank, node.words().map(|text| node.absolute(text))),
            Reads::Count => self.number(field, rank, node.words().and_then(media::number)),
            Reads::Seconds => self.number(field, rank, node.words().and_then(media::seconds)),
            Reads::Flag => self.flag(field, rank, node),
            Reads::Id => self.own_id(node),
            Reads::Link => self.link(rank, node),
            Reads::Person(role) => self.person(node, role),
            Reads::Category => self.category(node),
            Reads::Keywords => self.keywords(node),
            Reads::Enclosure => self.enclosure(node),
            Reads::Source => {
                let source = source(node, &mut self.mended);
                self.set(field, rank, source)
            }
            Reads::Picture => self.picture(rank, node),
            Reads::Thumbnail => self.thumbnail(node),
            Reads::MediaContent | Reads::MediaGroup => {
                self.pieces.extend(media::pieces(node, &mut self.mended));
                true
            }
            Reads::MediaPart => self.media_part(node),
            Reads::Point => media::point(&node.text).is_some_and(|point| self.point(point)),
            Reads::Degrees => self.degrees(field, node),
            Reads::Place => self.place_within(node),
            Reads::Control => self.control(node),
            Reads::Attributes => self.attributes(field, node),
        };
        if !is_taken {
            self.extra.keep(node);
        }
    }

    fn text(&mut self, field: &'static str, rank: usize, text: Option<String>) -> bool {
        text.is_some_and(|text| self.set(field, rank, Value::Text(text)))
    }

    fn flag(&mut self, field: &'static str, rank: usize, node: &Node<'_>) -> bool {
        node.words().is_some_and(|text| {
            let yes = ["yes", "true", "explicit"].iter().any(|yes| text.eq_ignore_ascii_case(yes));
            self.set(field, rank, Value::Boolean(yes))
        })
    }

    fn person(&mut self, node: &Node<'_>, role: Role) -> bool {
        let person = Person::of(node, role, &mut self.mended);
        person.is_some_and(|person| {
            Person::join(&mut self.people, person);
            true
        })
    }

    fn keywords(&mut self, node: &Node<'_>) -> bool {
        for word in node.text.split(',').take(MOST_KEYWORDS) {
            self.add("categories", Value::from(word.trim()));
        }
        true
    }

    fn thumbnail(&mut self, node: &Node<'_>) -> bool {
        self.said.take(node, &mut self.mended);
        media::picture(node).is_some_and(|picture| {
            self.add("thumbnails", picture);
            true
        })
    }

    /// What is said of all that there is to see or hear. Where the item has no title or summary of its
    /// own, it is all that is said of the item too.
    fn media_part(&mut self, node: &Node<'_>) -> bool {
        self.said.take(node, &mut self.mended);
        if let Some(text) = line(node, &mut self.mended) {
            match node.name {
                "title" => drop(self.set("title", usize::MAX, Value::Text(text))),
                "description" => drop(self.rich("summary", usize::MAX, node)),
                _ => {}
            }
        }
        true
    }

    fn degrees(&mut self, field: &'static str, node: &Node<'_>) -> bool {
        let degrees = node.words().and_then(|text| text.parse::<f64>().ok());
        degrees.filter(|degrees| degrees.is_finite()).is_some_and(|degrees| {
            self.place.entry(field.to_owned()).or_insert(Value::Number(degrees));
            true
        })
    }

    fn control(&mut self, node: &Node<'_>) -> bool {
        let draft = node.child("draft").and_then(Node::words);
        self.is_draft |= draft.is_some_and(|text| text.eq_ignore_ascii_case("yes"));
        true
    }

    fn attributes(&mut self, field: &'static str, node: &Node<'_>) -> bool {
        let mut record = Record::default();
        for (name, text) in &node.attributes {
            let text = if *name == "url" { node.absolute(text) } else { text.trim().to_owned() };
            record.insert((*name).to_owned(), Value::Text(text));
        }
        self.add(field, Value::Record(record));
        true
    }

    fn line(&mut self, field: &'static str, rank: usize, text: String) -> bool {
        if field == "place_name" {
            self.place.entry("name".to_owned()).or_insert(Value::Text(text));
            return true;
        }
        self.set(field, rank, Value::Text(text))
    }

    fn number(&mut self, field: &'static str, rank: usize, number: Option<i64>) -> bool {
        number.is_some_and(|number| self.set(field, rank, Value::Integer(number)))
    }

    fn rich(&mut self, field: &'static str, rank: usize, node: &Node<'_>) -> bool {
        let elsewhere = node.attribute("src").map(|address| node.absolute(address));
        if let Some(address) = elsewhere.filter(|_| node.words().is_none() && !node.has_markup) {
            // The content is another document (RFC 4287 §4.1.3.2).
            let mut link = Record::from_iter([("rel".to_owned(), Value::from("content"))]);
            link.insert("href".to_owned(), Value::Text(address));
            link.extend(node.attribute("type").map(|kind| ("type".to_owned(), Value::from(kind))));
            self.add("links", Value::Record(link));
            return true;
        }
        let Some(html) = rich(node, &mut self.mended) else { return false };
        if let Some(language) = node.attribute("xml:lang") {
            self.set("language", usize::MAX, Value::from(language));
        }
        self.set(field, rank, Value::Text(html))
    }

    fn own_id(&mut self, node: &Node<'_>) -> bool {
        let Some(text) = node.words() else { return false };
        // What `rdf:about` says is the item's address; its identifier is the element.
        self.id = Some(text.to_owned());
        let is_link = node.space != Space::Atom
            && node.attribute("isPermaLink").is_none_or(|said| !said.eq_ignore_ascii_case("false"))
            && ["http://", "https://"].iter().any(|scheme| text.starts_with(scheme));
        if is_link {
            self.id_link = Some(text.to_owned());
        }
        true
    }

    /// A link of Atom, with its relation; or of RSS, which is a text.
    fn link(&mut self, rank: usize, node: &Node<'_>) -> bool {
        let Some(address) = node.attribute("href") else {
            let address = node.words().map(|text| node.absolute(text));
            return address.is_some_and(|address| self.set("link", rank, Value::Text(address)));
        };
        let address = node.absolute(address);
        let rel = node.attribute("rel").unwrap_or("alternate").to_ascii_lowercase();
        let rel = rel.strip_prefix("http://www.iana.org/assignments/relation/").unwrap_or(&rel);
        let mut link = Record::from_iter([("rel".to_owned(), Value::from(rel))]);
        link.insert("href".to_owned(), Value::Text(address.clone()));
        for (name, field) in [("type", "type"), ("hreflang", "language"), ("title", "title")] {
            link.extend(node.attribute(name).map(|text| (field.to_owned(), Value::from(text))));
        }
        let length = node.attribute("length").and_then(media::number);
        link.extend(length.map(|length| ("length".to_owned(), Value::Integer(length))));
        self.add("links", Value::Record(link));
        match rel {
            "alternate" => {
                // Of several forms, a page for people.
                let is_page = node.attribute("type").is_none_or(|kind| kind.contains("html"));
                self.set("link", if is_page { rank } else { rank + 1 }, Value::Text(address));
            }
            "enclosure" => self.add("enclosures", media::file(address, node.attribute("type"), length)),
            "replies" => drop(self.set("comments", rank, Value::Text(address))),
            _ => {}
        }
        true
    }

    fn category(&mut self, node: &Node<'_>) -> bool {
        let text = line(node, &mut self.mended);
        let term = node.attribute("term").or_else(|| node.attribute("text")).map(str::to_owned);
        let label = node.attribute("label").map(str::to_owned);
        let scheme = node.attribute("scheme").or_else(|| node.attribute("domain")).map(str::to_owned);
        let Some(name) = label.clone().or_else(|| text.clone()).or_else(|| term.clone()) else { return false };
        self.add("categories", Value::Text(name));
        if term.is_some() || scheme.is_some() {
            let parts = [("term", term.or(text)), ("label", label), ("scheme", scheme)];
            let parts = parts.into_iter().filter_map(|(name, part)| Some((name.to_owned(), Value::Text(part?))));
            self.add("category_terms", Value::Record(Record::from_iter(parts)));
        }
        for child in &node.children {
            self.take(child);
        }
        true
    }

    fn enclosure(&mut self, node: &Node<'_>) -> bool {
        let address = node.attribute("url").or_else(|| node.attribute("href")).or_else(|| node.words());
        let Some(address) = address.map(|address| node.absolute(address)) else { return false };
        let length = node.attribute("length").and_then(media::number);
        self.add("enclosures", media::file(address, node.attribute("type"), length));
        true
    }

    fn picture(&mut self, rank: usize, node: &Node<'_>) -> bool {
        let within = node.child("url").and_then(Node::words);
        let address = node.attribute("href").or_else(|| node.attribute("url")).or(within).or_else(|| node.words());
        address
            .map(|address| node.absolute(address))
            .is_some_and(|address| self.set("image", rank, Value::Text(address)))
    }

    fn point(&mut self, (latitude, longitude): (f64, f64)) -> bool {
        self.place.entry("latitude".to_owned()).or_insert(Value::Number(latitude));
        self.place.entry("longitude".to_owned()).or_insert(Value::Number(longitude));
        true
    }

    /// A point somewhere within an element: `gml:pos`, or the two degrees apart.
    fn place_within(&mut self, node: &Node<'_>) -> bool {
        if let Some(point) = node.words().and_then(media::point) {
            return self.point(point);
        }
        let degrees = |name: &str| node.child(name).and_then(Node::words).and_then(|text| text.parse().ok());
        if let (Some(latitude), Some(longitude)) = (degrees("lat"), degrees("long").or_else(|| degrees("lon"))) {
            return self.point((latitude, longitude));
        }
        node.children.iter().any(|child| self.place_within(child))
    }
}

/// Where an item was taken from: its title, address and identifier.
fn source(node: &Node<'_>, mended: &mut BTreeSet<Mended>) -> Value {
    let mut source = Record::default();
    let mut set = |name: &str, text: Option<String>| {
        source.extend(text.map(|text| (name.to_owned(), Value::Text(text))));
    };
    let mut within = |name: &str| node.child(name).and_then(|child| line(child, mended));
    let (title, id, updated) = (within("title"), within("id"), within("updated"));
    let link = node.child("link").and_then(|link| link.attribute("href").or_else(|| link.words()));
    set("title", title.or_else(|| node.words().map(str::to_owned)));
    set("url", node.attribute("url").or(link).map(|address| node.absolute(address)));
    set("id", id);
    set("updated", updated);
    Value::Record(source)
}
