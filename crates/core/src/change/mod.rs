//! Noticing change: fingerprints, and what differs.

mod difference;
mod fingerprint;
mod words;

pub use difference::{Difference, differences};
pub use fingerprint::{
    Fingerprint, FingerprintError, fingerprint, fingerprint_bytes, fingerprint_record, fingerprint_texts,
    fingerprint_without,
};
pub use words::{Stretch, word_difference};
