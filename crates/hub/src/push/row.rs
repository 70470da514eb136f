//! What a push says of each document, and what it comes to.

use diaporos_core::plan::HoldReason;
use diaporos_core::value::{Address, LanguageTag};

/// How many entries met what fate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct PushTally {
    /// Written for the first time.
    pub created: u64,
    /// Changed.
    pub updated: u64,
    /// Found there by their key, and taken as counterparts.
    pub adopted: u64,
    /// As they should be.
    pub unchanged: u64,
    /// Taken off view.
    pub withdrawn: u64,
    /// Deleted.
    pub deleted: u64,
    /// Kept back.
    pub held: u64,
    /// Not delivered; tried again by the next push.
    pub failed: u64,
    /// Requests of an interrupted run of which it was found out what became.
    pub settled: u64,
    /// Requests that wrote, or would.
    pub requests: u64,
    /// Documents that somebody else changed or deleted there.
    pub drifted: u64,
    /// Questions that services were asked, or would be.
    pub asked: u64,
}

impl PushTally {
    /// Every count of entries with its word, in the order in which they are told.
    #[must_use]
    pub fn entries(&self) -> [(&'static str, u64); 8] {
        [
            ("created", self.created),
            ("updated", self.updated),
            ("adopted", self.adopted),
            ("withdrawn", self.withdrawn),
            ("deleted", self.deleted),
            ("unchanged", self.unchanged),
            ("held", self.held),
            ("failed", self.failed),
        ]
    }

    /// Whether nothing was done but to see that all is as it should be.
    #[must_use]
    pub fn did_nothing(&self) -> bool {
        *self == PushTally { unchanged: self.unchanged, ..PushTally::default() }
    }
}

impl std::ops::AddAssign for PushTally {
    fn add_assign(&mut self, other: PushTally) {
        self.created += other.created;
        self.updated += other.updated;
        self.adopted += other.adopted;
        self.unchanged += other.unchanged;
        self.withdrawn += other.withdrawn;
        self.deleted += other.deleted;
        self.held += other.held;
        self.failed += other.failed;
        self.settled += other.settled;
        self.requests += other.requests;
        self.drifted += other.drifted;
        self.asked += other.asked;
    }
}

/// One document's step, as planned and, after a push, as it went.
#[derive(Debug, Clone, PartialEq)]
pub struct PushRow {
    /// The entry.
    pub address: Address,
    /// The document's language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// The step's word.
    pub step: &'static str,
    /// What the destination calls the document.
    pub id_there: Option<String>,
    /// The fields that differ from what was last delivered.
    pub changes: Vec<String>,
    /// The kind of reason, where the entry is held, or `failed`.
    pub reason: Option<String>,
    /// What exactly.
    pub message: Option<String>,
    /// Whether somebody else changed the document there.
    pub is_drift: bool,
    /// Whether the entry was held before for the reason for which it is held now.
    pub is_known: bool,
}

impl PushRow {
    /// Whether somebody else changed or deleted the document there.
    #[must_use]
    pub fn tells_drift(&self) -> bool {
        let by_others = [HoldReason::ChangedThere.word(), HoldReason::DeletedThere.word()];
        self.is_drift || self.reason.as_ref().is_some_and(|reason| by_others.contains(&reason.as_str()))
    }
}
