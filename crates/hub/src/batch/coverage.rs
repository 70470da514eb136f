//! Coverage: which texts are translated, which are not, and where the rest is.

use std::collections::BTreeMap;

use diaporos_core::translate::words;
use diaporos_core::value::LanguageTag;
use diaporos_store::{OpenUnit, UnitStanding};

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
                let own = |unit: &&OpenUnit| unit.field == *name && unit.language == of_language.language;
                let standings = open
                    .iter()
                    .filter(own)
                    .filter(|unit| shape.blocks().iter().any(|block| block.source.coded() == unit.source))
                    .map(|unit| unit.standing);
                let standing = standing(&texts.freshness(name, source, &of_language.language)?, standings);
                let portion = of_language.portions.entry(standing).or_default();
                portion.words += shape.blocks().iter().map(|block| words(&block.source)).sum::<u64>();
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

/// How a text stands, by its translation and by those of its blocks that are in a batch.
fn standing(freshness: &Freshness, units: impl Iterator<Item = UnitStanding>) -> TextStanding {
    if *freshness == Freshness::Fresh {
        return TextStanding::Done;
    }
    let rank = |standing: UnitStanding| match standing {
        UnitStanding::Accepted | UnitStanding::Outdated => TextStanding::Waiting,
        UnitStanding::Out => TextStanding::Out,
        UnitStanding::Rejected => TextStanding::Rejected,
    };
    let mut found: Vec<TextStanding> = units.map(rank).collect();
    found.sort_by_key(|standing| match standing {
        TextStanding::Rejected => 0,
        TextStanding::Out => 1,
        _ => 2,
    });
    found.first().copied().unwrap_or(match freshness {
        Freshness::Stale(..) => TextStanding::OutOfDate,
        _ => TextStanding::Missing,
    })
}
