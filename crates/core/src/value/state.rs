//! The states of an entry.

/// Where an entry stands in its life at the source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum State {
    /// Being written.
    Draft,
    /// Will be live at a set time.
    Scheduled,
    /// On view.
    Live,
    /// Taken off view.
    Withdrawn,
    /// No longer there.
    Gone,
}

impl State {
    /// Every state with its word.
    pub const WORDS: [(&str, State); 5] = [
        ("draft", State::Draft),
        ("scheduled", State::Scheduled),
        ("live", State::Live),
        ("withdrawn", State::Withdrawn),
        ("gone", State::Gone),
    ];

    /// The state's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, state)| *state == self).map_or("", |(word, _)| word)
    }

    /// The state of that word.
    #[must_use]
    pub fn from_word(word: &str) -> Option<State> {
        Self::WORDS.iter().find(|(name, _)| *name == word).map(|(_, state)| *state)
    }
}

impl std::fmt::Display for State {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(self.word())
    }
}
