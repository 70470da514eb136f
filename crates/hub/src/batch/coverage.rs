//! Coverage: which texts are translated, which are not, and where the rest is.

use std::collections::BTreeMap;

use diaporos_core::translate::{TextStructure, words};
use diaporos_core::value::LanguageTag;
use diaporos_store::{OpenUnit, StoreError, UnitStanding};

use super::BatchError;
use super::texts::{Freshness, Texts, entries};
use crate::config::Brief;
use crate::look::Glance;

/// How a text stands in a language; the later, the more it wants to be seen to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum TextStanding {
    /// It is translated.
    Done,
    /// It is in a batch that is waited for.
    Out,
    /// It has come back, and waits: for the rest of its field, or for a person.
    Waiting,
    /// It is translated, and has changed since.
    OutOfDate,
    /// It has no translation.
    Missing,
    /// What came back of it has defects.
    Rejected,
}

impl TextStanding {
    /// Every standing with its word, in the order in which they are shown.
    pub const WORDS: [(&str, TextStanding); 6] = [
        ("done", TextStanding::Done),
        ("missing", TextStanding::Missing),
        ("out_of_date", TextStanding::OutOfDate),
        ("out", TextStanding::Out),
        ("waiting", TextStanding::Waiting),
        ("rejected", TextStanding::Rejected),
    ];
}

/// So many entries, and the words of so many of their texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Portion {
    /// Entries.
    pub entries: u64,
    /// Words of the source.
    pub words: u64,
}

/// How the entries of a brief stand in a language.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Coverage {
    /// The language.
    pub language: LanguageTag,
    /// Entries by the standing that most wants to be seen to; words by that of each text.
    pub portions: BTreeMap<TextStanding, Portion>,
}

impl Coverage {
    /// All entries and words.
    #[must_use]
    pub fn total(&self) -> Portion {
        self.portions.values().fold(Portion::default(), |sum, portion| Portion {
            entries: sum.entries + portion.entries,
            words: sum.words + portion.words,
        })
    }
}

/// How the entries of a brief stand in each of its languages.
///
/// # Errors
/// Where the store fails, or a condition has no value.
pub fn coverage(glance: Glance<'_>, brief: &Brief) -> Result<Vec<Coverage>, BatchError> {
    let mut all: Vec<Coverage> =
        brief.into.iter().map(|language| Coverage { language: language.clone(), portions: BTreeMap::new() }).collect();
    entries(glance, brief, |entry| {
        let texts = Texts::new(glance.store, brief, entry);
        let open = glance.store.open_units(entry.number)?;
        let sources: Vec<_> =
            texts.sources().map(|(name, field, source)| (name, source, texts.shape(field, source))).collect();
        for of_language in &mut all {
            let mut worst = None;
            for (name, source, shape) in &sources {
                let into = &of_language.language;
                let freshness = texts.freshness(name, source, into)?;
                let of_text = OfText { texts: &texts, name, shape };
                let standing = of_text.standing(&freshness, &open, into)?;
                let portion = of_language.portions.entry(standing).or_default();
                let own = shape.blocks().iter().filter(|block| block.is_for(&of_language.language));
                portion.words += own.map(|block| words(&block.source)).sum::<u64>();
                worst = worst.max(Some(standing));
            }
            if let Some(worst) = worst {
                of_language.portions.entry(worst).or_default().entries += 1;
            }
        }
        Ok(())
    })?;
    Ok(all)
}

/// A text of an entry.
struct OfText<'a> {
    texts: &'a Texts<'a>,
    name: &'a str,
    shape: &'a TextStructure,
}

impl OfText<'_> {
    /// How the text stands, by its translation and by those of its blocks that are in a batch. Where a block
    /// is neither there nor known, the text is not waited for as a whole: another version of it is.
    fn standing(
        &self,
        freshness: &Freshness,
        open: &[OpenUnit],
        into: &LanguageTag,
    ) -> Result<TextStanding, StoreError> {
        let lacking = match freshness {
            Freshness::Fresh => return Ok(TextStanding::Done),
            Freshness::Stale(..) => TextStanding::OutOfDate,
            Freshness::Missing => TextStanding::Missing,
        };
        let mut worst: Option<TextStanding> = None;
        let (mut lacks, place) = (false, self.texts.place(self.name));
        for block in self.shape.blocks().iter().filter(|block| block.is_for(into)) {
            let key = block.key();
            let is_own =
                |unit: &&OpenUnit| unit.field == self.name && unit.language == *into && unit.source == key.as_str();
            let standings = open.iter().filter(is_own).map(|unit| of_unit(unit.standing));
            let is_known = || self.texts.store.known_translation((&self.texts.brief.from, into), &key, &place);
            match standings.max_by_key(|standing| urgency(*standing)) {
                Some(own) => worst = worst.into_iter().chain([own]).max_by_key(|standing| urgency(*standing)),
                None => lacks = lacks || is_known()?.is_none(),
            }
        }
        Ok(match worst {
            Some(TextStanding::Rejected) => TextStanding::Rejected,
            Some(_) if lacks => lacking,
            Some(worst) => worst,
            None => lacking,
        })
    }
}

fn of_unit(standing: UnitStanding) -> TextStanding {
    match standing {
        UnitStanding::Accepted | UnitStanding::Pending | UnitStanding::Outdated => TextStanding::Waiting,
        UnitStanding::Out => TextStanding::Out,
        UnitStanding::Rejected => TextStanding::Rejected,
    }
}

/// What of a batch most wants to be seen to.
fn urgency(standing: TextStanding) -> u8 {
    match standing {
        TextStanding::Rejected => 2,
        TextStanding::Out => 1,
        _ => 0,
    }
}
