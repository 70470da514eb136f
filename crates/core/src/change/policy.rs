//! Whose value counts where both sides changed a field.

use std::collections::BTreeMap;

/// What becomes of a field that somebody else changed at the destination.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum MergePolicy {
    /// Their change stays; where ours changed too, the entry is held.
    #[default]
    Hold,
    /// Ours is written over it.
    Ours,
    /// Theirs stays, whatever becomes of ours.
    Theirs,
}

impl MergePolicy {
    /// Every policy with its word.
    pub const WORDS: [(&str, MergePolicy); 3] =
        [("hold", MergePolicy::Hold), ("ours", MergePolicy::Ours), ("theirs", MergePolicy::Theirs)];

    /// The policy's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, policy)| *policy == self).map_or("", |(word, _)| word)
    }

    /// The policy of that word.
    #[must_use]
    pub fn from_word(word: &str) -> Option<MergePolicy> {
        Self::WORDS.iter().find(|(known, _)| *known == word).map(|(_, policy)| *policy)
    }
}

/// A lane's policies: one for all fields, and those of single fields.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct MergePolicies {
    /// For every field that has none of its own.
    pub otherwise: MergePolicy,
    /// For every field of a document that was there before us, and that has no policy of its own.
    pub on_adopt: MergePolicy,
    /// By field.
    pub fields: BTreeMap<String, MergePolicy>,
}

impl MergePolicies {
    /// The policy of a field.
    #[must_use]
    pub fn of(&self, field: &str) -> MergePolicy {
        self.fields.get(field).copied().unwrap_or(self.otherwise)
    }

    /// The policies for a document that was there before us.
    #[must_use]
    pub fn when_adopting(&self) -> MergePolicies {
        MergePolicies { otherwise: self.on_adopt, ..self.clone() }
    }
}
