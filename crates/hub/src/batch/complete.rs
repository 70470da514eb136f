//! A text whose blocks are all translated becomes a value of its entry.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::translate::{CheckPolicy, Defect, Form, Inline, Local, TextStructure};
use diaporos_core::value::LanguageTag;
use diaporos_store::{KnownTranslation, Store, StoreError, StoredEntry, Translation};

use super::texts::{Texts, checker, print, text_in};
use crate::config::{Back, Brief, BriefField};

/// What is known of a text's blocks.
#[derive(Default)]
pub(super) struct KnownBlocks {
    /// Their translations, by block.
    pub(super) targets: Vec<Option<Inline>>,
    /// Whether each is known for that very place.
    pub(super) is_own: Vec<bool>,
    /// The languages that some of them are of, where these differ by a region that one does not name.
    pub(super) of_others: BTreeSet<(LanguageTag, LanguageTag)>,
}

/// The translations of a text's blocks that are known, by block; none for those that are not, or
/// would not pass today's checks. Those in cases that the language has not are left out.
pub(super) fn known_blocks(
    texts: &Texts<'_>,
    (name, field): (&str, &BriefField),
    shape: &TextStructure,
    into: &LanguageTag,
) -> Result<KnownBlocks, StoreError> {
    let place = texts.place(name);
    let languages = (&texts.brief.from, into);
    let mut found: Vec<Option<KnownTranslation>> = Vec::new();
    for block in shape.blocks() {
        let is_wanted = block.is_for(into);
        let known = if is_wanted { texts.store.known_translation(languages, &block.key(), &place)? } else { None };
        found.push(known);
    }
    let there: Vec<(BlockOf<'_>, &Inline)> = found
        .iter()
        .enumerate()
        .filter_map(|(at, known)| Some((BlockOf { field, structure: shape, at }, &known.as_ref()?.target)))
        .collect();
    let mut judged = defects_of(texts.brief, into, &there).into_iter();
    let mut known = KnownBlocks::default();
    for (block, found) in shape.blocks().iter().zip(&found) {
        if !block.is_for(into) {
            known.targets.push(Some(Inline::default()));
            known.is_own.push(false);
            continue;
        }
        // What was accepted for this very place, a person may have accepted in spite of a check.
        let passes = |found: &&KnownTranslation| {
            let mut rejected = judged.next().unwrap_or_default().0.into_iter();
            rejected.all(|defect| found.is_own && defect.check.can_be_waived())
        };
        let found = found.as_ref().filter(passes);
        known.of_others.extend(found.and_then(|found| found.of.clone()));
        known.is_own.push(found.is_some_and(|found| found.is_own));
        known.targets.push(found.map(|found| found.target.clone()));
    }
    Ok(known)
}

/// A block of a field's text, by its place.
#[derive(Clone, Copy)]
pub(super) struct BlockOf<'a> {
    pub(super) field: &'a BriefField,
    pub(super) structure: &'a TextStructure,
    pub(super) at: usize,
}

/// Defects for which a translation goes back, and defects that are told.
pub(super) type Found = (Vec<Defect>, Vec<Defect>);

/// The defects of a translation of a block.
pub(super) fn defects(brief: &Brief, into: &LanguageTag, of: BlockOf<'_>, target: &Inline) -> Found {
    defects_of(brief, into, &[(of, target)]).pop().unwrap_or_default()
}

/// The defects of translations of blocks of one text, which are joined with the rest once for all.
pub(super) fn defects_of(brief: &Brief, into: &LanguageTag, of: &[(BlockOf<'_>, &Inline)]) -> Vec<Found> {
    let checker = checker(brief, into);
    let mut found: Vec<Vec<Defect>> = Vec::new();
    let mut sound = Vec::new();
    for (nth, (BlockOf { field, structure, at }, target)) in of.iter().enumerate() {
        let limit = field.limit.filter(|_| field.form == Form::Plain);
        let block = structure.blocks().get(*at);
        let own = block.map(|block| checker.check(&block.source, &block.tags, limit, target)).unwrap_or_default();
        // Tags that do not fit make no sound markup, which was said.
        if own.iter().all(|defect| defect.check.can_be_waived()) {
            sound.push((nth, *at, *target));
        }
        found.push(own);
    }
    if let Some((BlockOf { structure, .. }, _)) = of.first() {
        let blocks: Vec<(usize, &Inline)> = sound.iter().map(|(_, at, target)| (*at, *target)).collect();
        for ((nth, ..), tried) in sound.iter().zip(structure.try_blocks(&blocks)) {
            let Err(error) = tried else { continue };
            found[*nth].push(Defect { check: diaporos_core::translate::Check::Markup, message: error.to_string() });
        }
    }
    let parted =
        |found: Vec<Defect>| found.into_iter().partition(|defect| checker.policy(defect.check) == CheckPolicy::Reject);
    found.into_iter().map(parted).collect()
}

/// A text as it is translated from translations of all its blocks.
pub(super) fn joined(
    brief: &Brief,
    into: &LanguageTag,
    shape: &TextStructure,
    targets: Vec<Option<Inline>>,
) -> Option<String> {
    let targets = targets.into_iter().collect::<Option<Vec<_>>>()?;
    shape.join_in(&targets, Some(&Local { from: &brief.from, into, links: &brief.links })).ok()
}

/// A value to be taken.
pub(super) fn translation(brief: &Brief, field: &str, into: &LanguageTag, source: &str, value: String) -> Translation {
    Translation {
        field: field.to_owned(),
        language: into.clone(),
        value,
        source: print(source),
        is_pseudo: false,
        is_shown: brief.back != Back::Source,
    }
}

/// The values of an entry that can be put together by now.
pub(super) fn complete(
    store: &Store,
    brief: &Brief,
    entry: &StoredEntry,
    wanted: &BTreeMap<(String, LanguageTag), Vec<Translation>>,
) -> Result<Vec<Translation>, StoreError> {
    let texts = Texts::new(store, brief, entry);
    let mut values = Vec::new();
    for ((name, into), given) in wanted {
        // What was put together before, from an older text or made up, goes as it is.
        if !given.is_empty() {
            values.extend(given.iter().cloned());
            continue;
        }
        let Some(field) = brief.fields.get(name) else { continue };
        let Some(source) = text_in(&entry.row.fields, name, &brief.from) else { continue };
        let shape = texts.shape(field, source);
        let known = known_blocks(&texts, (name, field), &shape, into)?;
        values.extend(
            joined(brief, into, &shape, known.targets).map(|value| translation(brief, name, into, source, value)),
        );
    }
    Ok(values)
}
