//! Noticing change: fingerprints, and what differs.

mod difference;
mod fingerprint;

pub use difference::{Difference, differences};
pub use fingerprint::{
    Fingerprint, FingerprintError, fingerprint, fingerprint_bytes, fingerprint_texts, fingerprint_without,
};
