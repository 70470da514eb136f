//! What a field holds.

use crate::value::TypeName;

/// What a field's values are. A text that is a date or a URL is told from free text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum FieldKind {
    /// Plain text.
    Text,
    /// Rich text as HTML.
    Html,
    /// Rich text as Markdown.
    Markdown,
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
    /// One of these texts.
    Choice(Vec<String>),
    /// Values by name.
    Record,
    /// A picture, sound or other file: a record with its `url`, and of a picture its size, focal
    /// point, area of interest and alternative text.
    Asset,
    /// Another entry of the named type in the same system.
    Reference(TypeName),
    /// Whatever is there.
    #[default]
    Anything,
}

impl FieldKind {
    /// The kinds that a single word names; a reference also needs its type.
    pub const WORDS: [(&str, FieldKind); 12] = [
        ("text", FieldKind::Text),
        ("html", FieldKind::Html),
        ("markdown", FieldKind::Markdown),
        ("integer", FieldKind::Integer),
        ("number", FieldKind::Number),
        ("boolean", FieldKind::Boolean),
        ("date", FieldKind::Date),
        ("instant", FieldKind::Instant),
        ("url", FieldKind::Url),
        ("record", FieldKind::Record),
        ("asset", FieldKind::Asset),
        ("anything", FieldKind::Anything),
    ];

    /// The kind's word.
    #[must_use]
    pub fn word(&self) -> &'static str {
        match self {
            FieldKind::Reference(_) => "reference",
            FieldKind::Choice(_) => "choice",
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
    /// A regular expression that a text must match somewhere.
    pub pattern: Option<String>,
}

impl Field {
    /// All that the field is, in one line that changes when any of it does.
    #[must_use]
    pub fn signature(&self) -> String {
        let more = match &self.kind {
            FieldKind::Reference(to) => to.to_string(),
            FieldKind::Choice(words) => format!("{words:?}"),
            _ => String::new(),
        };
        format!(
            "{} {more} {} {} {} {:?} {:?}",
            self.kind.word(),
            self.many,
            self.localised,
            self.required,
            self.max_length,
            self.pattern
        )
    }
}
