//! The passes of a push over one lane, one after the other, while one brings forth what others waited for.

use std::time::Duration;

use diaporos_store::DueFilter;

use super::breaker::Breaker;
use super::flow::{Doing, Flow, PassEnd, PassRules, Waiting};
use super::{Part, PushError, limits};

/// How often it is looked whether others are done.
pub(super) const LOOKED_EVERY: Duration = Duration::from_millis(20);

/// How often a push looks again for entries that others made due; a circle is closed by the first.
const LAST_LOOKS: u32 = 2;

impl Flow<'_, '_, '_> {
    /// Passes over what is due until nothing more comes of it. Gives whether the limits let everything go.
    ///
    /// # Errors
    /// Where the store fails or the destination for every entry.
    pub(super) async fn passes(
        &mut self,
        first: DueFilter,
        rules: PassRules,
        breaker: &Breaker<'_>,
    ) -> Result<Result<(), PushError>, PushError> {
        if self.push.part == Part::Hand {
            return self.help(rules, breaker).await.map(Ok);
        }
        if self.push.part == Part::Lead {
            self.push.store.open_lane(&self.push.lane.lane.name)?;
        }
        let mut end = self.pass(first, rules, breaker).await?;
        let (mut removals, mut adoptions) = (end.removals, end.adoptions);
        while !breaker.is_open() && end.put_off > 0 && end.sent > 0 {
            end = self.pass(DueFilter::Owed, rules, breaker).await?;
        }
        if self.options.dry_run && end.put_off > 0 {
            self.pass(first, PassRules { waiting: Waiting::ForNone, ..rules }, breaker).await?;
        }
        if self.push.part == Part::Lead {
            let rest = self.alone(rules, breaker).await?;
            (removals, adoptions) = (rest.removals, rest.adoptions);
        }
        let may_adopt =
            limits::ask_before_adopting(self.push.store, self.push.lane, adoptions, self.options.allow_adoptions);
        let adopting = if may_adopt.is_ok() { Doing::Now } else { Doing::NotYet };
        let mut more = adoptions > 0 && adopting == Doing::Now && !self.options.dry_run;
        while more && !breaker.is_open() {
            end = self.pass(DueFilter::Owed, PassRules { adopting, ..rules }, breaker).await?;
            more = end.put_off > 0 && end.sent > 0;
        }
        // What is to go goes last, when what is to stay no longer refers to it; and is asked about first.
        let may_remove =
            limits::ask_before_removing(self.push.store, self.push.lane, removals, self.options.allow_removals);
        let removing = if may_remove.is_ok() { Doing::Now } else { Doing::NotYet };
        let mut in_the_way = removals > 0 && removing == Doing::Now && !self.options.dry_run;
        while in_the_way && !breaker.is_open() {
            let rules = PassRules { waiting: Waiting::ForNone, removing: Doing::ThoseInTheWay, adopting };
            end = self.pass(DueFilter::Owed, rules, breaker).await?;
            in_the_way = end.put_off > 0 && end.sent > 0;
        }
        for _ in 0..LAST_LOOKS {
            if self.options.dry_run || breaker.is_open() {
                break;
            }
            self.pass(DueFilter::Owed, PassRules { waiting: Waiting::ForNone, removing, adopting }, breaker).await?;
        }
        Ok(may_adopt.and(may_remove))
    }

    /// Helps whoever leads with what is made and changed, while there is any.
    async fn help(&mut self, rules: PassRules, breaker: &Breaker<'_>) -> Result<(), PushError> {
        let mut sent = 1;
        while sent > 0 && !breaker.is_open() {
            sent = self.pass(DueFilter::Owed, rules, breaker).await?.sent;
        }
        Ok(())
    }

    /// Waits till nobody helps any more, and does what is left. From here on this process is the only one, and all that
    /// is to be taken away, or over, is counted before anything of it is.
    async fn alone(&mut self, rules: PassRules, breaker: &Breaker<'_>) -> Result<PassEnd, PushError> {
        let name = &self.push.lane.lane.name;
        self.push.store.close_lane(name)?;
        while !(self.push.stop)() && self.push.store.claimed_by_others(name, (self.push.clock)())? > 0 {
            tokio::time::sleep(LOOKED_EVERY).await;
        }
        let mut end = PassEnd { put_off: 1, sent: 1, ..PassEnd::default() };
        let first = end;
        while !breaker.is_open() && (end == first || (end.put_off > 0 && end.sent > 0)) {
            end = self.pass(DueFilter::Owed, rules, breaker).await?;
        }
        Ok(end)
    }
}
