//! What the loop, its jobs and those who look share.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, RwLock};

use diaporos_store::Leased;
use jiff::Timestamp;

use super::hooks::CallCounts;
use super::known_hubs::KnownHubs;
use crate::config::Config;
use crate::{Event, Listener};

/// How far a job is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Progress {
    /// When it began.
    pub(super) since: Timestamp,
    /// Entries it is done with.
    pub(super) done: u64,
    /// How many there are in all, where that is known.
    pub(super) total: Option<u64>,
}

/// What the loop, its jobs and those who look share.
pub(super) struct Shared {
    config: RwLock<Arc<Config>>,
    running: Mutex<BTreeMap<String, Progress>>,
    fault: Mutex<Option<String>>,
    pub(super) counts: CallCounts,
    /// The subscriptions by which hubs call.
    pub(super) hubs: KnownHubs,
    pub(super) started: Timestamp,
}

fn held<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Shared {
    pub(super) fn new(config: Arc<Config>, started: Timestamp) -> Shared {
        let (running, fault, counts) = (Mutex::default(), Mutex::default(), CallCounts::default());
        Shared { config: RwLock::new(config), running, fault, counts, hubs: KnownHubs::default(), started }
    }

    /// The configuration that counts now.
    pub(super) fn config(&self) -> Arc<Config> {
        Arc::clone(&self.config.read().unwrap_or_else(PoisonError::into_inner))
    }

    pub(super) fn set_config(&self, config: Arc<Config>) {
        *self.config.write().unwrap_or_else(PoisonError::into_inner) = config;
    }

    /// Why the configuration as it is now is not taken over.
    pub(super) fn fault(&self) -> Option<String> {
        held(&self.fault).clone()
    }

    pub(super) fn set_fault(&self, fault: Option<String>) {
        *held(&self.fault) = fault;
    }

    /// What runs in this process now.
    pub(super) fn running(&self) -> BTreeMap<String, Progress> {
        held(&self.running).clone()
    }

    pub(super) fn began(&self, what: &[Leased], since: Timestamp) {
        let progress = Progress { since, done: 0, total: None };
        held(&self.running).extend(what.iter().map(|what| (what.to_string(), progress)));
    }

    pub(super) fn ended(&self, what: &[Leased]) {
        held(&self.running).retain(|name, _| what.iter().all(|ended| ended.to_string() != *name));
    }
}

/// Keeps how far a job is.
pub(super) struct Progressing(pub(super) Arc<Shared>);

impl Progressing {
    fn set(&self, what: &Leased, change: impl FnOnce(&mut Progress)) {
        if let Some(progress) = held(&self.0.running).get_mut(&what.to_string()) {
            change(progress);
        }
    }
}

impl Listener for Progressing {
    fn on(&mut self, event: Event) {
        match event {
            Event::PullBegan { .. } => {}
            Event::PageTaken { system, entries, total, .. } => {
                self.set(&Leased::System(system), |progress| (progress.done, progress.total) = (entries, total));
            }
            Event::PushBegan { lane, entries } => self.set(&Leased::Lane(lane), |progress| {
                (progress.done, progress.total) = (0, Some(entries));
            }),
            Event::EntryDone { lane, .. } => self.set(&Leased::Lane(lane), |progress| progress.done += 1),
        }
    }
}
