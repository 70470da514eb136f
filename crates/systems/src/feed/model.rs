//! The fields that an item of a feed can have.

use std::sync::OnceLock;

use diaporos_core::model::FieldKind::{Boolean, Html, Instant, Integer, Record, Text, Url};
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::TypeName;

use super::table::ELEMENTS;

/// The type of every entry that comes from a feed.
pub const TYPE: &str = "item";

/// How often a field is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum There {
    Once,
    Always,
    Often,
}
use There::{Always, Often, Once};

/// The fields: a name, what it holds, how often it is there, what it is.
const FIELDS: &[(&str, FieldKind, There, &str)] = &[
    ("guid", Text, Once, "the item's own identifier; of RSS 1.0 what it is about"),
    ("title", Text, Once, "its title, without markup"),
    ("subtitle", Text, Once, "a second, shorter line"),
    ("link", Url, Once, "its page; a `guid` that is a permalink where there is no link"),
    ("summary", Html, Once, "what it is about; plain text is escaped"),
    ("content", Html, Once, "its whole text; XHTML comes out as HTML"),
    (
        "authors",
        Text,
        Often,
        "the names of those who wrote it; the feed's authors where it names none (Atom, JSON Feed)",
    ),
    ("contributors", Text, Often, "the names of others who had a part"),
    ("people", Record, Often, "all of them: `name`, `email`, `url`, `role`"),
    ("categories", Text, Often, "what it is filed under, keywords too"),
    ("category_terms", Record, Often, "categories that say more: `term`, `label`, `scheme`"),
    ("published", Instant, Once, "when it was first shown"),
    ("updated", Instant, Once, "when it last changed"),
    ("language", Text, Once, "its language; the feed's where it says none"),
    ("image", Url, Once, "its picture; the first of `thumbnails` where it names none"),
    ("thumbnails", Record, Often, "small pictures: `url`, `width`, `height`"),
    ("enclosures", Record, Often, "files that go with it, and all of `media`: `url`, `type`, `length` in bytes"),
    (
        "media",
        Record,
        Often,
        "what there is to see or hear: `url`, `type`, `medium`, `size` in bytes, `width`, `height`, `duration` in seconds, `language`, `title`, `description`, `credits`, `copyright`, `thumbnail`, `player`",
    ),
    ("links", Record, Often, "links by relation: `rel`, `href`, `type`, `language`, `title`, `length`"),
    ("rights", Text, Once, "who holds the rights"),
    ("publisher", Text, Once, "who publishes it"),
    ("source", Record, Once, "where it was taken from: `title`, `url`, `id`, `updated`"),
    ("place", Record, Once, "where it is about: `latitude`, `longitude`, `name`"),
    ("comments", Url, Once, "where it is talked about"),
    ("comment_count", Integer, Once, "how many comments there are"),
    ("duration", Integer, Once, "how long an episode takes, in seconds"),
    ("season", Integer, Once, "an episode's season"),
    ("episode", Integer, Once, "an episode's number"),
    ("episode_type", Text, Once, "`full`, `trailer` or `bonus`"),
    ("explicit", Boolean, Once, "whether it is not for children"),
    ("transcripts", Record, Often, "what is said in an episode: `url`, `type`, `language`"),
    ("chapters", Record, Often, "an episode's chapters: `url`, `type`"),
    ("extra", Record, Once, "every other element, by its namespace's prefix and its name: `extra.yt.videoId`"),
    ("feed", Text, Always, "the name of the feed in the configuration"),
    ("feed_title", Text, Once, "what the feed is called; its `label` in the configuration"),
    ("feed_link", Url, Once, "the feed's page"),
    ("medium", Text, Always, "`text`, `picture`, `audio` or `video`"),
];

/// The fields that an item of a feed can have.
pub fn model() -> &'static Model {
    static MODEL: OnceLock<Model> = OnceLock::new();
    MODEL.get_or_init(|| Model { types: [model_type()].into_iter().collect() })
}

/// The one type, with its name.
pub(super) fn model_type() -> (TypeName, EntryType) {
    let fields = FIELDS.iter().map(|(name, kind, there, _)| {
        let field = Field { kind: kind.clone(), many: *there == Often, required: *there == Always, ..Field::default() };
        ((*name).to_owned(), field)
    });
    #[expect(clippy::expect_used, reason = "the name is a constant that a test reads too")]
    let kind = TypeName::new(TYPE).expect("`item` is a name");
    (kind, EntryType { fields: fields.collect() })
}

/// The page of the fields: what each is, and which elements it is read from.
#[must_use]
pub fn fields_page() -> String {
    let mut page = "# Fields of a feed's item\n\nThis page is made from the reader's tables. Of several elements \
                    for one field the one that is named first counts, and the others are in `extra`.\n\n\
                    | field | kind | what it is | read from |\n|---|---|---|---|\n"
        .to_owned();
    for (name, kind, there, says) in FIELDS {
        let many = if *there == Often { ", several" } else { "" };
        let elements = ELEMENTS.iter().filter(|element| element.field == *name).map(|element| {
            let prefix = element.space.prefix().filter(|prefix| *prefix != "rss");
            prefix.map_or_else(|| format!("`{}`", element.name), |prefix| format!("`{prefix}:{}`", element.name))
        });
        let elements = elements.collect::<Vec<_>>().join(", ");
        page.push_str(&format!("| `{name}` | {}{many} | {says} | {elements} |\n", kind.word()));
    }
    page
}
