//! The hash by which a change is noticed.

use std::fmt;

use crate::value::{Record, Value};

/// 128 bits of BLAKE3 over the meaning of a value, not over its JSON text: key order and number
/// format cannot alter it.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Fingerprint([u8; 16]);

/// Bytes that are not a fingerprint.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a fingerprint has 16 bytes, not {0}")]
pub struct FingerprintError(pub usize);

/// Goes into every fingerprint; raised when the scheme changes.
const SCHEME: u8 = 1;

impl Fingerprint {
    /// How many bytes one has.
    pub const LENGTH: usize = 16;

    /// The bytes, to be stored.
    #[must_use]
    pub fn as_bytes(&self) -> &[u8] {
        &self.0
    }

    /// Reads stored bytes back.
    ///
    /// # Errors
    /// Where there are not sixteen.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, FingerprintError> {
        bytes.try_into().map(Fingerprint).map_err(|_| FingerprintError(bytes.len()))
    }
}

impl fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Fingerprint({self})")
    }
}

/// The fingerprint of a value.
#[must_use]
pub fn fingerprint(value: &Value) -> Fingerprint {
    let mut hash = blake3::Hasher::new();
    hash.update(&[SCHEME]);
    feed(&mut hash, value);
    close(&hash)
}

/// The fingerprint of a record; the same as that of the value which it is.
#[must_use]
pub fn fingerprint_record(fields: &Record) -> Fingerprint {
    let mut hash = blake3::Hasher::new();
    hash.update(&[SCHEME]);
    feed_record(&mut hash, fields.iter().collect());
    close(&hash)
}

/// The fingerprint of a record without some of its fields, whose changes do not count.
#[must_use]
pub fn fingerprint_without(value: &Value, ignored: &[String]) -> Fingerprint {
    match value {
        Value::Record(fields) if ignored.iter().any(|name| fields.contains_key(name)) => {
            let counted = |(name, _): &(&String, &Value)| !ignored.contains(name);
            let mut hash = blake3::Hasher::new();
            hash.update(&[SCHEME]);
            feed_record(&mut hash, fields.iter().filter(counted).collect());
            close(&hash)
        }
        other => fingerprint(other),
    }
}

/// The fingerprint of several texts in order, for definitions such as a lane's.
#[must_use]
pub fn fingerprint_texts<'a>(texts: impl IntoIterator<Item = &'a str>) -> Fingerprint {
    let mut hash = blake3::Hasher::new();
    hash.update(&[SCHEME]);
    for text in texts {
        feed_text(&mut hash, text);
    }
    close(&hash)
}

/// The fingerprint of raw bytes together with a text that says how they are read.
#[must_use]
pub fn fingerprint_bytes(reader: &str, bytes: &[u8]) -> Fingerprint {
    let mut fingerprint = BytesFingerprint::new(reader);
    fingerprint.take(bytes);
    fingerprint.end()
}

/// The same of bytes that come piece by piece.
#[derive(Debug, Clone)]
pub struct BytesFingerprint(blake3::Hasher);

impl BytesFingerprint {
    /// Begins with the text that says how they are read.
    #[must_use]
    pub fn new(reader: &str) -> BytesFingerprint {
        let mut hash = blake3::Hasher::new();
        hash.update(&[SCHEME]);
        feed_text(&mut hash, reader);
        BytesFingerprint(hash)
    }

    /// Takes the next bytes.
    pub fn take(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    /// The fingerprint of all that was taken.
    #[must_use]
    pub fn end(&self) -> Fingerprint {
        close(&self.0)
    }
}

/// The fingerprint of all that a reader gives, without holding it.
///
/// # Errors
/// Where reading fails.
pub fn fingerprint_stream(from: &mut dyn std::io::Read) -> std::io::Result<Fingerprint> {
    let mut hash = blake3::Hasher::new();
    hash.update(&[SCHEME]);
    hash.update_reader(from)?;
    Ok(close(&hash))
}

fn close(hash: &blake3::Hasher) -> Fingerprint {
    let mut bytes = [0; 16];
    hash.finalize_xof().fill(&mut bytes);
    Fingerprint(bytes)
}

fn feed_text(hash: &mut blake3::Hasher, text: &str) {
    hash.update(&(text.len() as u64).to_le_bytes());
    hash.update(text.as_bytes());
}

fn feed_record(hash: &mut blake3::Hasher, mut fields: Vec<(&String, &Value)>) {
    hash.update(&[6]).update(&(fields.len() as u64).to_le_bytes());
    fields.sort_unstable_by_key(|(name, _)| *name);
    for (name, field) in fields {
        feed_text(hash, name);
        feed(hash, field);
    }
}

/// Writes the variant's number, lengths and sorted keys, so that no two values write the same.
fn feed(hash: &mut blake3::Hasher, value: &Value) {
    match value {
        Value::Null => {
            hash.update(&[0]);
        }
        Value::Boolean(truth) => {
            hash.update(&[1, u8::from(*truth)]);
        }
        Value::Integer(whole) => {
            hash.update(&[2]).update(&whole.to_le_bytes());
        }
        Value::Number(number) => {
            // Zero has two bit patterns and not-a-number has many; each is one value.
            let number = if *number == 0.0 { 0.0 } else { *number };
            let bits = if number.is_nan() { f64::NAN.to_bits() } else { number.to_bits() };
            hash.update(&[3]).update(&bits.to_le_bytes());
        }
        Value::Text(text) => {
            hash.update(&[4]);
            feed_text(hash, text);
        }
        Value::List(items) => {
            hash.update(&[5]).update(&(items.len() as u64).to_le_bytes());
            items.iter().for_each(|item| feed(hash, item));
        }
        Value::Record(fields) => feed_record(hash, fields.iter().collect()),
        Value::Localised(by_language) => {
            hash.update(&[7]).update(&(by_language.len() as u64).to_le_bytes());
            for (tag, inner) in by_language {
                feed_text(hash, tag.as_str());
                feed(hash, inner);
            }
        }
        Value::Reference(address) => {
            hash.update(&[8]);
            feed_text(hash, &address.to_string());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::{from_json, tests::any_value};
    use proptest::prelude::*;
    use serde_json::json;

    #[test]
    fn the_scheme_is_pinned() {
        // Stored fingerprints are compared with new ones for years: a change here must raise SCHEME.
        let value = from_json(&json!({ "name": "Fern", "n": 3, "tags": ["a", null], "ok": true, "x": 1.5 }));
        assert_eq!(fingerprint(&value).to_string(), "044ff18eedd739dfd56101e9df3bc5d1");
    }

    #[test]
    fn key_order_does_not_count_but_list_order_does() {
        let of = |json| fingerprint(&from_json(&json));
        assert_eq!(of(json!({ "a": 1, "b": 2 })), of(json!({ "b": 2, "a": 1 })));
        assert_ne!(of(json!(["a", "b"])), of(json!(["b", "a"])));
        assert_ne!(of(json!(["a", ["b"]])), of(json!([["a"], "b"])));
        assert_ne!(of(json!("1")), of(json!(1)));
    }

    #[test]
    fn what_is_ignored_does_not_count() {
        let of = |json| fingerprint_without(&from_json(&json), &["views".to_owned()]);
        assert_eq!(of(json!({ "a": 1, "views": 1 })), of(json!({ "a": 1, "views": 2 })));
        assert_eq!(of(json!({ "a": 1, "views": 1 })), of(json!({ "a": 1 })));
        assert_ne!(of(json!({ "a": 1, "views": 1 })), of(json!({ "a": 2, "views": 1 })));
    }

    proptest! {
        #[test]
        fn a_record_has_the_fingerprint_of_the_value_that_it_is(value in any_value()) {
            if let Value::Record(fields) = &value {
                prop_assert_eq!(fingerprint_record(fields), fingerprint(&value));
            }
            let around = Record::from_iter([("a".to_owned(), value)]);
            prop_assert_eq!(fingerprint_record(&around), fingerprint(&Value::Record(around.clone())));
        }

        #[test]
        fn equal_values_and_only_they_have_equal_fingerprints(a in any_value(), b in any_value()) {
            prop_assert_eq!(fingerprint(&a) == fingerprint(&b), a == b);
            prop_assert_eq!(fingerprint(&a), fingerprint(&a.clone()));
        }
    }
}
