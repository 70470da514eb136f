//! The jobs that are under way.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::value::SystemName;
use diaporos_store::Leased;
use jiff::{SignedDuration, Timestamp};
use tokio::task::{Id, JoinError, JoinSet};

use super::jobs::{Done, Job, JobEnd, JobTools};
use crate::config::Config;

/// How long what another process does is left alone.
const RESTS_WHERE_TAKEN: SignedDuration = SignedDuration::from_secs(2);
/// How long something is left alone after the store failed, or the program.
const RESTS_WHERE_BROKEN: SignedDuration = SignedDuration::from_secs(30);

/// The jobs that are under way.
#[derive(Default)]
pub(super) struct Underway {
    jobs: JoinSet<Done>,
    busy: BTreeSet<Leased>,
    by_job: BTreeMap<Id, Vec<Leased>>,
    /// What is left alone for a moment, because another process does it, or the store failed.
    rests: BTreeMap<Leased, Timestamp>,
}

/// A job that ended, as the runtime tells it.
pub(super) type Ended = Result<(Id, Done), JoinError>;

impl Underway {
    /// How many there are.
    pub(super) fn count(&self) -> usize {
        self.jobs.len()
    }

    /// Whether something can be begun now: nobody does it, and it is not left alone for a moment.
    pub(super) fn is_free(&self, what: &Leased, now: Timestamp) -> bool {
        !self.busy.contains(what) && self.rests.get(what).is_none_or(|until| *until <= now)
    }

    /// Whether lanes to a system are being pushed; they share its limits, and refer to each other's entries.
    pub(super) fn is_pushed(&self, config: &Config, system: &SystemName) -> bool {
        let mut lanes = config.lanes.values().filter(|lane| lane.lane.to.system == *system);
        lanes.any(|lane| self.busy.contains(&Leased::Lane(lane.lane.name.clone())))
    }

    /// Begins a job on a thread of its own.
    pub(super) fn start(&mut self, job: Job, tools: JobTools) {
        let what = job.leases();
        self.busy.extend(what.iter().cloned());
        let handle = tokio::runtime::Handle::current();
        let id = self.jobs.spawn_blocking(move || handle.block_on(tools.run(job))).id();
        self.by_job.insert(id, what);
    }

    /// The next job that comes to its end; none where none is under way.
    pub(super) async fn next(&mut self) -> Option<Ended> {
        self.jobs.join_next_with_id().await
    }

    /// Takes note of a job that came to its end. One that panicked takes no other with it.
    pub(super) fn conclude(&mut self, ended: Ended, now: Timestamp) -> Done {
        let id = match &ended {
            Ok((id, _)) => *id,
            Err(error) => error.id(),
        };
        let what = self.by_job.remove(&id).unwrap_or_default();
        self.busy.retain(|busy| !what.contains(busy));
        let done = match ended {
            Ok((_, done)) => done,
            Err(error) => Done { what, end: JobEnd::Broken(error.to_string()) },
        };
        let rest = match &done.end {
            JobEnd::Taken(_) => Some(RESTS_WHERE_TAKEN),
            JobEnd::Store(_) | JobEnd::Broken(_) | JobEnd::NotTold(_) => Some(RESTS_WHERE_BROKEN),
            JobEnd::Pulled(_)
            | JobEnd::Looked(_)
            | JobEnd::Pushed(_)
            | JobEnd::Told(_)
            | JobEnd::Tidied(_)
            | JobEnd::Launched(_)
            | JobEnd::Subscribed(_)
            | JobEnd::Batched(_)
            | JobEnd::Collected(_)
            | JobEnd::NotBegun(_) => None,
        };
        self.rests.retain(|_, until| *until > now);
        if let Some(rest) = rest {
            self.rests.extend(done.what.iter().map(|what| (what.clone(), now + rest)));
        }
        done
    }
}
