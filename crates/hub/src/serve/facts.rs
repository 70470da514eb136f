//! What is known of a hub, gathered from its store.

use diaporos_store::{BatchStanding, Slate, SlateStanding, Standing, Store, StoreError};
use jiff::Timestamp;

use super::agenda::{Facts, LaneFacts};
use crate::config::Config;
use crate::look::lane_record;

/// What is known of a hub at a moment. A lane that the store does not know as it is configured owes a look at
/// all its entries.
///
/// # Errors
/// Where the store fails.
pub fn facts(config: &Config, store: &Store, started: Timestamp, now: Timestamp) -> Result<Facts, StoreError> {
    let mut facts = Facts { work: store.work()?, pauses: store.pauses(now)?, started, ..Facts::default() };
    if config.briefs.values().any(|brief| brief.times.collected.is_some()) {
        let out = store.batches()?.into_iter().filter(|batch| batch.standing == BatchStanding::Sent);
        facts.out = out.map(|batch| batch.brief).collect();
    }
    let due = |slate: Slate| match slate.standing {
        SlateStanding::Open => Some((slate.name, slate.launch_at?)),
        // A launch that was broken off is finished.
        SlateStanding::Saving | SlateStanding::Showing => Some((slate.name, slate.launch_at.unwrap_or(slate.made))),
        SlateStanding::Launched | SlateStanding::Cancelled => None,
    };
    facts.slates = store.slates()?.into_iter().filter_map(due).collect();
    for (name, lane) in &config.lanes {
        let counts = store.counts(lane_record(lane))?;
        let of =
            |standing: Standing| counts.as_ref().map_or(1, |counts| counts.get(&standing).copied().unwrap_or_default());
        let waiting = of(Standing::Held) + of(Standing::Failed);
        let known = LaneFacts { owed: of(Standing::Owed), waiting, has_run: store.has_run(name)? };
        facts.lanes.insert(name.clone(), known);
    }
    Ok(facts)
}
