//! An entry as one line of JSON: only what a lane reads of it becomes values, the rest is passed
//! over.

use std::fmt;

use serde::de::{DeserializeSeed, Deserializer, IgnoredAny, MapAccess, SeqAccess, Visitor};

use super::Lane;
use crate::expr::Slots;
use crate::model::{EntryType, Field, FieldKind};
use crate::value::{Address, EntryId, LanguageTag, Localised, Record, State, SystemName, Value};

/// How lines become entries of a lane's source.
#[derive(Debug)]
pub struct LineReader<'a> {
    lane: &'a Lane,
    /// For each slot what the source type says of its field.
    fields: Vec<Option<Field>>,
}

/// An entry read from a line.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    /// Its address: the member `id`, or the line's number.
    pub address: Address,
    /// The member `state`, where that is one of our words; else live.
    pub state: State,
    /// What the lane reads, each in its slot.
    pub values: Vec<Value>,
}

impl<'a> LineReader<'a> {
    /// A reader for a lane, whose source type may be known.
    #[must_use]
    pub fn new(lane: &'a Lane, source: Option<&EntryType>) -> Self {
        let field = |name: &str| source.and_then(|source| source.fields.get(name).cloned());
        LineReader { lane, fields: lane.slots.names().map(field).collect() }
    }

    /// Reads the line of that number.
    ///
    /// # Errors
    /// Says what is wrong, and at which column.
    pub fn read(&self, text: &[u8], number: u64) -> Result<Line, String> {
        // Asked once of the line, and not of every text in it.
        let text = std::str::from_utf8(text)
            .map_err(|error| format!("it is not UTF-8 at byte {}", error.valid_up_to() + 1))?;
        let mut deserializer = serde_json::Deserializer::from_str(text);
        let read =
            Entry { slots: &self.lane.slots, known: &self.lane.library.languages }.deserialize(&mut deserializer);
        let found = read.and_then(|found| deserializer.end().map(|()| found));
        let ReadLine { id, state, mut values } = found.map_err(|error| error.to_string())?;
        for (value, field) in values.iter_mut().zip(&self.fields) {
            self.settle(value, field.as_ref());
        }
        let id = id.unwrap_or_else(|| number.to_string());
        let id = EntryId::new(id).map_err(|error| format!("its `id` cannot be one: {error}"))?;
        let from = &self.lane.from;
        let address = Address { system: from.system.clone(), kind: from.kind.clone(), id };
        let state = state.as_deref().and_then(State::from_word).unwrap_or(State::Live);
        Ok(Line { address, state, values })
    }

    /// What plain JSON has no word for: languages that are none of the hub's, and references; and
    /// back again where a field is declared to have no languages.
    fn settle(&self, value: &mut Value, field: Option<&Field>) {
        match (&mut *value, field) {
            (Value::Record(members), Some(field)) if field.localised => {
                if let Some(by_language) = by_language(members) {
                    *value = Value::Localised(by_language);
                }
            }
            (Value::Localised(by_language), Some(field)) if !field.localised && field.kind != FieldKind::Anything => {
                let members = std::mem::take(by_language);
                *value = Value::Record(members.into_iter().map(|(tag, inner)| (tag.to_string(), inner)).collect());
            }
            _ => {}
        }
        if let Some(Field { kind: FieldKind::Reference(to), .. }) = field {
            refer(value, &self.lane.from.system, to);
        }
    }
}

fn by_language(members: &mut Record) -> Option<Localised> {
    let tags: Option<Vec<LanguageTag>> = members.keys().map(|code| code.parse().ok()).collect();
    let tags = tags?;
    let values = std::mem::take(members).into_values();
    Some(tags.into_iter().zip(values).filter(|(_, value)| !value.is_null()).collect())
}

/// A text where a reference belongs is an address, or the id of an entry of the same system.
fn refer(value: &mut Value, system: &SystemName, to: &crate::value::TypeName) {
    match value {
        Value::Text(text) => {
            let whole: Option<Address> = text.parse().ok();
            let own =
                || EntryId::new(text.clone()).ok().map(|id| Address { system: system.clone(), kind: to.clone(), id });
            if let Some(address) = whole.or_else(own) {
                *value = Value::Reference(address);
            }
        }
        Value::List(items) => items.iter_mut().for_each(|item| refer(item, system, to)),
        _ => {}
    }
}

struct ReadLine {
    id: Option<String>,
    state: Option<String>,
    values: Vec<Value>,
}

struct Entry<'a> {
    slots: &'a Slots,
    known: &'a [LanguageTag],
}

impl<'de> DeserializeSeed<'de> for Entry<'_> {
    type Value = ReadLine;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<ReadLine, D::Error> {
        from.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for Entry<'_> {
    type Value = ReadLine;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an entry, which is a JSON object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<ReadLine, A::Error> {
        let mut found = ReadLine { id: None, state: None, values: vec![Value::Null; self.slots.len()] };
        while let Some(key) = map.next_key_seed(Key { slots: self.slots })? {
            match key {
                Place::Slot(place) => found.values[place] = map.next_value_seed(Whole { known: self.known })?,
                Place::Id(slot) => {
                    let value = map.next_value_seed(Plain)?;
                    found.id = value.scalar_text().map(std::borrow::Cow::into_owned);
                    if let Some(place) = slot {
                        found.values[place] = value;
                    }
                }
                Place::State(slot) => {
                    let value = map.next_value_seed(Plain)?;
                    found.state = value.as_text().map(str::to_owned);
                    if let Some(place) = slot {
                        found.values[place] = value;
                    }
                }
                Place::Nowhere => drop(map.next_value::<IgnoredAny>()?),
            }
        }
        Ok(found)
    }
}

/// Where a member goes.
enum Place {
    Slot(usize),
    Id(Option<usize>),
    State(Option<usize>),
    Nowhere,
}

struct Key<'a> {
    slots: &'a Slots,
}

impl<'de> DeserializeSeed<'de> for Key<'_> {
    type Value = Place;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<Place, D::Error> {
        from.deserialize_identifier(self)
    }
}

impl Visitor<'_> for Key<'_> {
    type Value = Place;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a member's name")
    }

    fn visit_str<E>(self, name: &str) -> Result<Place, E> {
        let slot = self.slots.find(name);
        Ok(match (name, slot) {
            ("id", slot) => Place::Id(slot),
            ("state", slot) => Place::State(slot),
            (_, Some(place)) => Place::Slot(place),
            (_, None) => Place::Nowhere,
        })
    }
}

/// The value of a field: an object under languages of the hub is localised without a detour.
struct Whole<'a> {
    known: &'a [LanguageTag],
}

impl<'de> DeserializeSeed<'de> for Whole<'_> {
    type Value = Value;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<Value, D::Error> {
        from.deserialize_any(self)
    }
}

impl<'de> Visitor<'de> for Whole<'_> {
    type Value = Value;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        Plain.expecting(f)
    }

    fn visit_unit<E: serde::de::Error>(self) -> Result<Value, E> {
        Plain.visit_unit()
    }

    fn visit_bool<E: serde::de::Error>(self, truth: bool) -> Result<Value, E> {
        Plain.visit_bool(truth)
    }

    fn visit_i64<E: serde::de::Error>(self, whole: i64) -> Result<Value, E> {
        Plain.visit_i64(whole)
    }

    fn visit_u64<E: serde::de::Error>(self, whole: u64) -> Result<Value, E> {
        Plain.visit_u64(whole)
    }

    fn visit_f64<E: serde::de::Error>(self, number: f64) -> Result<Value, E> {
        Plain.visit_f64(number)
    }

    fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<Value, E> {
        Plain.visit_str(text)
    }

    fn visit_seq<A: SeqAccess<'de>>(self, items: A) -> Result<Value, A::Error> {
        Plain.visit_seq(items)
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Value, A::Error> {
        let mut by_language = Localised::new();
        let mut nulls = Vec::new();
        while let Some(key) = map.next_key_seed(Code { known: self.known })? {
            match key {
                Ok(tag) => match map.next_value_seed(Plain)? {
                    Value::Null => nulls.push(tag),
                    value => drop(by_language.insert(tag, value)),
                },
                // Any other member makes it a record after all.
                Err(name) => {
                    let nulls = nulls.into_iter().map(|tag| (tag.to_string(), Value::Null));
                    let before = by_language.into_iter().map(|(tag, value)| (tag.to_string(), value));
                    let mut record: Record = before.chain(nulls).collect();
                    record.insert(name, map.next_value_seed(Plain)?);
                    while let Some(name) = map.next_key::<String>()? {
                        record.insert(name, map.next_value_seed(Plain)?);
                    }
                    return Ok(Value::Record(record));
                }
            }
        }
        if by_language.is_empty() && nulls.is_empty() {
            return Ok(Value::Record(Record::default()));
        }
        Ok(Value::Localised(by_language))
    }
}

/// A member's name: a language of the hub, or any other.
struct Code<'a> {
    known: &'a [LanguageTag],
}

impl<'de> DeserializeSeed<'de> for Code<'_> {
    type Value = Result<LanguageTag, String>;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<Self::Value, D::Error> {
        from.deserialize_identifier(self)
    }
}

impl Visitor<'_> for Code<'_> {
    type Value = Result<LanguageTag, String>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a member's name")
    }

    fn visit_str<E>(self, name: &str) -> Result<Self::Value, E> {
        let known = self.known.iter().find(|tag| tag.as_str() == name);
        Ok(known.cloned().ok_or_else(|| name.to_owned()))
    }
}

/// Any JSON value, straight as a value of ours.
struct Plain;

impl<'de> DeserializeSeed<'de> for Plain {
    type Value = Value;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<Value, D::Error> {
        from.deserialize_any(self)
    }
}

impl<'de> Visitor<'de> for Plain {
    type Value = Value;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a JSON value")
    }

    fn visit_unit<E>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }

    fn visit_bool<E>(self, truth: bool) -> Result<Value, E> {
        Ok(Value::Boolean(truth))
    }

    fn visit_i64<E>(self, whole: i64) -> Result<Value, E> {
        Ok(Value::Integer(whole))
    }

    #[expect(clippy::cast_precision_loss, reason = "beyond 64 bits a JSON number is a fraction (RFC 8259 §6)")]
    fn visit_u64<E>(self, whole: u64) -> Result<Value, E> {
        Ok(i64::try_from(whole).map_or(Value::Number(whole as f64), Value::Integer))
    }

    fn visit_f64<E>(self, number: f64) -> Result<Value, E> {
        Ok(Value::Number(number))
    }

    fn visit_str<E>(self, text: &str) -> Result<Value, E> {
        Ok(Value::Text(text.to_owned()))
    }

    fn visit_string<E>(self, text: String) -> Result<Value, E> {
        Ok(Value::Text(text))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut items: A) -> Result<Value, A::Error> {
        let mut list = Vec::new();
        while let Some(item) = items.next_element_seed(Plain)? {
            list.push(item);
        }
        Ok(Value::List(list))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Value, A::Error> {
        let mut record = Record::default();
        while let Some(name) = map.next_key::<String>()? {
            record.insert(name, map.next_value_seed(Plain)?);
        }
        Ok(Value::Record(record))
    }
}

#[cfg(test)]
mod tests;
