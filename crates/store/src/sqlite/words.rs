//! The words by which entries are found, and what they refer to.

use std::collections::HashSet;

use diaporos_core::intake::Incoming;
use diaporos_core::value::Value;
use rusqlite::{Connection, params};

use super::StoreError;

/// The words by which an entry is found.
pub(super) struct Words {
    entry: i64,
    is_new: bool,
    words: String,
}

/// Notes what an entry refers to, and gives the words by which it is found.
pub(super) fn index(connection: &Connection, id: i64, entry: &Incoming, is_new: bool) -> Result<Words, StoreError> {
    let mut found = Gathered::default();
    found.text(entry.id.as_str());
    entry.fields.values().for_each(|value| found.value(value));
    if !is_new {
        connection.prepare_cached("DELETE FROM refers WHERE entry = ?")?.execute([id])?;
    }
    for target in &found.targets {
        connection.prepare_cached("INSERT OR IGNORE INTO refers VALUES (?, ?)")?.execute(params![id, target])?;
    }
    Ok(Words { entry: id, is_new, words: found.joined() })
}

/// Keeps the words of a page's entries, after everything else of the page: a statement that fires a
/// trigger makes SQLite write out all words since the last one, which for each entry is slow.
pub(super) fn keep_words(connection: &Connection, all: &[Words]) -> Result<(), StoreError> {
    for Words { entry, is_new, words } in all {
        if !is_new {
            connection.prepare_cached("DELETE FROM entry_text WHERE rowid = ?")?.execute([entry])?;
        }
        connection
            .prepare_cached("INSERT INTO entry_text (rowid, words) VALUES (?, ?)")?
            .execute(params![entry, words])?;
    }
    Ok(())
}

/// The words of an entry, each once, and the addresses it refers to.
#[derive(Default)]
struct Gathered {
    words: HashSet<String>,
    targets: Vec<String>,
}

impl Gathered {
    fn value(&mut self, value: &Value) {
        match value {
            Value::Text(text) => self.text(text),
            Value::Reference(address) => self.targets.push(address.to_string()),
            Value::List(items) => items.iter().for_each(|item| self.value(item)),
            Value::Record(fields) => fields.values().for_each(|field| self.value(field)),
            Value::Localised(by_language) => by_language.values().for_each(|inner| self.value(inner)),
            Value::Null | Value::Boolean(_) | Value::Integer(_) | Value::Number(_) => {}
        }
    }

    /// The words of a text outside of its tags.
    fn text(&mut self, text: &str) {
        let outside = text.split('<').enumerate().map(|(place, part)| match (place, part.split_once('>')) {
            (0, _) | (_, None) => part,
            (_, Some((_, after))) => after,
        });
        for word in outside.flat_map(|part| part.split(|c: char| !c.is_alphanumeric())) {
            if !word.is_empty() && !self.words.contains(word) {
                self.words.insert(word.to_owned());
            }
        }
    }

    fn joined(&self) -> String {
        let mut joined = String::new();
        for word in &self.words {
            joined.push_str(word);
            joined.push(' ');
        }
        joined
    }
}
