//! What an item holds besides: every element that has no field of its own, by whose it is and its name.

use diaporos_core::value::{Record, Value};

use super::names::Space;
use super::node::Node;

/// Elements by the prefix of whose they are, and their names.
#[derive(Debug, Clone, Default)]
pub(super) struct Extra(Record);

impl Extra {
    /// Keeps an element.
    pub(super) fn keep(&mut self, node: &Node<'_>) {
        let value = value(node);
        if value.is_blank() {
            return;
        }
        let whose = match node.space.prefix() {
            Some(prefix) => prefix,
            None if node.prefix.is_empty() => "rss",
            None => node.prefix,
        };
        self.put(whose, node.name, value);
    }

    /// Keeps a value under a name; several of one name become a list.
    pub(super) fn put(&mut self, whose: &str, name: &str, value: Value) {
        let of = self.0.entry(whose.to_owned()).or_insert_with(|| Value::Record(Record::default()));
        if let Value::Record(of) = of {
            add(of, name, value);
        }
    }

    /// Everything that was kept.
    pub(super) fn into_value(self) -> Value {
        Value::Record(self.0)
    }
}

fn add(record: &mut Record, name: &str, value: Value) {
    match record.get_mut(name) {
        None => {
            record.insert(name.to_owned(), value);
        }
        Some(Value::List(several)) => several.push(value),
        Some(first) => *first = Value::List(vec![std::mem::take(first), value]),
    }
}

/// An element's text; where it has attributes or elements too, a record of them, its text as `text`.
fn value(node: &Node<'_>) -> Value {
    let text = if node.has_markup { Some(node.inner.trim()) } else { node.words() };
    if node.attributes.is_empty() && node.children.is_empty() {
        return text.map_or(Value::Null, Value::from);
    }
    let mut record = Record::default();
    for (name, text) in &node.attributes {
        if !text.trim().is_empty() {
            add(&mut record, name, Value::from(text.trim()));
        }
    }
    for child in &node.children {
        let value = value(child);
        if !value.is_blank() {
            add(&mut record, child.name, value);
        }
    }
    if let Some(text) = text {
        add(&mut record, "text", Value::from(text));
    }
    Value::Record(record)
}

/// Whether an element of a known space belongs to the frame of a document and says nothing.
pub(super) fn is_frame(node: &Node<'_>) -> bool {
    matches!(node.space, Space::Rdf | Space::Xml) && node.words().is_none() && node.children.is_empty()
}
