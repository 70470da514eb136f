//! Collecting: what comes back is checked unit by unit; the good go on, the rest say why not.

mod keep;
mod sent;
mod source;
mod survey;

use diaporos_core::translate::{Incoming, Inline, MemoryPair, Returned, UnitId, is_pseudo, read_units};
use diaporos_core::value::{LanguageTag, State};
use diaporos_store::{BatchRow, BatchUnit, Origin, Store, UnitStanding, UnitVerdict};
use jiff::Timestamp;

use super::BatchError;
use crate::config::{Brief, Outdated};
use keep::{Gathered, Pending, Pseudo};
use sent::Sent;
pub use source::{FileSource, returned_files};
pub use survey::{Refusal, batch_told};
use survey::{Survey, survey};

/// Units that are noted together.
const TOGETHER: usize = 500;

/// How many units went which way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct CollectTally {
    /// Accepted, now for the first time or with another text.
    pub accepted: u64,
    /// As they were collected before.
    pub unchanged: u64,
    /// With defects.
    pub rejected: u64,
    /// Of texts that have changed since.
    pub outdated: u64,
    /// Not in the batch, or twice with different texts: left alone.
    pub refused: u64,
    /// Not translated yet.
    pub waiting: u64,
    /// Made up, for trying.
    pub made_up: u64,
    /// Values that entries have now.
    pub values: u64,
}

impl std::ops::AddAssign for CollectTally {
    fn add_assign(&mut self, other: CollectTally) {
        self.accepted += other.accepted;
        self.unchanged += other.unchanged;
        self.rejected += other.rejected;
        self.outdated += other.outdated;
        self.refused += other.refused;
        self.waiting += other.waiting;
        self.made_up += other.made_up;
        self.values += other.values;
    }
}

/// A unit that wants to be seen to, or of which something is to be known.
#[derive(Debug, Clone, PartialEq)]
pub struct UnitRow {
    /// Its id, as it stood in the file.
    pub unit: String,
    /// Where it stands.
    pub name: Option<String>,
    /// The language.
    pub language: LanguageTag,
    /// What became of it: `accepted`, `rejected`, `outdated`, `refused`.
    pub outcome: &'static str,
    /// Why, a sentence each.
    pub reasons: Vec<String>,
}

/// What became of a file.
#[derive(Debug, Clone, PartialEq)]
pub enum Collected {
    /// Its units were looked at. Where it could not be read to its end, why.
    Taken {
        /// The language.
        language: LanguageTag,
        /// How its units went.
        tally: CollectTally,
        /// Why it could not be read on.
        broken: Option<String>,
    },
    /// A file of that very content was collected before.
    Before(Timestamp),
    /// It is none of this batch's.
    Refused(Refusal),
}

/// A translation that passed its checks, with what is told of it.
struct Sound {
    target: Inline,
    notes: Vec<String>,
}

/// Collects files for a batch.
pub struct Collector<'a> {
    /// The store, open for change.
    pub store: &'a mut Store,
    /// The brief that the batch was made by.
    pub brief: &'a Brief,
    /// The batch.
    pub batch: &'a BatchRow,
    /// The time.
    pub now: Timestamp,
}

impl Collector<'_> {
    /// Collects a file. One whose content was collected before is left alone, unless it is to be looked
    /// at again.
    ///
    /// # Errors
    /// Where the store fails, or the file cannot be opened; what was accepted before stays.
    pub fn file(
        &mut self,
        source: &FileSource,
        again: bool,
        row: &mut dyn FnMut(UnitRow),
    ) -> Result<Collected, BatchError> {
        let content = source.fingerprint()?;
        if !again && let Some(before) = self.store.collected(self.batch.number, content)? {
            return Ok(Collected::Before(before));
        }
        let survey = match survey(source, self.batch)? {
            Ok(survey) => survey,
            Err(refusal) => return Ok(Collected::Refused(refusal)),
        };
        let mut gathered = Gathered { tally: CollectTally::default(), pending: Pending::default(), row };
        let mut pseudo = Pseudo::new();
        let mut failed = None;
        // Why it cannot be read on, where it cannot, the survey has found.
        let _ = read_units(&mut *source.open()?, &mut |incoming| {
            let Incoming::Unit(returned) = incoming else { return Ok(()) };
            let done = self.unit(&survey, returned, &mut gathered, &mut pseudo);
            let done = done.and_then(|()| match gathered.pending.verdicts.len() + gathered.pending.learnt.len() {
                0..TOGETHER => Ok(()),
                _ => self.note(&survey.language, &mut gathered),
            });
            done.map_err(|error| {
                let message = error.to_string();
                failed = Some(error);
                message
            })
        });
        if let Some(error) = failed {
            return Err(error);
        }
        self.make_up(&survey.language, pseudo, &mut gathered.pending)?;
        self.note(&survey.language, &mut gathered)?;
        if survey.broken.is_none() {
            let of = (self.batch.number, &survey.language);
            self.store.note_collected(of, content, &source.name(), self.now)?;
        }
        Ok(Collected::Taken { language: survey.language, tally: gathered.tally, broken: survey.broken })
    }

    /// Takes a unit that was rejected, because a person says so.
    ///
    /// # Errors
    /// Where there is no such unit, or what is wrong with it makes it no value.
    pub fn accept(&mut self, id: &UnitId, into: &LanguageTag) -> Result<CollectTally, BatchError> {
        let standing = |message: String| BatchError::Standing(message);
        let unit = self.store.batch_unit(self.batch.number, into, id)?;
        let Some(unit) = unit.filter(|unit| unit.standing == UnitStanding::Rejected) else {
            return Err(standing(format!("`{id}` is not among the rejected units into {into}")));
        };
        let Some(target) = unit.target.clone() else {
            return Err(standing(format!("`{id}` has no translation")));
        };
        let Some((sent, field)) = self.sent(&unit)? else {
            return Err(standing(format!("the text of `{id}` is not there any more")));
        };
        let found = self.defects(&unit, &sent, &field, into, &target).0;
        if let Some(defect) = found.iter().find(|defect| !defect.check.can_be_waived()) {
            return Err(standing(format!("`{id}` cannot be taken: {}", defect.message)));
        }
        let sound = Sound { target, notes: found.into_iter().map(|defect| defect.message).collect() };
        let (tally, pending) = (CollectTally::default(), Pending::default());
        let mut gathered = Gathered { tally, pending, row: &mut |_| {} };
        self.settle(&unit, &sent, into, sound, &mut gathered)?;
        self.note(into, &mut gathered)?;
        Ok(gathered.tally)
    }

    fn unit(
        &mut self,
        survey: &Survey,
        returned: Returned,
        gathered: &mut Gathered<'_>,
        pseudo: &mut Pseudo,
    ) -> Result<(), BatchError> {
        let into = &survey.language;
        let shown = match (&returned.id, &returned.source) {
            (Some(id), _) => id.clone(),
            (None, Some(source)) => source.plain().chars().take(40).collect(),
            (None, None) => String::new(),
        };
        let mut refuse = |name: Option<String>, reason: &str| {
            gathered.tally.refused += 1;
            let (unit, language) = (shown.clone(), into.clone());
            (gathered.row)(UnitRow { unit, name, language, outcome: "refused", reasons: vec![reason.to_owned()] });
        };
        let Some(unit) = self.found(&returned, into)? else {
            refuse(None, "it is not in this batch");
            return Ok(());
        };
        if survey.is_twice(&returned) {
            refuse(Some(unit.unit.name.clone()), "it stands there twice, with different texts");
            return Ok(());
        }
        let Some(target) = returned.target else {
            gathered.tally.waiting += 1;
            return Ok(());
        };
        if survey.pseudo || is_pseudo(&target) {
            gathered.tally.made_up += 1;
            let text = pseudo.entry((unit.entry, unit.field.clone())).or_default();
            text.insert(unit.block, target);
            return Ok(());
        }
        self.take(unit, into, target, gathered)
    }

    fn found(&self, returned: &Returned, into: &LanguageTag) -> Result<Option<BatchUnit>, BatchError> {
        let batch = self.batch.number;
        if let Some(id) = &returned.id {
            let Ok(id) = id.parse::<UnitId>() else { return Ok(None) };
            return Ok(self.store.batch_unit(batch, into, &id)?);
        }
        let Some(source) = &returned.source else { return Ok(None) };
        // The one that was sent comes before those that repeat it.
        let saying = self.store.batch_units_saying(batch, into, source, 0, 1)?;
        Ok(saying.into_iter().find(|unit| unit.origin != Origin::Repeated))
    }

    /// A translation that came back: checked, and settled where it is sound.
    fn take(
        &mut self,
        unit: BatchUnit,
        into: &LanguageTag,
        target: Inline,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let told = |outcome, reasons: Vec<String>| UnitRow {
            unit: unit.unit.id.to_string(),
            name: Some(unit.unit.name.clone()),
            language: into.clone(),
            outcome,
            reasons,
        };
        let is_same = unit.target.as_ref() == Some(&target);
        if is_same && unit.standing == UnitStanding::Accepted {
            gathered.tally.unchanged += 1;
            // Should we have been killed before the text was put together, it is now.
            gathered.pending.touch(&unit, into);
            return Ok(());
        }
        let Some(known) = self.sent_once(&unit, &mut gathered.pending.last)? else {
            gathered.tally.refused += 1;
            (gathered.row)(told("refused", vec!["its text is no longer translated by the brief".to_owned()]));
            return Ok(());
        };
        let (sent, field) = &*known;
        let (rejected, noted) = self.defects(&unit, sent, field, into, &target);
        if !rejected.is_empty() {
            let reasons: Vec<String> = rejected.into_iter().map(|defect| defect.message).collect();
            if unit.standing == UnitStanding::Accepted {
                gathered.tally.refused += 1;
                let mut reasons = reasons;
                reasons.push("a sound translation was accepted before, and stays".to_owned());
                (gathered.row)(told("refused", reasons));
                return Ok(());
            }
            if is_same && unit.standing == UnitStanding::Rejected && unit.reasons == reasons {
                gathered.tally.unchanged += 1;
                return Ok(());
            }
            gathered.tally.rejected += 1;
            (gathered.row)(told("rejected", reasons.clone()));
            gathered.pending.verdicts.push(UnitVerdict {
                text: unit.text,
                language: into.clone(),
                standing: UnitStanding::Rejected,
                target: Some(target),
                reasons,
            });
            return Ok(());
        }
        let notes = noted.into_iter().map(|defect| defect.message).collect();
        self.settle(&unit, sent, into, Sound { target, notes }, gathered)
    }

    /// A sound translation: accepted, or held where its text has changed since; and so are those of the
    /// same text elsewhere in the batch.
    fn settle(
        &mut self,
        unit: &BatchUnit,
        sent: &Sent,
        into: &LanguageTag,
        Sound { target, notes }: Sound,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let told = |unit: &BatchUnit, outcome, reasons: Vec<String>| UnitRow {
            unit: unit.unit.id.to_string(),
            name: Some(unit.unit.name.clone()),
            language: into.clone(),
            outcome,
            reasons,
        };
        let is_current = sent.still_says(&unit.unit.source);
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
            (gathered.row)(told(unit, standing.word(), reasons.clone()));
        }
        gathered.pending.verdicts.push(UnitVerdict {
            text: unit.text,
            language: into.clone(),
            standing,
            target: Some(target.clone()),
            reasons,
        });
        if unit.origin != Origin::Repeated {
            self.settle_repeated(&unit.unit.source, &target, into, gathered)?;
        }
        Ok(())
    }

    /// The same text elsewhere in the batch, which was not sent for it was there already.
    fn settle_repeated(
        &mut self,
        source: &Inline,
        target: &Inline,
        into: &LanguageTag,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), BatchError> {
        let mut after = 0;
        loop {
            let page = self.store.batch_units_saying(self.batch.number, into, source, after, TOGETHER)?;
            let Some(last) = page.last() else { return Ok(()) };
            after = last.text;
            for other in page {
                if other.origin == Origin::Repeated && other.standing != UnitStanding::Accepted {
                    self.take(other, into, target.clone(), gathered)?;
                }
            }
            if gathered.pending.verdicts.len() >= TOGETHER {
                self.note(into, gathered)?;
            }
        }
    }
}
