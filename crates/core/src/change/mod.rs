//! Noticing change: fingerprints.

mod fingerprint;

pub use fingerprint::{Fingerprint, FingerprintError, fingerprint, fingerprint_bytes, fingerprint_texts};
