//! What a person decides about translations that came back.

use diaporos_core::translate::{Inline, UnitId};
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchUnit, UnitStanding, UnitVerdict};

use super::keep::{Gathered, Pending};
use super::{CollectTally, Collector, Sound, TOGETHER, UnitRow};
use crate::batch::BatchError;

/// What a person decides about a translation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Decision {
    /// It is taken as it is.
    Accept,
    /// This is taken instead.
    Change(Inline),
    /// It goes back, for this reason.
    Reject(String),
}

/// A decision about a unit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Decided {
    /// The unit.
    pub id: UnitId,
    /// The translation that was looked at, where it is known: of another one nothing was decided.
    pub seen: Option<Inline>,
    /// What is decided.
    pub decision: Decision,
}

/// Whether a unit stands as it is decided.
fn is_so_already(unit: &BatchUnit, decision: &Decision) -> bool {
    match decision {
        Decision::Accept => unit.standing == UnitStanding::Accepted,
        Decision::Change(text) => unit.standing == UnitStanding::Accepted && unit.target.as_ref() == Some(text),
        Decision::Reject(reason) => {
            unit.standing == UnitStanding::Rejected && unit.reasons == std::slice::from_ref(reason)
        }
    }
}

impl Collector<'_> {
    /// Does what a person decides about units into a language. Each is told that cannot be done, with the
    /// reason; the others are done all the same.
    ///
    /// # Errors
    /// Where the store fails; what was decided before stays.
    pub fn decide(
        &mut self,
        into: &LanguageTag,
        decisions: impl IntoIterator<Item = Decided>,
        row: &mut dyn FnMut(UnitRow),
    ) -> Result<CollectTally, BatchError> {
        let (tally, pending) = (CollectTally::default(), Pending::default());
        let mut gathered = Gathered { tally, pending, row };
        for decided in decisions {
            let id = decided.id.clone();
            if let Err(why) = self.decided(decided, into, &mut gathered)? {
                gathered.tally.refused += 1;
                let (unit, language) = (id.to_string(), into.clone());
                (gathered.row)(UnitRow { unit, name: None, language, outcome: "refused", reasons: vec![why] });
            }
            if gathered.pending.verdicts.len() >= TOGETHER {
                self.note(into, &mut gathered)?;
            }
        }
        self.note(into, &mut gathered)?;
        Ok(gathered.tally)
    }

    /// One decision; why it cannot be done, where it cannot.
    fn decided(
        &mut self,
        Decided { id, seen, decision }: Decided,
        into: &LanguageTag,
        gathered: &mut Gathered<'_>,
    ) -> Result<Result<(), String>, BatchError> {
        let Some(unit) = self.store.batch_unit(self.batch.number, into, &id)? else {
            return Ok(Err(format!("`{id}` is not in this batch, into {into}")));
        };
        if is_so_already(&unit, &decision) {
            gathered.tally.unchanged += 1;
            return Ok(Ok(()));
        }
        if seen.is_some() && seen != unit.target {
            return Ok(Err(format!("another translation of `{id}` has come since this one was looked at")));
        }
        let target = match decision {
            Decision::Reject(reason) => return Ok(self.turn_down(unit, into, reason, gathered)),
            Decision::Accept if !matches!(unit.standing, UnitStanding::Pending | UnitStanding::Rejected) => {
                return Ok(Err(format!("`{id}` is not among the pending or rejected units into {into}")));
            }
            Decision::Accept => match unit.target.clone() {
                Some(target) => target,
                None => return Ok(Err(format!("`{id}` has no translation"))),
            },
            Decision::Change(target) => target,
        };
        let Some((sent, field)) = self.sent(&unit)? else {
            return Ok(Err(format!("the text of `{id}` is not there any more")));
        };
        let (rejected, noted) = self.defects(&unit, &sent, &field, into, &target);
        if let Some(defect) = rejected.iter().find(|defect| !defect.check.can_be_waived()) {
            return Ok(Err(format!("`{id}` cannot be taken: {}", defect.message)));
        }
        let notes = rejected.into_iter().chain(noted).map(|defect| defect.message).collect();
        self.settle(&unit, &sent, into, Sound { target, notes }, gathered)?;
        Ok(Ok(()))
    }

    /// A translation goes back, whatever it was taken for before; a value that came of it stays until
    /// another does.
    fn turn_down(
        &mut self,
        unit: BatchUnit,
        into: &LanguageTag,
        reason: String,
        gathered: &mut Gathered<'_>,
    ) -> Result<(), String> {
        let id = &unit.unit.id;
        if unit.target.is_none() {
            return Err(format!("`{id}` has not come back"));
        }
        if unit.standing == UnitStanding::Accepted {
            return Err(format!("`{id}` was accepted, and its text may be on view; change it instead"));
        }
        gathered.tally.rejected += 1;
        let reasons = vec![reason];
        gathered.tell(&unit, into, "rejected", reasons.clone());
        gathered.pending.verdicts.push(UnitVerdict {
            text: unit.text,
            language: into.clone(),
            standing: UnitStanding::Rejected,
            target: unit.target,
            reasons,
            reviewer: self.reviewer.clone(),
        });
        Ok(())
    }
}
