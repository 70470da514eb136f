//! Noticing change: fingerprints, what differs, and what two sides' changes come to.

mod alike;
mod difference;
mod fingerprint;
mod merge;
mod policy;
mod words;

pub use alike::alike;
pub use difference::{Difference, differences};
pub use fingerprint::{
    Fingerprint, FingerprintError, fingerprint, fingerprint_bytes, fingerprint_record, fingerprint_stream,
    fingerprint_texts, fingerprint_without,
};
pub use merge::{Base, Divergence, Divergences, Merge, found_base, merge, merge_found};
pub use policy::{MergePolicies, MergePolicy};
pub use words::{Stretch, word_difference};
