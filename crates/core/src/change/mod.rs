//! Noticing change: fingerprints, what differs, and what two sides' changes come to.
//!
//! ```
//! use diaporos_core::change::{Base, Divergences, MergePolicies, merge};
//! use diaporos_core::value::{Record, Value};
//!
//! let page = |title: &str, teaser: &str| -> Record {
//!     [("title".to_owned(), Value::from(title)), ("teaser".to_owned(), Value::from(teaser))].into_iter().collect()
//! };
//! let (delivered, none) = (page("Fern", "Tall."), Divergences::new());
//! let base = Base { delivered: &delivered, divergences: &none };
//! // An editor changed the teaser there, and the source the title.
//! let merged = merge(base, &page("Royal fern", "Tall."), &page("Fern", "Very tall."), false, &MergePolicies::default());
//! assert_eq!(merged.fields["title"], Value::from("Royal fern"));
//! assert!(merged.conflicts.is_empty() && merged.drifted == ["teaser"]);
//! ```

mod alike;
mod difference;
mod fingerprint;
mod list_merge;
mod merge;
mod policy;
mod words;

pub use alike::alike;
pub use difference::{Difference, differences};
pub use fingerprint::{
    BytesFingerprint, Fingerprint, FingerprintError, fingerprint, fingerprint_bytes, fingerprint_record,
    fingerprint_stream, fingerprint_texts, fingerprint_without,
};
pub use merge::{Base, Divergence, Divergences, Merge, found_base, merge, merge_found};
pub use policy::{MergePolicies, MergePolicy};
pub use words::{Stretch, word_difference};
