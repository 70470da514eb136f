//! Values as JSON: the plain form that systems and people read, and the stored form that loses nothing.

use std::collections::BTreeMap;

use serde::ser::{Serialize, SerializeMap, Serializer};
use serde_json::{Number, Value as Json};

use super::{LanguageTag, Localised, Record, Value};

/// Why stored content could not be read back.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("stored content cannot be read: {0}")]
pub struct DecodeError(pub String);

const LOCALISED: &str = "@languages";
const REFERENCE: &str = "@entry";

/// Reads plain JSON; objects become records.
#[must_use]
pub fn from_json(json: &Json) -> Value {
    match json {
        Json::Null => Value::Null,
        Json::Bool(truth) => Value::Boolean(*truth),
        Json::Number(number) => match number.as_i64() {
            Some(whole) => Value::Integer(whole),
            None => Value::Number(number.as_f64().unwrap_or(f64::NAN)),
        },
        Json::String(text) => Value::Text(text.clone()),
        Json::Array(items) => Value::List(items.iter().map(from_json).collect()),
        Json::Object(fields) => {
            Value::Record(fields.iter().map(|(name, field)| (name.clone(), from_json(field))).collect())
        }
    }
}

/// Writes plain JSON: a localised value as an object by language tag, a reference as its address.
#[must_use]
pub fn to_json(value: &Value) -> Json {
    match value {
        Value::Null => Json::Null,
        Value::Boolean(truth) => Json::Bool(*truth),
        Value::Integer(whole) => Json::Number((*whole).into()),
        Value::Number(number) => Number::from_f64(*number).map_or(Json::Null, Json::Number),
        Value::Text(text) => Json::String(text.clone()),
        Value::List(items) => Json::Array(items.iter().map(to_json).collect()),
        Value::Record(fields) => {
            Json::Object(fields.iter().map(|(name, field)| (name.clone(), to_json(field))).collect())
        }
        Value::Localised(by_language) => {
            Json::Object(by_language.iter().map(|(tag, inner)| (tag.to_string(), to_json(inner))).collect())
        }
        Value::Reference(address) => Json::String(address.to_string()),
    }
}

/// A value that serialises as plain JSON, without a tree of it in between; see [`to_json`].
#[derive(Debug, Clone, Copy)]
pub struct Plain<'a>(pub &'a Value);

impl Serialize for Plain<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        match self.0 {
            Value::List(items) => to.collect_seq(items.iter().map(Plain)),
            Value::Record(fields) => to.collect_map(fields.iter().map(|(name, field)| (name, Plain(field)))),
            Value::Localised(by_language) => {
                to.collect_map(by_language.iter().map(|(tag, inner)| (tag.as_str(), Plain(inner))))
            }
            Value::Reference(address) => to.collect_str(address),
            scalar => serialize_scalar(scalar, to),
        }
    }
}

/// What is written the same in every form.
fn serialize_scalar<S: Serializer>(value: &Value, to: S) -> Result<S::Ok, S::Error> {
    match value {
        Value::Boolean(truth) => to.serialize_bool(*truth),
        Value::Integer(whole) => to.serialize_i64(*whole),
        Value::Number(number) => to.serialize_f64(*number),
        Value::Text(text) => to.serialize_str(text),
        _ => to.serialize_unit(),
    }
}

/// Writes fields in the stored form, on one line: what plain JSON has no word for is an object with
/// one key that begins with `@`, and a record's own keys that begin so have it doubled.
#[must_use]
pub fn stored_text(fields: &Record) -> String {
    // Writing to memory, of keys that are texts, does not fail.
    serde_json::to_string(&StoredRecord(fields)).unwrap_or_default()
}

struct StoredRecord<'a>(&'a Record);
struct Stored<'a>(&'a Value);

impl Serialize for StoredRecord<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut map = to.serialize_map(Some(self.0.len()))?;
        for (name, field) in self.0 {
            match name.strip_prefix('@') {
                Some(_) => map.serialize_entry(&format!("@{name}"), &Stored(field))?,
                None => map.serialize_entry(name, &Stored(field))?,
            }
        }
        map.end()
    }
}

impl Serialize for Stored<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        match self.0 {
            Value::List(items) => to.collect_seq(items.iter().map(Stored)),
            Value::Record(fields) => StoredRecord(fields).serialize(to),
            Value::Localised(by_language) => {
                let inner: BTreeMap<&str, Stored<'_>> =
                    by_language.iter().map(|(tag, inner)| (tag.as_str(), Stored(inner))).collect();
                to.collect_map([(LOCALISED, inner)])
            }
            Value::Reference(address) => to.collect_map([(REFERENCE, address.to_string())]),
            scalar => serialize_scalar(scalar, to),
        }
    }
}

/// Reads the stored form.
///
/// # Errors
/// Where a language tag or an address in it cannot be read.
pub fn from_stored(json: Json) -> Result<Value, DecodeError> {
    Ok(match json {
        Json::Array(items) => Value::List(items.into_iter().map(from_stored).collect::<Result<_, _>>()?),
        Json::Object(mut fields) => {
            if let Some(inner) = fields.remove(LOCALISED) {
                return localised(inner);
            }
            if let Some(inner) = fields.remove(REFERENCE) {
                let text = inner.as_str().unwrap_or_default();
                let address = text.parse().map_err(|error| DecodeError(format!("`{text}`: {error}")))?;
                return Ok(Value::Reference(address));
            }
            let unescaped = |name: String| match name.strip_prefix("@@") {
                Some(rest) => format!("@{rest}"),
                None => name,
            };
            let fields = fields.into_iter().map(|(name, field)| Ok((unescaped(name), from_stored(field)?)));
            Value::Record(fields.collect::<Result<Record, DecodeError>>()?)
        }
        Json::String(text) => Value::Text(text),
        scalar => from_json(&scalar),
    })
}

fn localised(json: Json) -> Result<Value, DecodeError> {
    let Json::Object(by_language) = json else {
        return Err(DecodeError("a localised value is not an object".to_owned()));
    };
    let mut result = Localised::new();
    for (tag, inner) in by_language {
        let tag: LanguageTag = tag.parse().map_err(|error| DecodeError(format!("{error}")))?;
        result.insert(tag, from_stored(inner)?);
    }
    Ok(Value::Localised(result))
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    pub(crate) fn any_value() -> impl Strategy<Value = Value> {
        let leaf = prop_oneof![
            Just(Value::Null),
            any::<bool>().prop_map(Value::Boolean),
            any::<i64>().prop_map(Value::Integer),
            (-1e9..1e9f64).prop_map(|n| Value::Number(n + 0.5)),
            ".{0,12}".prop_map(Value::Text),
            Just(Value::Reference("catalogue/curator/c-1".parse().unwrap())),
        ];
        leaf.prop_recursive(3, 24, 4, |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..4).prop_map(Value::List),
                prop::collection::vec(("@{0,3}[a-z]{0,8}", inner.clone()), 0..4)
                    .prop_map(|fields| Value::Record(fields.into_iter().collect())),
                prop::collection::btree_map(
                    prop_oneof![Just("en"), Just("fr"), Just("cy")].prop_map(|t| t.parse().unwrap()),
                    inner,
                    0..3
                )
                .prop_map(Value::Localised),
            ]
        })
    }

    proptest! {
        #[test]
        fn both_ways_of_writing_plain_json_agree(value in any_value()) {
            prop_assert_eq!(serde_json::to_value(Plain(&value)).unwrap(), to_json(&value));
        }

        #[test]
        fn stored_form_loses_nothing(value in any_value()) {
            let record = Record::from_iter([("@it".to_owned(), value)]);
            let text = stored_text(&record);
            prop_assert!(!text.contains('\n'));
            let back = from_stored(serde_json::from_str(&text).unwrap()).unwrap();
            prop_assert_eq!(back, Value::Record(record));
        }
    }

    #[test]
    fn a_source_cannot_forge_our_marks() {
        let hostile = from_json(&json!({ "@entry": "a/b/c", "@languages": 3 }));
        let Value::Record(fields) = &hostile else { panic!() };
        assert_eq!(from_stored(serde_json::from_str(&stored_text(fields)).unwrap()).unwrap(), hostile);
    }
}
