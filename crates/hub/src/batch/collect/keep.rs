//! Keeping what was collected: translations first, then the texts that are whole by them, then how units
//! stand; so that a collect that was killed is finished by the next.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use diaporos_core::translate::{Inline, MemoryPair};
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchUnit, Translation, UnitVerdict};

use super::sent::LastSent;
use super::{CollectTally, Collector, UnitRow};
use crate::batch::BatchError;
use crate::batch::complete::{complete, joined, known_blocks, translation};
use crate::batch::texts::{Freshness, Texts, text_in};

/// What waits to be noted.
#[derive(Default)]
pub(super) struct Pending {
    pub(super) verdicts: Vec<UnitVerdict>,
    pub(super) learnt: Vec<MemoryPair>,
    /// Texts that may be whole by now, by entry; with values where they are put together already.
    pub(super) touched: BTreeMap<i64, BTreeMap<(String, LanguageTag), Vec<Translation>>>,
    /// Texts that were translated from an earlier version, which is taken.
    pub(super) of_earlier: BTreeSet<(i64, String, u64)>,
    /// Units of one text that are to be looked at together.
    pub(super) together: Vec<Together>,
    /// Looked at anew after each time that something is noted.
    pub(super) last: LastSent,
}

/// A unit that is to be looked at with the others of its text.
pub(super) struct Together {
    pub(super) unit: BatchUnit,
    pub(super) target: Inline,
    /// Why it is not to be taken yet, whatever the checks say.
    pub(super) waits: Option<String>,
}

/// What came of the units of a file so far.
pub(super) struct Gathered<'r> {
    pub(super) tally: CollectTally,
    pub(super) pending: Pending,
    /// Told of each unit that wants to be seen to.
    pub(super) row: &'r mut dyn FnMut(UnitRow),
}

impl Gathered<'_> {
    /// Tells of a unit that wants to be seen to.
    pub(super) fn tell(&mut self, unit: &BatchUnit, into: &LanguageTag, outcome: &'static str, reasons: Vec<String>) {
        let (id, name) = (unit.unit.id.to_string(), Some(unit.unit.name.clone()));
        (self.row)(UnitRow { unit: id, name, language: into.clone(), outcome, reasons });
    }
}

/// Made-up blocks of a text, by block.
pub(super) type Pseudo = HashMap<(i64, String), BTreeMap<u32, Inline>>;

impl Collector<'_> {
    /// Texts that are made up whole become values, for trying.
    pub(super) fn make_up(
        &mut self,
        into: &LanguageTag,
        pseudo: Pseudo,
        pending: &mut Pending,
    ) -> Result<(), BatchError> {
        for ((entry, name), blocks) in pseudo {
            let (Some(field), Some(entry)) = (self.brief.fields.get(&name), self.store.entry_numbered(entry)?) else {
                continue;
            };
            let Some(source) = text_in(&entry.row.fields, &name, &self.batch.from) else { continue };
            let texts = Texts::new(self.store, self.brief, &entry);
            let shape = texts.shape(field, source);
            let mut targets = known_blocks(&texts, (&name, field), &shape, into)?.targets;
            for (at, target) in blocks {
                if let Some(place) = targets.get_mut((at as usize).saturating_sub(1)) {
                    *place = Some(target);
                }
            }
            if let Some(value) = joined(self.brief, into, &shape, targets) {
                let made_up = translation(self.brief, &name, into, source, value);
                // To be looked at, wherever real ones go.
                let made_up = Translation { is_pseudo: true, is_shown: true, ..made_up };
                pending.touched.entry(entry.number).or_default().insert((name, into.clone()), vec![made_up]);
            }
        }
        Ok(())
    }

    pub(super) fn note(&mut self, into: &LanguageTag, gathered: &mut Gathered<'_>) -> Result<(), BatchError> {
        let Pending { verdicts, learnt, mut touched, of_earlier, together, last: _ } =
            std::mem::take(&mut gathered.pending);
        gathered.pending.together = together;
        // Known first, noted after: a unit that is noted as accepted is never without its text.
        self.store.remember(&learnt, &self.batch.name, self.now)?;
        for (entry, name, version) in of_earlier {
            let given = self.of_earlier(entry, &name, version, into)?;
            touched.entry(entry).or_default().entry((name, into.clone())).or_default().extend(given);
        }
        let mut values = Vec::new();
        for (number, wanted) in touched {
            let Some(entry) = self.store.entry_numbered(number)? else { continue };
            values.push((number, complete(self.store, self.brief, &entry, &wanted)?));
        }
        gathered.tally.values += self.store.take_translations(self.batch.number, &values, self.now)? as u64;
        Ok(self.store.note_units(&verdicts, self.now)?)
    }

    /// The translation of what a text said before, where there is none of what it says now.
    pub(super) fn of_earlier(
        &self,
        entry: i64,
        name: &str,
        version: u64,
        into: &LanguageTag,
    ) -> Result<Option<Translation>, BatchError> {
        let (Some(field), Some(entry)) = (self.brief.fields.get(name), self.store.entry_numbered(entry)?) else {
            return Ok(None);
        };
        let Some(then) = self.store.version(entry.number, version)? else { return Ok(None) };
        let Some(said) = text_in(&then.fields, name, &self.batch.from) else { return Ok(None) };
        let texts = Texts::new(self.store, self.brief, &entry);
        if let Some(says) = text_in(&entry.row.fields, name, &self.batch.from)
            && texts.freshness(name, says, into)? == Freshness::Fresh
        {
            return Ok(None);
        }
        let shape = texts.shape(field, said);
        let targets = known_blocks(&texts, (name, field), &shape, into)?.targets;
        Ok(joined(self.brief, into, &shape, targets).map(|value| translation(self.brief, name, into, said, value)))
    }
}

impl Pending {
    pub(super) fn touch(&mut self, unit: &BatchUnit, into: &LanguageTag) {
        self.touched.entry(unit.entry).or_default().entry((unit.field.clone(), into.clone())).or_default();
    }
}
