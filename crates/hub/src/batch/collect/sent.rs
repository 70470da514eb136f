//! A unit against the text that it is of: at the version that was sent, and as it is now.

use std::cell::OnceCell;
use std::collections::HashSet;
use std::rc::Rc;

use diaporos_core::translate::{Block, CheckPolicy, Defect, Inline, TextKey, TextStructure};
use diaporos_core::value::{LanguageTag, State};
use diaporos_store::{BatchUnit, StoredEntry};

use super::Collector;
use crate::batch::BatchError;
use crate::batch::complete::{BlockOf, defects};
use crate::batch::texts::{checker, text_in};
use crate::config::BriefField;

/// A text at the version that it was sent of, and as it is now.
pub(super) struct Sent {
    pub(super) entry: StoredEntry,
    pub(super) then: Option<TextStructure>,
    pub(super) now: Option<TextStructure>,
    /// What it says now, once that was asked for.
    says: OnceCell<HashSet<TextKey>>,
}

/// The text that was looked at last: units of one text come one after another.
#[derive(Default)]
pub(super) struct LastSent {
    of: Option<(i64, String, u64)>,
    known: Option<Rc<(Sent, BriefField)>>,
}

impl Collector<'_> {
    /// A unit's text as [`Collector::sent`] has it, looked at once for all its units.
    pub(super) fn sent_once(
        &self,
        unit: &BatchUnit,
        last: &mut LastSent,
    ) -> Result<Option<Rc<(Sent, BriefField)>>, BatchError> {
        let of = (unit.entry, unit.field.clone(), unit.version);
        if last.of.as_ref() != Some(&of) {
            *last = LastSent { known: self.sent(unit)?.map(Rc::new), of: Some(of) };
        }
        Ok(last.known.clone())
    }

    /// A unit's text, at the version that it was sent of and now; none where the brief has dropped it.
    pub(super) fn sent(&self, unit: &BatchUnit) -> Result<Option<(Sent, BriefField)>, BatchError> {
        let Some(field) = self.brief.fields.get(&unit.field) else { return Ok(None) };
        let Some(entry) = self.store.entry_numbered(unit.entry)? else { return Ok(None) };
        let shape = |fields: &diaporos_core::value::Record| {
            let text = text_in(fields, &unit.field, &self.batch.from)?;
            Some(TextStructure::of(field.form, text, &self.brief.protected))
        };
        let now = if entry.row.state == State::Gone { None } else { shape(&entry.row.fields) };
        let then = if entry.row.version == unit.version {
            now.clone()
        } else {
            self.store.version(unit.entry, unit.version)?.and_then(|content| shape(&content.fields))
        };
        Ok(Some((Sent { entry, then, now, says: OnceCell::new() }, field.clone())))
    }

    /// What is wrong with a translation: what it goes back for, and what is told.
    pub(super) fn defects(
        &self,
        unit: &BatchUnit,
        sent: &Sent,
        field: &BriefField,
        into: &LanguageTag,
        target: &Inline,
    ) -> (Vec<Defect>, Vec<Defect>) {
        let at = (unit.block as usize).saturating_sub(1);
        match sent.then.as_ref().filter(|_| sent.has_in_place(unit)) {
            Some(structure) => defects(self.brief, into, BlockOf { field, structure, at }, target),
            // What must not change is told otherwise now; the unit knows how it was sent.
            None => {
                let checker = checker(self.brief, into);
                let found = checker.check(&unit.unit.source, &unit.unit.tags, unit.unit.context.limit, target);
                found.into_iter().partition(|defect| checker.policy(defect.check) == CheckPolicy::Reject)
            }
        }
    }
}

impl Sent {
    /// Whether a unit stands in the text as it was sent.
    pub(super) fn has_in_place(&self, unit: &BatchUnit) -> bool {
        let at = (unit.block as usize).saturating_sub(1);
        let block = self.then.as_ref().and_then(|shape| shape.blocks().get(at));
        block.is_some_and(|block| block.source == unit.unit.source && block.tags == unit.unit.tags)
    }

    pub(super) fn still_says(&self, text: &TextKey) -> bool {
        let of_now = || self.now.iter().flat_map(|shape| shape.blocks().iter().map(Block::key)).collect();
        self.says.get_or_init(of_now).contains(text)
    }
}
