//! What can be told.

/// What can be told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Topic {
    /// A document was written that was not there.
    Created,
    /// A document was changed.
    Updated,
    /// A document was taken off view.
    Withdrawn,
    /// A document was deleted.
    Deleted,
    /// An entry is held, or for another reason than before.
    Held,
    /// Somebody else changed a document there.
    EditedThere,
    /// Translations of a batch came back, a file at a time.
    BatchReturned,
    /// Some of what came back has defects.
    BatchRejected,
    /// A run changed something, and came to its end.
    RunChanged,
    /// An alert opened.
    AlertOpened,
    /// An alert is open still, after a day.
    AlertOpen,
    /// An alert is over.
    AlertClosed,
}

impl Topic {
    /// Everything that can be told, with its word.
    pub const WORDS: [(&str, Topic); 12] = [
        ("entry.created", Topic::Created),
        ("entry.updated", Topic::Updated),
        ("entry.withdrawn", Topic::Withdrawn),
        ("entry.deleted", Topic::Deleted),
        ("entry.held", Topic::Held),
        ("entry.edited-there", Topic::EditedThere),
        ("batch.returned", Topic::BatchReturned),
        ("batch.rejected", Topic::BatchRejected),
        ("run.changed", Topic::RunChanged),
        ("alert.opened", Topic::AlertOpened),
        ("alert.open", Topic::AlertOpen),
        ("alert.closed", Topic::AlertClosed),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, topic)| *topic == self).map_or("", |(word, _)| word)
    }
}
