//! What a listing has shown, and what came of it.

use roaring::RoaringTreemap;

use super::StoreError;

/// The entries that a listing has shown so far; small even for millions.
#[derive(Debug, Clone, Default)]
pub struct Seen(pub(super) RoaringTreemap);

impl Seen {
    /// How many there are.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.0.len()
    }
}

impl Seen {
    /// Adds what another listing has shown.
    pub fn add(&mut self, other: &Seen) {
        self.0 |= &other.0;
    }

    pub(super) fn bytes(&self) -> Result<Vec<u8>, StoreError> {
        let mut bytes = Vec::new();
        self.0.serialize_into(&mut bytes).map_err(StoreError::content)?;
        Ok(bytes)
    }

    pub(super) fn from_bytes(bytes: &[u8]) -> Result<Seen, StoreError> {
        RoaringTreemap::deserialize_from(bytes).map(Seen).map_err(StoreError::content)
    }
}

/// What became of the entries of a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct PageTally {
    /// Entries on it that this listing had not shown before.
    pub pulled: u64,
    /// Seen for the first time.
    pub new: u64,
    /// With other content or another state than before.
    pub changed: u64,
    /// As they were.
    pub unchanged: u64,
}

impl std::ops::AddAssign for PageTally {
    fn add_assign(&mut self, other: PageTally) {
        self.pulled += other.pulled;
        self.new += other.new;
        self.changed += other.changed;
        self.unchanged += other.unchanged;
    }
}
