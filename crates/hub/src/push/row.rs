//! What a push says of each document, and what it comes to.

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
    /// Taken off.
    pub withdrawn: u64,
    /// Kept back.
    pub held: u64,
    /// Not delivered; tried again by the next push.
    pub failed: u64,
    /// Requests of an interrupted run of which it was found out what became.
    pub settled: u64,
    /// Requests that wrote, or would.
    pub requests: u64,
}

impl std::ops::AddAssign for PushTally {
    fn add_assign(&mut self, other: PushTally) {
        self.created += other.created;
        self.updated += other.updated;
        self.adopted += other.adopted;
        self.unchanged += other.unchanged;
        self.withdrawn += other.withdrawn;
        self.held += other.held;
        self.failed += other.failed;
        self.settled += other.settled;
        self.requests += other.requests;
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
}
