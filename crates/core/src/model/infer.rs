//! A type's fields, found from its entries.

use std::collections::{BTreeMap, BTreeSet};

use indexmap::IndexMap;

use super::{EntryType, Field, FieldKind};
use crate::value::{LanguageTag, Record, TypeName, Value};

/// What was seen of one field.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Observed {
    /// In how many entries it has a value.
    pub present: u64,
    /// The languages it has values in.
    pub languages: BTreeSet<LanguageTag>,
    /// The most characters of a text in it.
    pub longest: usize,
    /// What kind of value it holds.
    pub field: Field,
    kinds: BTreeMap<Seen, u64>,
    lists: u64,
}

/// The kinds of values that are told apart.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Seen {
    Boolean,
    Integer,
    Number,
    Date,
    Instant,
    Url,
    Html,
    Text,
    Record,
    Reference(TypeName),
}

/// Looks at entries of one type and says what its fields are.
#[derive(Debug, Clone, Default)]
pub struct Observer {
    entries: u64,
    fields: IndexMap<String, Observed>,
}

impl Observer {
    /// Looks at an entry.
    pub fn see(&mut self, record: &Record) {
        self.entries += 1;
        for (name, value) in record.iter().filter(|(_, value)| !value.is_blank()) {
            let observed = self.fields.entry(name.clone()).or_default();
            observed.present += 1;
            observed.see(value);
        }
    }

    /// How many entries were seen.
    #[must_use]
    pub fn entries(&self) -> u64 {
        self.entries
    }

    /// What was seen of each field, in the order in which they were met.
    #[must_use]
    pub fn fields(&self) -> IndexMap<String, Observed> {
        let conclude = |observed: &Observed| Observed { field: observed.conclude(self.entries), ..observed.clone() };
        self.fields.iter().map(|(name, observed)| (name.clone(), conclude(observed))).collect()
    }

    /// The type that the entries are of, as far as they show.
    #[must_use]
    pub fn entry_type(&self) -> EntryType {
        EntryType { fields: self.fields().into_iter().map(|(name, observed)| (name, observed.field)).collect() }
    }
}

impl Observed {
    fn see(&mut self, value: &Value) {
        let kind = match value {
            Value::Null => return,
            Value::Localised(by_language) => {
                for (tag, inner) in by_language {
                    self.languages.insert(tag.clone());
                    self.see(inner);
                }
                return;
            }
            Value::List(items) => {
                self.lists += 1;
                items.iter().for_each(|item| self.see(item));
                return;
            }
            Value::Boolean(_) => Seen::Boolean,
            Value::Integer(_) => Seen::Integer,
            Value::Number(_) => Seen::Number,
            Value::Text(text) => {
                self.longest = self.longest.max(text.chars().count());
                text_kind(text)
            }
            Value::Record(_) => Seen::Record,
            Value::Reference(address) => Seen::Reference(address.kind.clone()),
        };
        *self.kinds.entry(kind).or_default() += 1;
    }

    /// The kind that most values have, where no narrow one takes all.
    #[must_use]
    pub fn usual_kind(&self) -> FieldKind {
        let most = self.kinds.iter().max_by_key(|(_, count)| **count).map(|(kind, _)| kind);
        match most {
            Some(Seen::Boolean) => FieldKind::Boolean,
            Some(Seen::Integer) => FieldKind::Integer,
            Some(Seen::Number) => FieldKind::Number,
            Some(Seen::Date | Seen::Instant | Seen::Url | Seen::Html | Seen::Text) => FieldKind::Text,
            Some(Seen::Record) => FieldKind::Record,
            Some(Seen::Reference(to)) => FieldKind::Reference(to.clone()),
            None => FieldKind::Anything,
        }
    }

    /// The narrowest kind that takes all that was seen.
    fn conclude(&self, entries: u64) -> Field {
        let kinds: Vec<&Seen> = self.kinds.keys().collect();
        let texts = |kind: &&Seen| matches!(kind, Seen::Date | Seen::Instant | Seen::Url | Seen::Html | Seen::Text);
        let kind = match kinds.as_slice() {
            [Seen::Boolean] => FieldKind::Boolean,
            [Seen::Integer] => FieldKind::Integer,
            [Seen::Number] | [Seen::Integer, Seen::Number] => FieldKind::Number,
            [Seen::Date] => FieldKind::Date,
            [Seen::Instant] => FieldKind::Instant,
            [Seen::Url] => FieldKind::Url,
            [Seen::Record] => FieldKind::Record,
            [Seen::Reference(to)] => FieldKind::Reference(to.clone()),
            kinds if !kinds.is_empty() && kinds.iter().all(texts) => {
                if kinds.contains(&&Seen::Html) {
                    FieldKind::Html
                } else {
                    FieldKind::Text
                }
            }
            _ => FieldKind::Anything,
        };
        Field {
            kind,
            many: self.lists > 0,
            localised: !self.languages.is_empty(),
            required: self.present == entries,
            ..Field::default()
        }
    }
}

fn text_kind(text: &str) -> Seen {
    let looks_like_a_date = text.len() >= 10 && text.as_bytes()[0].is_ascii_digit();
    if looks_like_a_date && text.parse::<jiff::Timestamp>().is_ok() {
        Seen::Instant
    } else if looks_like_a_date && text.len() == 10 && text.parse::<jiff::civil::Date>().is_ok() {
        Seen::Date
    } else if (text.starts_with("http://") || text.starts_with("https://")) && !text.contains(char::is_whitespace) {
        Seen::Url
    } else if has_markup(text) {
        Seen::Html
    } else {
        Seen::Text
    }
}

/// Whether a text has a tag that ends, or an entity: one without the other is read as plain text.
fn has_markup(text: &str) -> bool {
    let opens = |at: usize| text[at + 1..].starts_with(|c: char| c.is_ascii_alphabetic() || c == '/');
    text.match_indices('<').any(|(at, _)| opens(at) && text[at..].contains('>'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::from_stored;
    use serde_json::json;

    #[test]
    fn kinds_lists_languages_and_presence() {
        let mut observer = Observer::default();
        for entry in [
            json!({ "name": { "@languages": { "en": "Fern", "fr": "Fougère" } }, "n": 1, "body": "<p>x</p>", "when": "2026-05-01", "by": { "@entry": "c/curator/1" }, "mixed": 1 }),
            json!({ "name": { "@languages": { "en": "Moss" } }, "n": 1.5, "body": "5 < 6", "tags": ["a", "bb"], "at": "2026-05-01T10:00:00Z", "mixed": "x" }),
        ] {
            let Ok(Value::Record(record)) = from_stored(entry) else { panic!() };
            observer.see(&record);
        }
        let drawn: Vec<String> = observer
            .fields()
            .iter()
            .map(|(name, seen)| {
                let Field { kind, many, localised, required, .. } = &seen.field;
                format!(
                    "{name} {}{}{}{} {}/2 {}",
                    kind.word(),
                    if *many { " many" } else { "" },
                    if *localised { " localised" } else { "" },
                    if *required { " required" } else { "" },
                    seen.present,
                    seen.longest
                )
            })
            .collect();
        assert_eq!(
            drawn,
            [
                "name text localised required 2/2 7",
                "n number required 2/2 0",
                "body html required 2/2 8",
                "when date 1/2 10",
                "by reference 1/2 0",
                "mixed anything required 2/2 1",
                "tags text many 1/2 2",
                "at instant 1/2 20",
            ]
        );
    }
}
