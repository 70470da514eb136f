//! The windows of entries that a pass goes through.

use diaporos_core::plan::HoldReason;
use diaporos_core::value::LanguageTag;
use diaporos_store::{Due, DueFilter, IntentRecord, Standing, StoreError, Verdict};

use super::entry_plan::EntryPlan;
use super::flow::{Flow, PassEnd, Waiting};
use super::{Part, Push, PushError, SHARED_WINDOW, Unplanned, WINDOW};

impl Flow<'_, '_, '_> {
    /// The next entries after one.
    pub(super) fn due(&mut self, filter: DueFilter, from: i64) -> Result<Vec<Due>, StoreError> {
        let Push { store, lane, writer, chosen, part, clock, .. } = &mut *self.push;
        let name = &lane.lane.name;
        let is_first = from == 0;
        let mut due = match (chosen, part) {
            (Some(chosen), _) => chosen.due((store, name), filter, from, WINDOW),
            (None, Part::Whole) => store.due(name, filter, from, WINDOW),
            (None, Part::Hand) if !store.is_open(name, clock())? => Ok(Vec::new()),
            (None, Part::Lead | Part::Hand) => {
                let most = SHARED_WINDOW * writer.max_in_flight(&lane.lane.to.kind).max(1);
                store.claim_due(name, filter, (from, most.min(WINDOW)), clock())
            }
        }?;
        if is_first && self.options.dry_run {
            due.splice(..0, self.new_words());
        }
        Ok(due)
    }

    /// Leaves out what must not be looked at now.
    pub(super) fn wanted(&mut self, mut due: Vec<Due>, waiting: Waiting) -> Result<Vec<Due>, PushError> {
        if self.options.dry_run && waiting == Waiting::ForNone {
            due.retain(|due| self.put_off.contains(&due.number));
        }
        due.retain(|due| !self.in_doubt.contains(&due.number));
        // What another process began and did not end is settled by the next push, before anything is sent again.
        if self.push.part != Part::Whole {
            due.retain(|due| !due.is_in_doubt || self.unsettled.contains_key(&due.number));
        }
        let mut verdicts = Vec::new();
        for due in due.extract_if(.., |due| self.unsettled.contains_key(&due.number)) {
            if let Some(error) = self.unsettled.get(&due.number) {
                let unplanned =
                    Unplanned { looked: (due.number, due.touched), address: due.entry.address, error: error.clone() };
                unplanned.tell(HoldReason::InDoubt.word(), self.tally, &mut verdicts, self.row);
            }
        }
        if !verdicts.is_empty() {
            // Noted, so that it stands among the holds and no later pass of this run meets it again.
            self.push.store.note(&self.push.lane.lane.name, &verdicts, (self.push.clock)())?;
        }
        Ok(due)
    }

    /// Puts off what would make a document with a key that another process is about to make one with.
    pub(super) fn reserve(
        &mut self,
        sending: &mut Vec<(EntryPlan, Vec<IntentRecord>)>,
        verdicts: &mut Vec<Verdict>,
        end: &mut PassEnd,
    ) -> Result<(), PushError> {
        if self.push.part == Part::Whole {
            return Ok(());
        }
        let new = sending.iter().flat_map(|(plan, _)| plan.new_keys().map(|(key, tag)| (plan.number, key, tag)));
        let wanted: Vec<(i64, &str, Option<&LanguageTag>)> = new.collect();
        let refused = match wanted.is_empty() {
            true => Vec::new(),
            false => self.push.store.claim_keys(&self.push.lane.lane.name, &wanted, (self.push.clock)())?,
        };
        for (plan, _) in sending.extract_if(.., |(plan, _)| refused.contains(&plan.number)) {
            end.put_off += 1;
            verdicts.push(Verdict { standing: Standing::Owed, delivered: Vec::new(), ..plan.verdict() });
        }
        Ok(())
    }
}
