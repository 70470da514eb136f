//! A text whose blocks are all translated becomes a value of its entry.

use std::collections::BTreeMap;

use diaporos_core::translate::{CheckPolicy, Defect, Form, Inline, TextStructure};
use diaporos_core::value::LanguageTag;
use diaporos_store::{Store, StoreError, StoredEntry, Translation};

use super::texts::{Texts, checker, print, text_in};
use crate::config::{Back, Brief, BriefField};

/// The translations of a text's blocks that are known, by block; none for those that are not, or
/// would not pass today's checks.
pub(super) fn known_blocks(
    texts: &Texts<'_>,
    (name, field): (&str, &BriefField),
    shape: &TextStructure,
    into: &LanguageTag,
) -> Result<Vec<Option<Inline>>, StoreError> {
    let place = texts.place(name);
    let languages = (&texts.brief.from, into);
    let mut known = Vec::new();
    for (at, block) in shape.blocks().iter().enumerate() {
        let found = texts.store.known_translation(languages, &block.source, &place)?;
        // What was accepted for this very place, a person may have accepted in spite of a check.
        let passes = |(target, is_own): &(Inline, bool)| {
            let of = BlockOf { field, structure: shape, at };
            let mut rejected = defects(texts.brief, into, of, target).0.into_iter();
            rejected.all(|defect| *is_own && defect.check.can_be_waived())
        };
        known.push(found.filter(passes).map(|(target, _)| target));
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

/// The defects of a translation of a block: those for which it goes back, and those that are told.
pub(super) fn defects(
    brief: &Brief,
    into: &LanguageTag,
    of: BlockOf<'_>,
    target: &Inline,
) -> (Vec<Defect>, Vec<Defect>) {
    let BlockOf { field, structure: shape, at } = of;
    let Some(block) = shape.blocks().get(at) else { return (Vec::new(), Vec::new()) };
    let checker = checker(brief, into);
    let limit = field.limit.filter(|_| field.form == Form::Plain);
    let mut found = checker.check(&block.source, &block.tags, limit, target);
    // Tags that do not fit make no sound markup, which was said.
    if found.iter().all(|defect| defect.check.can_be_waived())
        && let Err(error) = shape.try_block(at, target)
    {
        found.push(Defect { check: diaporos_core::translate::Check::Markup, message: error.to_string() });
    }
    found.into_iter().partition(|defect| checker.policy(defect.check) == CheckPolicy::Reject)
}

/// A text as it is translated from translations of all its blocks.
pub(super) fn joined(shape: &TextStructure, targets: Vec<Option<Inline>>) -> Option<String> {
    let targets = targets.into_iter().collect::<Option<Vec<_>>>()?;
    shape.join(&targets).ok()
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
        values.extend(joined(&shape, known).map(|value| translation(brief, name, into, source, value)));
    }
    Ok(values)
}
