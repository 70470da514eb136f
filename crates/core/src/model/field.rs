//! What a field holds.

use crate::value::TypeName;

/// What a field's values are. A text that is a date or a URL is told from free text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum FieldKind {
    /// Plain text.
    Text,
    /// Rich text as HTML.
    Html,
    /// A whole number.
    Integer,
    /// A number.
    Number,
    /// True or false.
    Boolean,
    /// A calendar date, `2026-05-01`.
    Date,
    /// A point in time, RFC 3339.
    Instant,
    /// A web address.
    Url,
    /// Values by name.
    Record,
    /// Another entry of the named type in the same system.
    Reference(TypeName),
    /// Whatever is there.
    #[default]
    Anything,
}

impl FieldKind {
    /// The kinds that a single word names; a reference also needs its type.
    pub const WORDS: [(&str, FieldKind); 10] = [
        ("text", FieldKind::Text),
        ("html", FieldKind::Html),
        ("integer", FieldKind::Integer),
        ("number", FieldKind::Number),
        ("boolean", FieldKind::Boolean),
        ("date", FieldKind::Date),
        ("instant", FieldKind::Instant),
        ("url", FieldKind::Url),
        ("record", FieldKind::Record),
        ("anything", FieldKind::Anything),
    ];

    /// The kind's word.
    #[must_use]
    pub fn word(&self) -> &'static str {
        match self {
            FieldKind::Reference(_) => "reference",
            other => Self::WORDS.iter().find(|(_, kind)| kind == other).map_or("anything", |(word, _)| word),
        }
    }
}

/// A field of a type.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Field {
    /// What each value is.
    pub kind: FieldKind,
    /// A list of such values.
    pub many: bool,
    /// A value per language.
    pub localised: bool,
    /// Must not be missing.
    pub required: bool,
    /// The most characters a text may have.
    pub max_length: Option<usize>,
}
