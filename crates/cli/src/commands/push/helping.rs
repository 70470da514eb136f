//! Where others push the same lanes of a hub whose store is on a server, a push helps them before its own turn comes.

use std::time::{Duration, Instant};

use diaporos_core::value::LaneName;
use diaporos_hub::config::Config;
use diaporos_hub::leases::LeasedStore;
use diaporos_hub::push::{Author, PushRow, PushRun, PushSummary, Target};
use diaporos_store::{Leased, StoreError};

use crate::context::{Context, WAITS_FOR_LEASE, WorkStore};
use crate::error::Failure;
use crate::output::{Progress, note, one_line};

/// How often it is looked whether its turn has come.
const LOOKED_EVERY: Duration = Duration::from_millis(50);

/// What a push helps with.
pub(super) struct Helping<'a> {
    pub(super) config: &'a Config,
    pub(super) targets: &'a [Target<'a>],
    pub(super) author: Author<'a>,
    pub(super) stop: &'a (dyn Fn() -> bool + Sync),
    /// Whether others may help with it, and it with theirs.
    pub(super) is_shared: bool,
}

impl Helping<'_> {
    /// Helps until the leases are free, and takes them. Gives what was done by then, with the store.
    pub(super) async fn until_led(
        &self,
        leases: &[Leased],
        progress: &mut Progress,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<(WorkStore, PushSummary), Failure> {
        let mut helped = PushSummary::default();
        if !self.is_shared || self.config.store.url.is_none() {
            return Ok((Context::store_leased(self.config, leases, self.author.command)?, helped));
        }
        let worker = Context::worker(self.config)?;
        let mut store = LeasedStore::new(Context::store_for_change(self.config)?);
        let mut waited = Instant::now();
        let mut is_told = false;
        loop {
            match worker.take(&mut store, leases, self.author.command) {
                Ok(()) => return Ok((Context::with_leases(store, worker), helped)),
                Err(error @ StoreError::Leased(_)) => {
                    // Another push comes to its end, and this one's turn with it.
                    if matches!(&error, StoreError::Leased(row) if row.doing.starts_with("push")) {
                        waited = Instant::now();
                    }
                    if !std::mem::replace(&mut is_told, true) {
                        note(&one_line(&format!("helping, or waiting: {error}")));
                    }
                    if (self.stop)() || waited.elapsed() > WAITS_FOR_LEASE {
                        return Err(error.into());
                    }
                }
                Err(error) => return Err(error.into()),
            }
            let mut hand = LeasedStore::new(Context::store_for_change(self.config)?);
            let hands: Vec<Leased> = self.targets.iter().map(|target| worker.hand(&target.lane.lane.name)).collect();
            worker.take(&mut hand, &hands, self.author.command)?;
            let (targets, stop) = (self.targets, self.stop);
            let mut run = PushRun { store: &mut hand, targets, chosen: None, own: None, clock: &Context::now, stop };
            if let Some(done) = run.help(self.author, progress, row).await? {
                helped.tally += done.tally;
                waited = Instant::now();
            }
            drop(hand);
            tokio::time::sleep(LOOKED_EVERY).await;
        }
    }
}
