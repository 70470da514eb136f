//! The words by which entries are found, and what they refer to.

use std::collections::HashSet;

use diaporos_core::intake::Incoming;
use diaporos_core::value::{Address, Value};
use foldhash::fast::RandomState;
use rusqlite::{Connection, params};

use super::StoreError;

/// The words by which an entry is found.
pub(super) struct Words {
    entry: i64,
    is_new: bool,
    words: String,
}

impl Words {
    /// The words of an entry, each once, in all languages.
    pub(super) fn of(id: i64, entry: &Incoming, is_new: bool) -> Words {
        let mut found = Gathered::default();
        found.text(entry.id.as_str());
        entry.fields.values().for_each(|value| found.value(value));
        Words { entry: id, is_new, words: found.joined() }
    }
}

/// Notes what an entry refers to.
pub(super) fn keep_references(
    connection: &Connection,
    id: i64,
    entry: &Incoming,
    is_new: bool,
) -> Result<(), StoreError> {
    if !is_new {
        connection.prepare_cached("DELETE FROM refers WHERE entry = ?1")?.execute([id])?;
    }
    let mut keep = connection.prepare_cached("INSERT OR IGNORE INTO refers VALUES (?1, ?2)")?;
    let mut targets = Vec::new();
    entry.fields.values().for_each(|value| references(value, &mut targets));
    for target in targets {
        keep.execute(params![id, target.to_string()])?;
    }
    Ok(())
}

fn references<'a>(value: &'a Value, found: &mut Vec<&'a Address>) {
    match value {
        Value::Reference(address) => found.push(address),
        Value::List(items) => items.iter().for_each(|item| references(item, found)),
        Value::Record(fields) => fields.values().for_each(|field| references(field, found)),
        Value::Localised(by_language) => by_language.values().for_each(|inner| references(inner, found)),
        Value::Null | Value::Boolean(_) | Value::Integer(_) | Value::Number(_) | Value::Text(_) => {}
    }
}

/// Keeps the words of a page's entries, after everything else of the page: a statement that fires a
/// trigger makes SQLite write out all words since the last one, which for each entry is slow.
pub(super) fn keep_words(connection: &Connection, all: &[Words]) -> Result<(), StoreError> {
    for Words { entry, is_new, words } in all {
        if !is_new {
            connection.prepare_cached("DELETE FROM entry_text WHERE rowid = ?1")?.execute([entry])?;
        }
        connection
            .prepare_cached("INSERT INTO entry_text (rowid, words) VALUES (?1, ?2)")?
            .execute(params![entry, words])?;
    }
    Ok(())
}

#[derive(Default)]
struct Gathered<'a> {
    words: HashSet<&'a str, RandomState>,
}

impl<'a> Gathered<'a> {
    fn value(&mut self, value: &'a Value) {
        match value {
            Value::Text(text) => self.text(text),
            Value::List(items) => items.iter().for_each(|item| self.value(item)),
            Value::Record(fields) => fields.values().for_each(|field| self.value(field)),
            Value::Localised(by_language) => by_language.values().for_each(|inner| self.value(inner)),
            Value::Null | Value::Boolean(_) | Value::Integer(_) | Value::Number(_) | Value::Reference(_) => {}
        }
    }

    /// The words of a text outside of its tags.
    fn text(&mut self, text: &'a str) {
        let outside = text.split('<').enumerate().map(|(place, part)| match (place, part.split_once('>')) {
            (0, _) | (_, None) => part,
            (_, Some((_, after))) => after,
        });
        let words = outside.flat_map(|part| part.split(|c: char| !c.is_alphanumeric()));
        self.words.extend(words.filter(|word| !word.is_empty()));
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
