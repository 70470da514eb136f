//! Collecting: what comes back is checked unit by unit; the good go on, the rest say why not.

mod keep;
mod review;
mod sent;
mod source;
mod survey;
mod take;

use diaporos_core::translate::{Incoming, Inline, Returned, TextKey, UnitId, is_pseudo, read_units};
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchRow, BatchUnit, Origin, Store};
use jiff::Timestamp;

use super::BatchError;
use crate::config::Brief;
use keep::{Gathered, Pending, Pseudo, Together};
pub use review::{Decided, Decision};
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
    /// Not to be taken yet: of too early a state.
    pub pending: u64,
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
        self.pending += other.pending;
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
    /// What became of it: `accepted`, `pending`, `rejected`, `outdated`, `refused`.
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
    /// Who decides, where a person does.
    pub reviewer: Option<String>,
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
        self.take_text(&survey.language, &mut gathered)?;
        self.make_up(&survey.language, pseudo, &mut gathered.pending)?;
        self.note(&survey.language, &mut gathered)?;
        if survey.broken.is_none() {
            let of = (self.batch.number, &survey.language);
            self.store.note_collected(of, content, &source.name(), self.now)?;
        }
        Ok(Collected::Taken { language: survey.language, tally: gathered.tally, broken: survey.broken })
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
        if let Some(fault) = &returned.fault {
            refuse(Some(unit.unit.name.clone()), fault);
            return Ok(());
        }
        let Some(target) = returned.target else {
            gathered.tally.waiting += 1;
            return Ok(());
        };
        if let Err(why) = is_of_what_was_sent(returned.source.as_ref(), &unit.unit.source) {
            refuse(Some(unit.unit.name.clone()), why);
            return Ok(());
        }
        if survey.pseudo || is_pseudo(&target) {
            gathered.tally.made_up += 1;
            let text = pseudo.entry((unit.entry, unit.field.clone())).or_default();
            text.insert(unit.block, target);
            return Ok(());
        }
        match self.brief.rules(into).accept_from.keeps_back(returned.stage.as_ref()) {
            // What was offered, and nobody has touched, is not translated yet.
            Some(_) if is_offered(&unit, &target) => {
                gathered.tally.waiting += 1;
                Ok(())
            }
            waits => self.take_together(Together { unit, target, waits }, into, gathered),
        }
    }

    fn found(&self, returned: &Returned, into: &LanguageTag) -> Result<Option<BatchUnit>, BatchError> {
        let batch = self.batch.number;
        if let Some(id) = &returned.id {
            let Ok(id) = id.parse::<UnitId>() else { return Ok(None) };
            return Ok(self.store.batch_unit(batch, into, &id)?);
        }
        let Some(source) = &returned.source else { return Ok(None) };
        // The one that was sent comes before those that repeat it.
        let saying = self.store.batch_units_saying(batch, into, &TextKey::of(source, &[]), 0, 1)?;
        Ok(saying.into_iter().find(|unit| unit.origin != Origin::Repeated))
    }
}

/// Whether a translation is one that the file went out with, for its translator to mend.
fn is_offered(unit: &BatchUnit, target: &Inline) -> bool {
    let context = &unit.unit.context;
    let earlier = context.earlier.iter().map(|(_, earlier)| earlier);
    earlier.chain(context.near.iter().map(|near| &near.target)).any(|offered| offered == target)
}

/// Whether a unit's source is what was sent under its id. Tools may set its
/// spaces anew; its letters they may not touch.
fn is_of_what_was_sent(returned: Option<&Inline>, sent: &Inline) -> Result<(), &'static str> {
    let Some(returned) = returned else {
        return Err("it has no source that could be held against what was sent");
    };
    let (returned, sent) = (returned.plain(), sent.plain());
    let letters = |text: &str| -> String { text.chars().filter(|c| !c.is_whitespace()).collect() };
    if returned == sent || letters(&returned) == letters(&sent) {
        return Ok(());
    }
    Err("its source is not what was sent under this id: a tool changed it, or the file is of an earlier batch")
}
