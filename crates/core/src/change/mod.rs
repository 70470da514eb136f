//! Noticing change: fingerprints.

mod fingerprint;

pub use fingerprint::{Fingerprint, FingerprintError, fingerprint, fingerprint_texts};
