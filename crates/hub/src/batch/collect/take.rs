//! Taking what came back: what is wrong with it, and what becomes of it.

use std::collections::HashMap;

use diaporos_core::translate::{Inline, MemoryPair, TextKey};
use diaporos_core::value::{LanguageTag, State};
use diaporos_store::{BatchUnit, Origin, UnitStanding, UnitVerdict};

use super::keep::{Gathered, Together};
use super::sent::Sent;
use super::{Collector, Sound, TOGETHER};
use crate::batch::BatchError;
use crate::batch::complete::{BlockOf, Found, defects_of};
use crate::config::{BriefField, Outdated};

/// What is told of a unit whose accepted translation nothing worse replaces.
const STAYS: &str = "a sound translation was accepted before, and stays";

impl Collector<'_> {
    /// A translation that is not to be taken yet: noted, and told.
    fn keep_waiting(
        &mut self,
        unit: BatchUnit,
        into: &LanguageTag,
        (target, reasons): (Inline, Vec<String>),
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        if unit.target.as_ref() == Some(&target) && (unit.standing == UnitStanding::Accepted || unit.reasons == reasons)
        {
            gathered.tally.unchanged += 1;
            return Ok(());
        }
        gathered.tally.pending += 1;
        let kept = unit.standing == UnitStanding::Accepted;
        let told = reasons.iter().cloned().chain(kept.then(|| STAYS.to_owned())).collect();
        gathered.tell(&unit, into, "pending", told);
        if !kept {
            let (text, language) = (unit.text, into.clone());
            let standing = UnitStanding::Pending;
            gathered.pending.verdicts.push(UnitVerdict {
                text,
                language,
                standing,
                target: Some(target),
                reasons,
                reviewer: None,
            });
        }
        Ok(())
    }

    /// Units of one text are looked at together: what they make joined is read once for all.
    pub(super) fn take_together(
        &mut self,
        one: Together,
        into: &LanguageTag,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let text = |unit: &BatchUnit| (unit.entry, unit.field.clone(), unit.version);
        if gathered.pending.together.first().is_some_and(|first| text(&first.unit) != text(&one.unit)) {
            self.take_text(into, gathered)?;
        }
        gathered.pending.together.push(one);
        Ok(())
    }

    /// Takes the units of a text that have come so far.
    pub(super) fn take_text(&mut self, into: &LanguageTag, gathered: &mut Gathered<'_>) -> Result<(), BatchError> {
        let units = std::mem::take(&mut gathered.pending.together);
        let Some(first) = units.first() else { return Ok(()) };
        let known = self.sent_once(&first.unit, &mut gathered.pending.last)?;
        let mut found = known.map(|known| self.defects_together(&units, &known.0, &known.1, into)).unwrap_or_default();
        for Together { unit, target, waits } in units {
            let found = found.remove(&unit.text);
            match waits {
                None => self.take(unit, into, (target, found), gathered)?,
                // A reviewer sees what the checks say.
                Some(why) => {
                    let (rejected, noted) = found.unwrap_or_default();
                    let told = rejected.into_iter().chain(noted).map(|defect| defect.message);
                    let reasons = std::iter::once(why).chain(told).collect();
                    self.keep_waiting(unit, into, (target, reasons), gathered)?;
                }
            }
        }
        Ok(())
    }

    /// What is wrong with the units of a text that stand in it as they were sent.
    fn defects_together(
        &self,
        units: &[Together],
        sent: &Sent,
        field: &BriefField,
        into: &LanguageTag,
    ) -> HashMap<i64, Found> {
        let Some(structure) = &sent.then else { return HashMap::new() };
        let in_place: Vec<&Together> = units.iter().filter(|one| sent.has_in_place(&one.unit)).collect();
        let place = |unit: &BatchUnit| (unit.block as usize).saturating_sub(1);
        let block = |one: &&Together| BlockOf { field, structure, at: place(&one.unit) };
        let blocks: Vec<(BlockOf<'_>, &Inline)> = in_place.iter().map(|one| (block(one), &one.target)).collect();
        let found = defects_of(self.brief, into, &blocks);
        in_place.iter().map(|one| one.unit.text).zip(found).collect()
    }

    /// A translation that came back: checked, where that was not done, and settled where it is sound.
    fn take(
        &mut self,
        unit: BatchUnit,
        into: &LanguageTag,
        (target, found): (Inline, Option<Found>),
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let is_same = unit.target.as_ref() == Some(&target);
        if is_same && unit.standing == UnitStanding::Accepted {
            gathered.tally.unchanged += 1;
            // Should we have been killed before the text was put together, it is now.
            gathered.pending.touch(&unit, into);
            return Ok(());
        }
        let Some(known) = self.sent_once(&unit, &mut gathered.pending.last)? else {
            gathered.tally.refused += 1;
            gathered.tell(&unit, into, "refused", vec!["its text is no longer translated by the brief".to_owned()]);
            return Ok(());
        };
        let (sent, field) = &*known;
        let (rejected, noted) = found.unwrap_or_else(|| self.defects(&unit, sent, field, into, &target));
        if !rejected.is_empty() {
            let reasons: Vec<String> = rejected.into_iter().map(|defect| defect.message).collect();
            if unit.standing == UnitStanding::Accepted {
                gathered.tally.refused += 1;
                let mut reasons = reasons;
                reasons.push(STAYS.to_owned());
                gathered.tell(&unit, into, "refused", reasons);
                return Ok(());
            }
            if is_same && unit.standing == UnitStanding::Rejected && unit.reasons == reasons {
                gathered.tally.unchanged += 1;
                return Ok(());
            }
            gathered.tally.rejected += 1;
            gathered.tell(&unit, into, "rejected", reasons.clone());
            gathered.pending.verdicts.push(UnitVerdict {
                text: unit.text,
                language: into.clone(),
                standing: UnitStanding::Rejected,
                target: Some(target),
                reasons,
                reviewer: None,
            });
            return Ok(());
        }
        if self.brief.rules(into).is_reviewed && self.reviewer.is_none() {
            let told = noted.into_iter().map(|defect| defect.message);
            let reasons = std::iter::once("nobody has reviewed it".to_owned()).chain(told).collect();
            return self.keep_waiting(unit, into, (target, reasons), gathered);
        }
        let notes = noted.into_iter().map(|defect| defect.message).collect();
        self.settle(&unit, sent, into, Sound { target, notes }, gathered)
    }

    /// A sound translation: accepted, or held where its text has changed since; and so are those of the
    /// same text elsewhere in the batch.
    pub(super) fn settle(
        &mut self,
        unit: &BatchUnit,
        sent: &Sent,
        into: &LanguageTag,
        Sound { target, notes }: Sound,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let is_current = sent.still_says(&unit.unit.key());
        let is_taken = is_current || self.brief.outdated == Outdated::Take;
        let is_same = unit.target.as_ref() == Some(&target);
        if is_same && unit.standing == UnitStanding::Outdated && !is_taken {
            gathered.tally.unchanged += 1;
            return Ok(());
        }
        gathered.pending.learnt.push(MemoryPair {
            from: self.batch.from.clone(),
            into: into.clone(),
            source: unit.unit.source.clone(),
            target: target.clone(),
            cases: unit.unit.context.cases.clone(),
            place: Some(format!("{}#{}", sent.entry.row.address, unit.field)),
        });
        let standing = if is_taken { UnitStanding::Accepted } else { UnitStanding::Outdated };
        let mut reasons = notes;
        if !is_current {
            let gone = sent.entry.row.state == State::Gone;
            reasons.push(if gone { "its entry is gone" } else { "its text has changed since it was sent" }.to_owned());
        }
        if is_taken {
            gathered.tally.accepted += 1;
            gathered.pending.touch(unit, into);
            if !is_current {
                gathered.pending.of_earlier.insert((unit.entry, unit.field.clone(), unit.version));
            }
        } else {
            gathered.tally.outdated += 1;
        }
        if !reasons.is_empty() {
            gathered.tell(unit, into, standing.word(), reasons.clone());
        }
        gathered.pending.verdicts.push(UnitVerdict {
            text: unit.text,
            language: into.clone(),
            standing,
            target: Some(target.clone()),
            reasons,
            reviewer: self.reviewer.clone(),
        });
        if unit.origin != Origin::Repeated {
            self.settle_repeated(&unit.unit.key(), &target, into, gathered)?;
        }
        Ok(())
    }

    /// The same text elsewhere in the batch, which was not sent for it was there already.
    fn settle_repeated(
        &mut self,
        text: &TextKey,
        target: &Inline,
        into: &LanguageTag,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let mut after = 0;
        loop {
            let page = self.store.batch_units_saying(self.batch.number, into, text, after, TOGETHER)?;
            let Some(last) = page.last() else { return Ok(()) };
            after = last.text;
            for other in page {
                if other.origin == Origin::Repeated && other.standing != UnitStanding::Accepted {
                    self.take(other, into, (target.clone(), None), gathered)?;
                }
            }
            if gathered.pending.verdicts.len() >= TOGETHER {
                self.note(into, gathered)?;
            }
        }
    }
}
