//! The words by which entries are found, and what they refer to.

use std::collections::{BTreeSet, HashSet};

use super::database::{Connection, params};
use diaporos_core::intake::Incoming;
use diaporos_core::value::{Address, Record, Value};
use foldhash::fast::RandomState;
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

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
        Words { is_new, ..Words::of_fields(id, entry.id.as_str(), &entry.fields) }
    }

    /// The same of a new entry by its fields.
    pub(super) fn of_fields(id: i64, source_id: &str, fields: &Record) -> Words {
        let mut found = Gathered::default();
        found.text(source_id);
        fields.values().for_each(|value| found.value(value));
        Words { entry: id, is_new: true, words: found.joined() }
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
    let mut keep = connection.prepare_cached("INSERT INTO refers VALUES (?1, ?2) ON CONFLICT DO NOTHING")?;
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
        match connection {
            Connection::File(_) => {
                let add = "INSERT INTO entry_text (rowid, words) VALUES (?1, ?2)";
                connection.prepare_cached(add)?.execute(params![entry, words])?;
            }
            Connection::Server(_) => {
                let add = "INSERT INTO entry_text (rowid, words)
                     VALUES (?1, array_to_tsvector(string_to_array(CAST(?2 AS TEXT), ' ')))";
                connection.prepare_cached(add)?.execute(params![entry, folded(words)])?;
            }
        }
    }
    Ok(())
}

/// So many bytes of words a server takes for one entry, and of one word.
const MOST_BYTES: usize = 900_000;
const LONGEST_WORD: usize = 2_000;

/// A word as a server's index has it: small letters without accents, as the file's index makes them by itself.
pub(super) fn folded_word(word: &str) -> String {
    let plain = word.nfd().filter(|letter| !is_combining_mark(*letter)).flat_map(char::to_lowercase);
    let mut folded: String = plain.collect();
    while folded.len() > LONGEST_WORD {
        folded.pop();
    }
    folded
}

/// Words, each once, as a server's index has them; of the very many as many as it takes.
fn folded(words: &str) -> String {
    let all: BTreeSet<String> = words.split(' ').map(folded_word).filter(|word| !word.is_empty()).collect();
    let mut joined = String::new();
    for word in all {
        if joined.len() + word.len() > MOST_BYTES {
            break;
        }
        if !joined.is_empty() {
            joined.push(' ');
        }
        joined.push_str(&word);
    }
    joined
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
