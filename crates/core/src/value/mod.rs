//! Values, localised values, addresses and language tags: what content is made of.

mod address;
mod encode;
mod language;
mod localised;
mod name;
mod state;

use std::borrow::Cow;

use foldhash::fast::RandomState;
use indexmap::IndexMap;

pub use address::{Address, AddressError};
#[cfg(test)]
pub(crate) use encode::tests;
pub use encode::{DecodeError, Plain, from_json, from_stored, stored_text, to_json};
pub use language::{LanguageError, LanguageTag};
pub use localised::{Localised, languages_of, project};
pub use name::{EntryId, FieldName, LaneName, NameError, Revision, SystemName, TypeName};
pub use state::State;

/// Fields by name, in the order in which the source gave them. The order never counts in comparing.
pub type Record = IndexMap<String, Value, RandomState>;

/// A piece of content.
#[derive(Debug, Clone, PartialEq, Default)]
pub enum Value {
    /// Nothing there; missing data flows through expressions as null.
    #[default]
    Null,
    /// True or false.
    Boolean(bool),
    /// A whole number that fits 64 bits.
    Integer(i64),
    /// A floating-point number; JSON numbers beyond 64-bit integers become this (RFC 8259 §6).
    Number(f64),
    /// Text: plain, HTML, a date in RFC 3339, a URL; the model knows which.
    Text(String),
    /// Values in order.
    List(Vec<Value>),
    /// Values by name.
    Record(Record),
    /// A value per language.
    Localised(Localised),
    /// Another entry.
    Reference(Address),
}

impl Value {
    /// What kind of value this is, in a message's words.
    #[must_use]
    pub fn kind_name(&self) -> &'static str {
        match self {
            Value::Null => "null",
            Value::Boolean(_) => "boolean",
            Value::Integer(_) => "integer",
            Value::Number(_) => "number",
            Value::Text(_) => "text",
            Value::List(_) => "list",
            Value::Record(_) => "record",
            Value::Localised(_) => "localised value",
            Value::Reference(_) => "reference",
        }
    }

    /// Whether this is null, or localised with nothing but nulls in it.
    #[must_use]
    pub fn is_null(&self) -> bool {
        match self {
            Value::Null => true,
            Value::Localised(by_language) => by_language.values().all(Value::is_null),
            _ => false,
        }
    }

    /// Whether there is nothing to read here: null, empty text, an empty list or record.
    #[must_use]
    pub fn is_blank(&self) -> bool {
        match self {
            Value::Text(text) => text.trim().is_empty(),
            Value::List(items) => items.is_empty(),
            Value::Record(fields) => fields.is_empty(),
            Value::Localised(by_language) => by_language.values().all(Value::is_blank),
            other => other.is_null(),
        }
    }

    /// A scalar as text: a number as it is written in JSON, `true`, `false`, or the text itself.
    #[must_use]
    pub fn scalar_text(&self) -> Option<Cow<'_, str>> {
        match self {
            Value::Text(text) => Some(Cow::Borrowed(text)),
            Value::Integer(whole) => Some(Cow::Owned(whole.to_string())),
            Value::Number(number) => Some(Cow::Owned(number.to_string())),
            Value::Boolean(truth) => Some(Cow::Owned(truth.to_string())),
            _ => None,
        }
    }

    /// The text, where this is text.
    #[must_use]
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Value::Text(text) => Some(text),
            _ => None,
        }
    }
}

impl From<&str> for Value {
    fn from(text: &str) -> Self {
        Value::Text(text.to_owned())
    }
}

impl From<String> for Value {
    fn from(text: String) -> Self {
        Value::Text(text)
    }
}
