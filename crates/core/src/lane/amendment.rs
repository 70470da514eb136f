//! What people decide of an entry's fields, before they are mapped: a value in the place of the source's, an item more, an
//! item less.

use std::borrow::Cow;
use std::collections::HashMap;

use crate::change::fingerprint;
use crate::value::{Address, LaneName, LanguageTag, Record, Value};

/// What becomes of a field.
#[derive(Debug, Clone, PartialEq)]
pub enum Amend {
    /// It has this value.
    Set(Value),
    /// Its list has this item too, at the end.
    Add(Value),
    /// Its list does not have this item.
    Drop(Value),
}

/// What a person decided of one field of one entry.
#[derive(Debug, Clone, PartialEq)]
pub struct Amendment {
    /// The field of the source's entry.
    pub field: String,
    /// The language, of a localised field that is amended in one alone.
    pub language: Option<LanguageTag>,
    /// What becomes of it.
    pub amend: Amend,
    /// The lanes for which it counts; all where none are named.
    pub lanes: Vec<LaneName>,
    /// The fingerprint of what the source gave, where the amendment counts only until the source changes it.
    pub of: Option<String>,
    /// Why, in the words of whoever decided it.
    pub why: Option<String>,
}

/// Whether an amendment counts for an entry as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Counts {
    /// It does, and changes the field.
    Yes,
    /// The field is so already.
    Already,
    /// The source changed the field since.
    Over,
    /// The field is none that it could be done to: no list, or no language of its own.
    Cannot,
}

impl Amendment {
    /// Whether it is about a lane.
    #[must_use]
    pub fn is_for(&self, lane: &LaneName) -> bool {
        self.lanes.is_empty() || self.lanes.contains(lane)
    }

    /// What the field is by it, of the value that the source gives, and whether it counts.
    #[must_use]
    pub fn amended(&self, source: &Value) -> (Counts, Option<Value>) {
        if self.of.as_ref().is_some_and(|of| *of != fingerprint(source).to_string()) {
            return (Counts::Over, None);
        }
        let amended = match (&self.language, source) {
            (None, source) => self.plain(source),
            (Some(language), Value::Localised(by_language)) => {
                let known = by_language.get(language).unwrap_or(&Value::Null);
                self.plain(known).map(|value| {
                    let mut by_language = by_language.clone();
                    by_language.insert(language.clone(), value);
                    Value::Localised(by_language)
                })
            }
            (Some(language), Value::Null) => self
                .plain(&Value::Null)
                .map(|value| Value::Localised([(language.clone(), value)].into_iter().collect())),
            (Some(_), _) => None,
        };
        match amended {
            None => (Counts::Cannot, None),
            Some(value) if value == *source => (Counts::Already, None),
            Some(value) => (Counts::Yes, Some(value)),
        }
    }

    fn plain(&self, source: &Value) -> Option<Value> {
        let items = match (&self.amend, source) {
            (Amend::Set(value), _) => return Some(value.clone()),
            (_, Value::List(items)) => items.clone(),
            (_, Value::Null) => Vec::new(),
            _ => return None,
        };
        Some(Value::List(match &self.amend {
            Amend::Add(item) if !items.contains(item) => items.into_iter().chain([item.clone()]).collect(),
            Amend::Drop(item) => items.into_iter().filter(|known| known != item).collect(),
            _ => items,
        }))
    }
}

/// What people decided, by entry.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Amendments(HashMap<Address, Vec<Amendment>>);

impl Amendments {
    /// Adds one; several of a field count one after the other.
    pub fn add(&mut self, address: Address, amendment: Amendment) {
        self.0.entry(address).or_default().push(amendment);
    }

    /// Those of an entry.
    #[must_use]
    pub fn of(&self, address: &Address) -> &[Amendment] {
        self.0.get(address).map_or(&[], Vec::as_slice)
    }

    /// The fields of an entry as they go onto a lane, or, without one, as all lanes see them.
    #[must_use]
    pub fn apply<'r>(&self, address: &Address, lane: Option<&LaneName>, fields: &'r Record) -> Cow<'r, Record> {
        let mut amended = Cow::Borrowed(fields);
        let counts = |one: &&Amendment| lane.map_or(one.lanes.is_empty(), |lane| one.is_for(lane));
        for amendment in self.of(address).iter().filter(counts) {
            // Whether the source changed it is told by what the source gives, whatever others made of it.
            let of_source = fields.get(&amendment.field).unwrap_or(&Value::Null);
            if amendment.amended(of_source).0 == Counts::Over {
                continue;
            }
            let now = amended.get(&amendment.field).cloned().unwrap_or(Value::Null);
            let free = Amendment { of: None, ..amendment.clone() };
            if let (Counts::Yes, Some(value)) = free.amended(&now) {
                amended.to_mut().insert(amendment.field.clone(), value);
            }
        }
        amended
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn amendment(field: &str, amend: Amend) -> Amendment {
        Amendment { field: field.to_owned(), language: None, amend, lanes: Vec::new(), of: None, why: None }
    }

    fn texts(items: &[&str]) -> Value {
        Value::List(items.iter().map(|item| Value::from(*item)).collect())
    }

    #[test]
    fn items_come_and_go_and_values_are_replaced() {
        let topics = texts(&["fern", "wet woods"]);
        for (amend, expected) in [
            (Amend::Add("shade".into()), texts(&["fern", "wet woods", "shade"])),
            (Amend::Drop("wet woods".into()), texts(&["fern"])),
            (Amend::Set(texts(&["moss"])), texts(&["moss"])),
        ] {
            assert_eq!(amendment("topics", amend).amended(&topics), (Counts::Yes, Some(expected)));
        }
        assert_eq!(amendment("topics", Amend::Add("fern".into())).amended(&topics), (Counts::Already, None));
        assert_eq!(amendment("topics", Amend::Add("fern".into())).amended(&Value::Null).1, Some(texts(&["fern"])));
        assert_eq!(amendment("title", Amend::Drop("x".into())).amended(&"Fern".into()), (Counts::Cannot, None));
    }

    #[test]
    fn one_language_is_amended_and_the_others_stay() {
        let (en, fr): (LanguageTag, LanguageTag) = ("en".parse().unwrap(), "fr".parse().unwrap());
        let title =
            Value::Localised([(en.clone(), "Fern".into()), (fr.clone(), "Fougère".into())].into_iter().collect());
        let one = Amendment { language: Some(en.clone()), ..amendment("title", Amend::Set("Royal fern".into())) };
        let expected = Value::Localised([(en, "Royal fern".into()), (fr, "Fougère".into())].into_iter().collect());
        assert_eq!(one.amended(&title), (Counts::Yes, Some(expected)));
        assert_eq!(one.amended(&"Fern".into()), (Counts::Cannot, None));
    }

    #[test]
    fn what_the_source_changes_ends_an_amendment_that_counts_till_then() {
        let address: Address = "garden/plant/1".parse().unwrap();
        let was = Value::from("Fern");
        let till = Amendment {
            of: Some(fingerprint(&was).to_string()),
            ..amendment("title", Amend::Set("Royal fern".into()))
        };
        let mut amendments = Amendments::default();
        amendments.add(address.clone(), till);
        amendments.add(address.clone(), amendment("tags", Amend::Add("wet".into())));
        let fields = |title: &str| -> Record { [("title".to_owned(), Value::from(title))].into_iter().collect() };
        let before = fields("Fern");
        let amended = amendments.apply(&address, None, &before);
        assert_eq!((&amended["title"], &amended["tags"]), (&"Royal fern".into(), &texts(&["wet"])));
        let after = fields("Lady fern");
        assert_eq!(amendments.apply(&address, None, &after)["title"], "Lady fern".into());
        assert!(matches!(amendments.apply(&"garden/plant/2".parse().unwrap(), None, &before), Cow::Borrowed(_)));
    }
}
