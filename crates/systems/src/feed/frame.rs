//! What a feed says of itself, and where it goes on.

use std::borrow::Cow;
use std::collections::BTreeSet;

use serde_json::Value as Json;
use url::Url;

use super::json;
use super::markup::absolute;
use super::names::Space;
use super::node::Node;
use super::people::Person;
use super::table::Role;
use super::texts::line;

/// What a feed says of itself.
#[derive(Debug, Default)]
pub(super) struct Frame {
    /// The name of its root.
    pub(super) root: Option<String>,
    /// Whether its elements are those of a feed.
    pub(super) is_feed: bool,
    /// What it is called.
    pub(super) title: Option<String>,
    /// Its page for people.
    pub(super) link: Option<String>,
    /// Its language.
    pub(super) language: Option<String>,
    /// Who wrote what does not say who wrote it (RFC 4287 §4.2.1).
    pub(super) people: Vec<Person>,
    /// Its own address.
    own: Option<String>,
    /// Its next page.
    next: Option<String>,
    /// The archive before this document (RFC 5005 §4).
    archive: Option<String>,
}

impl Frame {
    /// Takes what a container's attributes say.
    pub(super) fn container(&mut self, attributes: &[(&str, Cow<'_, str>)]) {
        let language = attributes.iter().find(|(name, _)| *name == "xml:lang");
        if let Some((_, language)) = language.filter(|(_, language)| !language.trim().is_empty()) {
            self.language.get_or_insert_with(|| language.trim().to_owned());
        }
    }

    /// Takes one of the feed's own elements.
    pub(super) fn take(&mut self, node: &Node<'_>) {
        let mut mended = BTreeSet::new();
        let mut text = || line(node, &mut mended);
        let keep = |place: &mut Option<String>, text: Option<String>| {
            if place.is_none() {
                *place = text;
            }
        };
        match (node.space, node.name.to_ascii_lowercase().as_str()) {
            (Space::Rss | Space::Atom, "title") => keep(&mut self.title, text()),
            (Space::Rss | Space::Dc | Space::Terms, "language") => keep(&mut self.language, text()),
            (Space::Atom, "author") => self.people.extend(Person::of(node, Role::Author, &mut mended)),
            (Space::Rss | Space::Atom, "link") => match node.attribute("href") {
                None => {
                    let address = node.words().map(|text| node.absolute(text));
                    keep(&mut self.link, address);
                }
                Some(address) => {
                    let address = Some(node.absolute(address));
                    match node.attribute("rel").unwrap_or("alternate").to_ascii_lowercase().as_str() {
                        "alternate" => keep(&mut self.link, address),
                        "self" => keep(&mut self.own, address),
                        "next" => keep(&mut self.next, address),
                        "prev-archive" => keep(&mut self.archive, address),
                        _ => {}
                    }
                }
            },
            _ => {}
        }
    }

    /// What a JSON Feed says of itself.
    pub(super) fn of_json(head: &json::Head<'_>) -> Frame {
        let text = |json: &Option<Json>| {
            let text = json.as_ref().and_then(Json::as_str).map(str::trim);
            text.filter(|text| !text.is_empty()).map(str::to_owned)
        };
        Frame {
            is_feed: true,
            title: text(&head.title),
            link: text(&head.home_page_url),
            language: text(&head.language),
            people: json::people(head.authors.as_ref(), head.author.as_ref()),
            own: text(&head.feed_url),
            next: text(&head.next_url),
            ..Frame::default()
        }
    }

    /// Makes relative addresses absolute, where nothing else did.
    pub(super) fn make_absolute(&mut self, base: Option<&Url>) {
        for address in [&mut self.link, &mut self.next].into_iter().flatten() {
            *address = absolute(base, address);
        }
    }

    /// The feed's own address as it says it, or that of its page.
    pub(super) fn address(&self) -> Option<Url> {
        let said = [&self.own, &self.link].into_iter().flatten();
        let mut web =
            said.filter_map(|address| Url::parse(address).ok()).filter(|url| matches!(url.scheme(), "http" | "https"));
        web.next()
    }

    /// Where the feed goes on: on the same host only, for the link is the feed's and not ours.
    pub(super) fn further(&self, from: &Url) -> Option<Url> {
        let target = from.join(self.next.as_deref().or(self.archive.as_deref())?).ok()?;
        (target.origin() == from.origin() && target != *from).then_some(target)
    }
}
