//! What a batch is made of, and what became of making it.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use diaporos_core::expr::{Program, Slots};
use diaporos_core::value::LanguageTag;
use diaporos_store::UnitCount;

use crate::batch::price::Carried;

/// What a batch is made of.
#[derive(Debug, Clone, Default)]
pub struct MakeOptions {
    /// Only into these languages; into all of the brief where there are none.
    pub into: Vec<LanguageTag>,
    /// Only entries for which this holds.
    pub holds: Option<(Program, Slots)>,
    /// What becomes of it.
    pub making: Making,
}

/// What becomes of a batch once it is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Making {
    /// It is not made; only what it would be is said.
    DryRun,
    /// A person looks at it, and sends it.
    #[default]
    Kept,
    /// It is sent at once: it counts as being sent from the moment it is made, so that whoever is killed in
    /// between has it sent by the next run.
    Sent,
}

/// What became of making a batch.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Made {
    /// The batches, one for each carrier; none in a dry run, or where nothing is to be sent.
    pub batches: Vec<String>,
    /// The texts in it.
    pub counts: Vec<UnitCount>,
    /// What is known from before, by language.
    pub carried: BTreeMap<LanguageTag, Carried>,
    /// Texts that are out already, by language.
    pub out: BTreeMap<LanguageTag, u64>,
    /// Values that entries have now, put together from what is known.
    pub values: u64,
    /// The numbers of entries with a text in one.
    pub entries: HashSet<i64>,
    /// From which languages into which translations were taken that are not of the very languages.
    pub of_others: BTreeSet<(LanguageTag, LanguageTag)>,
    /// The characters that a machine will be sent, by language.
    pub machine: BTreeMap<LanguageTag, u64>,
    /// Whether the memory has more texts than were looked through for near matches.
    pub is_cut: bool,
    /// Texts that are broken, of which nothing is sent: where they stand, and why.
    pub broken: Vec<(String, String)>,
}

impl Made {
    pub(super) fn add(&mut self, other: Made) {
        self.batches.extend(other.batches);
        self.counts.extend(other.counts);
        self.carried.extend(other.carried);
        self.out.extend(other.out);
        self.machine.extend(other.machine);
        self.values += other.values;
        self.entries.extend(other.entries);
        self.of_others.extend(other.of_others);
        self.is_cut |= other.is_cut;
        let is_new = |broken: &(String, String)| !self.broken.contains(broken);
        let broken: Vec<_> = other.broken.into_iter().filter(is_new).collect();
        self.broken.extend(broken);
    }
}
