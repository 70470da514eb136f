//! The fields that an item of a feed can have.

use std::sync::OnceLock;

use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::TypeName;

/// The type of every entry that comes from a feed.
pub const TYPE: &str = "item";

/// The fields that an item of a feed can have.
pub fn model() -> &'static Model {
    static MODEL: OnceLock<Model> = OnceLock::new();
    MODEL.get_or_init(|| Model { types: [model_type()].into_iter().collect() })
}

/// The one type, with its name.
pub(super) fn model_type() -> (TypeName, EntryType) {
    use FieldKind::{Boolean, Html, Instant, Integer, Record, Text, Url};
    let one = |kind| Field { kind, ..Field::default() };
    let many = |kind| Field { kind, many: true, ..Field::default() };
    let always = |kind| Field { kind, required: true, ..Field::default() };
    let fields = [
        ("guid", one(Text)),
        ("title", one(Text)),
        ("subtitle", one(Text)),
        ("link", one(Url)),
        ("summary", one(Html)),
        ("content", one(Html)),
        ("authors", many(Text)),
        ("contributors", many(Text)),
        ("people", many(Record)),
        ("categories", many(Text)),
        ("category_terms", many(Record)),
        ("published", one(Instant)),
        ("updated", one(Instant)),
        ("language", one(Text)),
        ("image", one(Url)),
        ("thumbnails", many(Record)),
        ("enclosures", many(Record)),
        ("media", many(Record)),
        ("links", many(Record)),
        ("rights", one(Text)),
        ("publisher", one(Text)),
        ("source", one(Record)),
        ("place", one(Record)),
        ("comments", one(Url)),
        ("comment_count", one(Integer)),
        ("duration", one(Integer)),
        ("season", one(Integer)),
        ("episode", one(Integer)),
        ("episode_type", one(Text)),
        ("explicit", one(Boolean)),
        ("transcripts", many(Record)),
        ("chapters", many(Record)),
        ("extra", one(Record)),
        ("feed", always(Text)),
        ("feed_title", one(Text)),
        ("feed_link", one(Url)),
        ("medium", always(Text)),
    ];
    let fields = fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect();
    #[expect(clippy::expect_used, reason = "the name is a constant that a test reads too")]
    let kind = TypeName::new(TYPE).expect("`item` is a name");
    (kind, EntryType { fields })
}
