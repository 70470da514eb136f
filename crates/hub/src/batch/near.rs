//! What of the memory is nearly the same as a text that goes out.

use std::collections::HashMap;

use diaporos_core::translate::{Block, NearIndex, NearMatch, NearText, TextKey};
use diaporos_core::value::LanguageTag;
use diaporos_store::{Store, StoreError};

use crate::config::Brief;

/// The most texts of a language that are looked through.
const LOOKED_THROUGH: usize = 500_000;
/// Texts that are looked up for one: not every one has a translation into every language.
const LOOKED_UP: usize = 12;
/// Matches that a translator sees.
const SHOWN: usize = 3;

/// The texts of the memory, to be found by others that are nearly the same. They are read once something
/// is to be sent, for mostly nothing is.
#[derive(Default)]
pub(super) struct NearMemory {
    index: Option<NearIndex>,
    /// What was found for the blocks of the text that is looked at.
    of_text: HashMap<usize, Vec<NearText>>,
    /// Whether there are more texts than are looked through.
    pub(super) is_cut: bool,
}

impl NearMemory {
    /// Another text is looked at.
    pub(super) fn begin_text(&mut self) {
        self.of_text.clear();
    }

    /// What is nearly the same as a block, with its translations into a language, the nearest first.
    pub(super) fn matches(
        &mut self,
        (store, brief): (&Store, &Brief),
        into: &LanguageTag,
        (at, block): (usize, &Block),
    ) -> Result<Vec<NearMatch>, StoreError> {
        // The forms of a plural differ by nothing but their case, and would be taken for one another.
        let Some(least) = brief.near.filter(|_| block.cases.is_empty()) else { return Ok(Vec::new()) };
        let index = match &mut self.index {
            Some(index) => index,
            None => {
                let mut index = NearIndex::default();
                self.is_cut = store.memory_texts(&brief.from, LOOKED_THROUGH, |text| index.add(&text))?;
                self.index.insert(index)
            }
        };
        let near = self.of_text.entry(at).or_insert_with(|| index.nearest(&block.source, least, LOOKED_UP));
        let mut found = Vec::new();
        for NearText { source, percent, differs } in near.iter().filter(|near| near.percent < 100) {
            if found.len() == SHOWN {
                break;
            }
            let known = store.newest_translation((&brief.from, into), &TextKey::of(source, &[]))?;
            found.extend(known.map(|(target, origin)| NearMatch {
                source: source.clone(),
                target,
                percent: *percent,
                differs: differs.clone(),
                origin,
            }));
        }
        Ok(found)
    }
}
