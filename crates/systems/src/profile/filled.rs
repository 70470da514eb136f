//! What goes into calls: what their places are filled with, and members that are fixed.

use diaporos_core::settings::Section;
use diaporos_core::value::to_json;
use serde_json::{Map, Value as Json};

use crate::places::filled;

/// What a call's places are filled with.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Filled<'a> {
    /// `{id}`: what the system calls the document.
    pub(crate) id: &'a str,
    /// `{key}`: the value of the lane's key field.
    pub(crate) key: &'a str,
    /// `{language}`: the system's code of the language.
    pub(crate) language: &'a str,
    /// `{type}`: the type's name.
    pub(crate) kind: &'a str,
    /// `{revision}`: the version that the call is based on, where the system is told by a variable.
    pub(crate) revision: &'a str,
    /// `{item}`: what joins a new document to those of other languages.
    pub(crate) item: &'a str,
    /// What shows that the document is locked by us, where a variable does.
    pub(crate) lock: &'a str,
}

impl<'a> Filled<'a> {
    /// What the variables of operations are called that are filled without being named.
    pub(super) const NAMES: [&'static str; 6] = ["id", "key", "language", "revision", "item", "lock"];

    /// The values of these, in their order.
    pub(super) fn values(self) -> [&'a str; 6] {
        [self.id, self.key, self.language, self.revision, self.item, self.lock]
    }

    /// A text with its places filled.
    pub(super) fn put(self, template: &str) -> String {
        filled(template, &Self::NAMES, &self.values())
    }
}

/// Fixed members, each of any kind that JSON has.
pub(super) fn constants(section: &mut Section<'_>) -> Map<String, Json> {
    let mut body = Map::new();
    for name in section.names() {
        if let Some(item) = section.named_value(&name.value) {
            body.insert(name.value, to_json(&item.value));
        }
    }
    body
}
