//! Every element of an item that a feed can have: whose it is, its name, where it goes, and how it is read.
//!
//! Of elements for the same field the one that stands first here counts, in whatever order a feed has
//! them; the others can be had under `extra`, as everything can that is not in this table.

use std::collections::HashMap;
use std::sync::LazyLock;

use super::names::Space;
use super::names::Space::{
    App, Atom, Content, Dc, Geo, GeoRss, Gml, Itunes, Media, Play, Podcast, Prism, Rss, Slash, Terms, Thread, Xhtml,
};

/// How an element is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Reads {
    /// A line of plain text.
    Line,
    /// Rich text, as its `type` says; HTML where it says nothing.
    Rich,
    /// A point in time.
    Moment,
    /// An address.
    Address,
    /// A whole number.
    Count,
    /// A length of time, in seconds or with colons.
    Seconds,
    /// Yes or no.
    Flag,
    /// The item's own identifier.
    Id,
    /// A link of RSS, or one of Atom that stands in it.
    Link,
    /// Somebody.
    Person(Role),
    /// A category, in whichever form.
    Category,
    /// Keywords with commas between.
    Keywords,
    /// A file that goes with the item.
    Enclosure,
    /// Where the item was taken from.
    Source,
    /// A picture, by its address, its attribute, or an element within.
    Picture,
    /// A small picture of the item.
    Thumbnail,
    /// Something to see or hear.
    MediaContent,
    /// Forms of the same thing to see or hear.
    MediaGroup,
    /// What is said of everything to see or hear in the item.
    MediaPart,
    /// `latitude longitude`.
    Point,
    /// One of the two, in degrees.
    Degrees,
    /// Whatever holds a point.
    Place,
    /// Whether it is still a draft.
    Control,
    /// Its attributes as a record.
    Attributes,
}

/// What somebody did.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Role {
    /// Wrote it.
    Author,
    /// Helped.
    Contributor,
    /// What the element itself says.
    Said,
}

impl Reads {
    /// Whether it is text as a whole, so that elements within are markup of that text.
    pub(super) fn is_text(self) -> bool {
        matches!(
            self,
            Reads::Line
                | Reads::Rich
                | Reads::Moment
                | Reads::Address
                | Reads::Count
                | Reads::Seconds
                | Reads::Flag
                | Reads::Id
                | Reads::Link
                | Reads::Keywords
                | Reads::Point
                | Reads::Degrees
        )
    }
}

/// An element of an item.
#[derive(Debug)]
pub(super) struct Element {
    /// Whose it is.
    pub(super) space: Space,
    /// Its name, in lower case.
    pub(super) name: &'static str,
    /// The field that it goes to.
    pub(super) field: &'static str,
    /// How it is read.
    pub(super) reads: Reads,
}

const fn element(space: Space, name: &'static str, field: &'static str, reads: Reads) -> Element {
    Element { space, name, field, reads }
}

/// The elements.
pub(super) const ELEMENTS: &[Element] = &[
    element(Rss, "guid", "guid", Reads::Id),
    element(Atom, "id", "guid", Reads::Id),
    element(Rss, "title", "title", Reads::Line),
    element(Atom, "title", "title", Reads::Line),
    element(Dc, "title", "title", Reads::Line),
    element(Terms, "title", "title", Reads::Line),
    element(Itunes, "title", "title", Reads::Line),
    element(Rss, "link", "link", Reads::Link),
    element(Atom, "link", "link", Reads::Link),
    element(Atom, "summary", "summary", Reads::Rich),
    element(Rss, "description", "summary", Reads::Rich),
    element(Dc, "description", "summary", Reads::Rich),
    element(Terms, "abstract", "summary", Reads::Rich),
    element(Rss, "abstract", "summary", Reads::Rich),
    element(Itunes, "summary", "summary", Reads::Rich),
    element(Play, "description", "summary", Reads::Rich),
    element(Content, "encoded", "content", Reads::Rich),
    element(Atom, "content", "content", Reads::Rich),
    element(Xhtml, "body", "content", Reads::Rich),
    element(Xhtml, "div", "content", Reads::Rich),
    element(Rss, "body", "content", Reads::Rich),
    element(Rss, "fulltext", "content", Reads::Rich),
    element(Itunes, "subtitle", "subtitle", Reads::Line),
    element(Rss, "subtitle", "subtitle", Reads::Line),
    element(Atom, "author", "authors", Reads::Person(Role::Author)),
    element(Rss, "author", "authors", Reads::Person(Role::Author)),
    element(Dc, "creator", "authors", Reads::Person(Role::Author)),
    element(Terms, "creator", "authors", Reads::Person(Role::Author)),
    element(Itunes, "author", "authors", Reads::Person(Role::Author)),
    element(Play, "author", "authors", Reads::Person(Role::Author)),
    element(Atom, "contributor", "contributors", Reads::Person(Role::Contributor)),
    element(Dc, "contributor", "contributors", Reads::Person(Role::Contributor)),
    element(Terms, "contributor", "contributors", Reads::Person(Role::Contributor)),
    element(Podcast, "person", "contributors", Reads::Person(Role::Said)),
    element(Rss, "category", "categories", Reads::Category),
    element(Atom, "category", "categories", Reads::Category),
    element(Dc, "subject", "categories", Reads::Category),
    element(Terms, "subject", "categories", Reads::Category),
    element(Media, "category", "categories", Reads::Category),
    element(Itunes, "category", "categories", Reads::Category),
    element(Media, "keywords", "categories", Reads::Keywords),
    element(Itunes, "keywords", "categories", Reads::Keywords),
    element(Rss, "pubdate", "published", Reads::Moment),
    element(Atom, "published", "published", Reads::Moment),
    element(Atom, "issued", "published", Reads::Moment),
    element(Terms, "issued", "published", Reads::Moment),
    element(Dc, "date", "published", Reads::Moment),
    element(Terms, "date", "published", Reads::Moment),
    element(Prism, "publicationdate", "published", Reads::Moment),
    element(Terms, "available", "published", Reads::Moment),
    element(Atom, "created", "published", Reads::Moment),
    element(Terms, "created", "published", Reads::Moment),
    element(Rss, "date", "published", Reads::Moment),
    element(Atom, "updated", "updated", Reads::Moment),
    element(Atom, "modified", "updated", Reads::Moment),
    element(Terms, "modified", "updated", Reads::Moment),
    element(Prism, "modificationdate", "updated", Reads::Moment),
    element(Rss, "lastbuilddate", "updated", Reads::Moment),
    element(App, "edited", "updated", Reads::Moment),
    element(App, "control", "draft", Reads::Control),
    element(Dc, "language", "language", Reads::Line),
    element(Terms, "language", "language", Reads::Line),
    element(Rss, "language", "language", Reads::Line),
    element(Atom, "rights", "rights", Reads::Line),
    element(Dc, "rights", "rights", Reads::Line),
    element(Terms, "rights", "rights", Reads::Line),
    element(Atom, "copyright", "rights", Reads::Line),
    element(Rss, "copyright", "rights", Reads::Line),
    element(Dc, "publisher", "publisher", Reads::Line),
    element(Terms, "publisher", "publisher", Reads::Line),
    element(Rss, "source", "source", Reads::Source),
    element(Atom, "source", "source", Reads::Source),
    element(Dc, "source", "source", Reads::Source),
    element(Rss, "comments", "comments", Reads::Address),
    element(Slash, "comments", "comment_count", Reads::Count),
    element(Thread, "total", "comment_count", Reads::Count),
    element(Rss, "enclosure", "enclosures", Reads::Enclosure),
    element(Media, "group", "media", Reads::MediaGroup),
    element(Media, "content", "media", Reads::MediaContent),
    element(Media, "title", "media", Reads::MediaPart),
    element(Media, "description", "media", Reads::MediaPart),
    element(Media, "text", "media", Reads::MediaPart),
    element(Media, "credit", "media", Reads::MediaPart),
    element(Media, "copyright", "media", Reads::MediaPart),
    element(Media, "player", "media", Reads::MediaPart),
    element(Media, "thumbnail", "thumbnails", Reads::Thumbnail),
    element(Itunes, "image", "image", Reads::Picture),
    element(Play, "image", "image", Reads::Picture),
    element(Rss, "image", "image", Reads::Picture),
    element(Itunes, "duration", "duration", Reads::Seconds),
    element(Itunes, "season", "season", Reads::Count),
    element(Podcast, "season", "season", Reads::Count),
    element(Itunes, "episode", "episode", Reads::Count),
    element(Podcast, "episode", "episode", Reads::Count),
    element(Itunes, "episodetype", "episode_type", Reads::Line),
    element(Itunes, "explicit", "explicit", Reads::Flag),
    element(Play, "explicit", "explicit", Reads::Flag),
    element(Podcast, "transcript", "transcripts", Reads::Attributes),
    element(Podcast, "chapters", "chapters", Reads::Attributes),
    element(GeoRss, "point", "place", Reads::Point),
    element(GeoRss, "where", "place", Reads::Place),
    element(Gml, "point", "place", Reads::Place),
    element(Geo, "point", "place", Reads::Place),
    element(Geo, "lat", "latitude", Reads::Degrees),
    element(Geo, "long", "longitude", Reads::Degrees),
    element(Geo, "lon", "longitude", Reads::Degrees),
    element(GeoRss, "featurename", "place_name", Reads::Line),
    element(Podcast, "location", "place_name", Reads::Line),
];

/// An element with its place in the table.
type Ranked = (usize, &'static Element);

static BY_NAME: LazyLock<HashMap<(Space, &'static str), Ranked>> = LazyLock::new(|| {
    ELEMENTS.iter().enumerate().map(|(rank, element)| ((element.space, element.name), (rank, element))).collect()
});

/// An element by whose it is and its name in any case, with its rank. RSS and Atom borrow each other's.
pub(super) fn find(space: Space, name: &str) -> Option<Ranked> {
    let lower;
    let name = if name.bytes().any(|byte| byte.is_ascii_uppercase()) {
        lower = name.to_ascii_lowercase();
        &lower
    } else {
        name
    };
    let of = |space: Space| BY_NAME.get(&(space, name)).copied();
    of(space).or_else(|| match space {
        Space::Rss => of(Space::Atom),
        Space::Atom => of(Space::Rss),
        _ => None,
    })
}

/// Elements of feeds that no text has as markup: where one begins, the text before it has ended.
pub(super) fn is_never_markup(space: Space, name: &str) -> bool {
    const OF_FEEDS: [&str; 10] =
        ["guid", "pubdate", "description", "category", "author", "enclosure", "comments", "published", "updated", "id"];
    match space {
        Space::Rss | Space::Atom => OF_FEEDS.iter().any(|known| known.eq_ignore_ascii_case(name)),
        Space::Xhtml | Space::Other => false,
        _ => find(space, name).is_some(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_element_goes_to_a_field_of_the_model_and_stands_once() {
        assert_eq!(BY_NAME.len(), ELEMENTS.len());
        let model = super::super::model();
        let (_, item) = model.types.iter().next().unwrap();
        for element in ELEMENTS {
            let inner = ["draft", "latitude", "longitude", "place_name"].contains(&element.field);
            assert!(inner || item.fields.contains_key(element.field), "{}", element.field);
            assert_eq!(element.name, element.name.to_ascii_lowercase());
        }
        assert_eq!(find(Space::Rss, "pubDate").map(|(_, found)| found.field), Some("published"));
        assert_eq!(find(Space::Atom, "description").map(|(_, found)| found.field), Some("summary"));
        assert!(find(Space::Other, "title").is_none());
    }
}
