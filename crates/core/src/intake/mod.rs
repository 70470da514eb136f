//! What comes in from a source: entries as it gives them, and the pages they come on.

mod join;
mod since;
mod whole;

pub use join::{Parts, join};
pub use since::{from_when, later};
pub use whole::{ListingCount, PageCounts, Shown};

use crate::change::Fingerprint;
use crate::value::{EntryId, LanguageTag, Record, Revision, State};
use jiff::Timestamp;

/// An entry as a source gives it.
#[derive(Debug, Clone, PartialEq)]
pub struct Incoming {
    /// What the source calls it.
    pub id: EntryId,
    /// Its language, where a source lists each language of an entry by itself; the entry is put
    /// together from these.
    pub part: Option<LanguageTag>,
    /// Its state.
    pub state: State,
    /// The source's mark of its version.
    pub revision: Option<Revision>,
    /// Its fields.
    pub fields: Record,
    /// The fingerprint of the fields.
    pub fingerprint: Fingerprint,
    /// The item as the source gave it, where it can be told apart from the rest of its document.
    pub raw: Option<String>,
    /// What could not be read as it was meant, and what became of it, a sentence each.
    pub notes: Vec<String>,
}

/// What a listing's end means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Listing {
    /// Everything there is: what it lacks is gone.
    Complete,
    /// The newest only: what it lacks may still be there.
    Window,
}

/// By what a page of a listing is known again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CacheValidators {
    /// The `ETag` it came with.
    pub etag: Option<String>,
    /// The `Last-Modified` it came with.
    pub last_modified: Option<String>,
    /// The hash of its bytes.
    pub content: Fingerprint,
    /// Where the listing went on.
    pub next: Option<String>,
    /// What it said of the listing.
    pub counts: PageCounts,
}

/// What a document that is read apart, such as a feed, said of how it wants to be asked.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct DocumentStanding {
    /// Where it moved for good (301, 308).
    pub moved: Option<String>,
    /// Before when it does not want to be asked (`Retry-After`, RFC 9110 §10.2.3).
    pub not_before: Option<Timestamp>,
    /// Since when it is known to be gone for good (410).
    pub ended: Option<Timestamp>,
}

/// How many of those that are known may be taken for gone, or off a destination, at once without being
/// asked: a tenth, or a third of few, but no more than twenty; one always may.
#[must_use]
pub fn removal_limit(known: u64) -> u64 {
    (known / 10).max((known / 3).clamp(1, 20))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_limit_lets_a_source_change_and_stops_an_exodus() {
        assert_eq!([0, 1, 3, 8, 20, 46, 199, 1_000].map(removal_limit), [1, 1, 1, 2, 6, 15, 20, 100]);
    }
}
