//! Listing again, for what moved between pages while they were read.

use std::collections::HashSet;

use diaporos_store::StoreError;

use super::{PullListing, Stopped};

/// How often a type is listed again in one pull, for what may have been missed.
const FURTHER_LOOKS: u32 = 3;

impl PullListing<'_, '_> {
    /// An item may be missed when others come or go while we read. What a listing lacks, an entry or a
    /// language of one, is looked for in a second listing before it counts as gone; and where later pulls
    /// ask for changes alone, what was missed would never come, so that it is looked for as well.
    pub(super) async fn look_again(&mut self, since: Option<&str>) -> Result<(), Stopped> {
        if !self.capabilities.items_move || !self.wants_another_look(since)? {
            return Ok(());
        }
        for _ in 0..FURTHER_LOOKS {
            if !self.another_look(since).await? {
                return Ok(());
            }
        }
        self.count.doubt("entries move from page to page faster than they can be read".to_owned());
        Ok(())
    }

    fn wants_another_look(&self, since: Option<&str>) -> Result<bool, StoreError> {
        if self.capabilities.since && self.count.pages() > 1 || self.count.speaks_against(self.shown()).is_some() {
            return Ok(true);
        }
        Ok(since.is_none() && self.seen.count() > 0 && self.missing()? > 0)
    }

    /// Lists once more, and says whether that showed anything that was not seen before, or changed since.
    async fn another_look(&mut self, since: Option<&str>) -> Result<bool, Stopped> {
        tracing::debug!(system = %self.key.0, kind = %self.key.1, "listing again for what may have been missed");
        let first = (std::mem::take(&mut self.seen), std::mem::take(&mut self.row.tally));
        let told = std::mem::take(&mut self.row.problems);
        let listed = self.list_from(since, false).await;
        let again = std::mem::replace(&mut self.row.problems, told);
        let known: HashSet<String> = self.row.problems.iter().cloned().collect();
        self.row.problems.extend(again.into_iter().filter(|problem| !known.contains(problem)));
        let second = std::mem::replace(&mut self.row.tally, first.1);
        let shown = first.0.count();
        self.seen.add(&first.0);
        if self.capabilities.parts.is_none() {
            // What both listings showed counts once; what the second found new or changed is so.
            let tally = &mut self.row.tally;
            tally.pulled += self.seen.count() - shown;
            tally.new += second.new;
            tally.changed += second.changed;
            tally.unchanged = tally.pulled.saturating_sub(tally.new + tally.changed);
        }
        listed?;
        Ok(self.seen.count() > shown || second.changed > 0)
    }
}
