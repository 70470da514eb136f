//! Where an entry stands on a lane.

/// Where an entry stands on a lane.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Standing {
    /// Something changed; the next push looks at it.
    Owed,
    /// The destination has what it should have.
    Delivered,
    /// Kept back, with a reason.
    Held,
    /// The last try failed; the next push tries again.
    Failed,
    /// It was delivered, and is taken off the destination.
    Withdrawn,
    /// It does not go on this lane.
    Outside,
}

impl Standing {
    /// Every standing with its word.
    pub const WORDS: [(&str, Standing); 6] = [
        ("owed", Standing::Owed),
        ("delivered", Standing::Delivered),
        ("held", Standing::Held),
        ("failed", Standing::Failed),
        ("withdrawn", Standing::Withdrawn),
        ("outside", Standing::Outside),
    ];

    /// The standing's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, standing)| *standing == self).map_or("", |(word, _)| word)
    }

    /// The sign that stands beside its colour.
    #[must_use]
    pub fn sign(self) -> &'static str {
        match self {
            Standing::Delivered => "✓",
            Standing::Owed => "●",
            Standing::Held => "‖",
            Standing::Failed => "✕",
            Standing::Withdrawn => "–",
            Standing::Outside => "·",
        }
    }

    /// The standing of that word.
    #[must_use]
    pub fn from_word(word: &str) -> Option<Standing> {
        Self::WORDS.iter().find(|(name, _)| *name == word).map(|(_, standing)| *standing)
    }
}
