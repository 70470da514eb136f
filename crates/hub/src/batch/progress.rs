//! How far batches are.

use std::collections::BTreeMap;

use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchRow, BatchStanding, Store, StoreError, UnitCount, UnitStanding};
use diaporos_systems::agency::Agency;
use jiff::Timestamp;

use super::BatchError;

/// How the texts of a batch stand in a language.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LanguageTally {
    /// The language.
    pub language: LanguageTag,
    /// Texts and words by standing.
    pub by_standing: BTreeMap<UnitStanding, (u64, u64)>,
    /// How much the agency says is done, in percent.
    pub there: Option<u8>,
}

impl LanguageTally {
    /// Texts that stand so.
    #[must_use]
    pub fn units(&self, standing: UnitStanding) -> u64 {
        self.by_standing.get(&standing).map_or(0, |(units, _)| *units)
    }

    /// All texts.
    #[must_use]
    pub fn all(&self) -> u64 {
        self.by_standing.values().map(|(units, _)| units).sum()
    }

    /// All words.
    #[must_use]
    pub fn words(&self) -> u64 {
        self.by_standing.values().map(|(_, words)| words).sum()
    }

    /// How many of its words are accepted, in percent, rounded down: 100 is all of them.
    #[must_use]
    pub fn percent(&self) -> u64 {
        let accepted = self.by_standing.get(&UnitStanding::Accepted).map_or(0, |(_, words)| *words);
        (accepted * 100).checked_div(self.words()).unwrap_or(100)
    }
}

/// How far a batch is.
#[derive(Debug, Clone, PartialEq)]
pub struct BatchProgress {
    /// The batch.
    pub batch: BatchRow,
    /// By language.
    pub languages: Vec<LanguageTally>,
}

impl BatchProgress {
    /// Whether all that is waited for is there.
    #[must_use]
    pub fn is_done(&self) -> bool {
        self.languages.iter().all(|tally| tally.units(UnitStanding::Accepted) == tally.all())
    }

    /// Whether it is wanted by now, and not all there.
    #[must_use]
    pub fn is_late(&self, now: Timestamp) -> bool {
        let waits = matches!(self.batch.standing, BatchStanding::Made | BatchStanding::Sending | BatchStanding::Sent);
        waits && !self.is_done() && self.batch.due.is_some_and(|due| due < now)
    }

    /// The word for how it stands.
    #[must_use]
    pub fn word(&self) -> &'static str {
        match self.batch.standing {
            BatchStanding::Sent if self.is_done() => "done",
            standing => standing.word(),
        }
    }
}

/// How far a batch is, by what is known here.
///
/// # Errors
/// Where the store fails.
pub fn tallies(store: &Store, batch: BatchRow) -> Result<(BatchProgress, Vec<UnitCount>), StoreError> {
    let counts = store.batch_counts(batch.number)?;
    let languages = batch.into.iter().map(|language| {
        let mut by_standing = BTreeMap::new();
        for count in counts.iter().filter(|count| count.language == *language) {
            let of: &mut (u64, u64) = by_standing.entry(count.standing).or_default();
            *of = (of.0 + count.units, of.1 + count.words);
        }
        LanguageTally { language: language.clone(), by_standing, there: None }
    });
    Ok((BatchProgress { languages: languages.collect(), batch }, counts))
}

/// How far a batch is, with what its agency says.
///
/// # Errors
/// Where the store or the agency fails.
pub async fn progress(store: &Store, agency: &Agency, batch: BatchRow) -> Result<BatchProgress, BatchError> {
    let (mut progress, _) = tallies(store, batch)?;
    let Some(order) = &progress.batch.order_there else { return Ok(progress) };
    for there in agency.progress(order).await? {
        for tally in progress.languages.iter_mut().filter(|tally| tally.language == there.language) {
            tally.there = Some(there.percent);
        }
    }
    Ok(progress)
}
