//! What becomes of what an entry was, once it no longer goes.

/// What happens at the destination when an entry no longer goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum GonePolicy {
    /// It is taken off view.
    #[default]
    Withdraw,
    /// It is deleted.
    Delete,
    /// It stays as it is.
    Keep,
}

impl GonePolicy {
    /// Every policy with its word.
    pub const WORDS: [(&str, GonePolicy); 3] =
        [("withdraw", GonePolicy::Withdraw), ("delete", GonePolicy::Delete), ("keep", GonePolicy::Keep)];

    /// The policy's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, policy)| *policy == self).map_or("", |(word, _)| word)
    }
}
