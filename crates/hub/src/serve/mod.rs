//! A hub that runs by itself: pulls systems at their times, and pushes lanes when something is owed.
//!
//! Each pull and each push is a job on a thread of its own, with a connection and leases of its own, so
//! that none waits for another and none takes another with it.

mod agenda;
mod facts;
mod jobs;
mod watch;

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use diaporos_core::value::{LaneName, SystemName};
use diaporos_store::{Leased, Store, StoreError};
use jiff::{SignedDuration, Timestamp};
use tokio::sync::Notify;
use tokio::task::JoinSet;

use crate::config::{Config, ConfiguredLane, Pushed};
use crate::leases::{Clock, Worker};

pub use agenda::{Facts, LaneFacts, Planned, When, Why, agenda};
pub use facts::facts;
pub use jobs::{Done, JobEnd};
use jobs::{Job, JobTools};
use watch::Watch;

/// How often it is looked whether something became due, at least: a machine that slept is noticed so.
const LOOKS_EVERY: Duration = Duration::from_secs(1);
/// How long work that is under way may take to end once `serve` is asked to.
pub const ENDS_WITHIN: Duration = Duration::from_secs(20);
/// How often conditions that depend on the time are asked anew; less often where that takes long.
const ASKED_ANEW_EVERY: SignedDuration = SignedDuration::from_mins(1);
/// How much longer than it took is waited till it is done again.
const SHARE_OF_TIME: i32 = 20;

/// How long what another process does is left alone.
const RESTS_WHERE_TAKEN: SignedDuration = SignedDuration::from_secs(2);
/// How long something is left alone after the store failed, or the program.
const RESTS_WHERE_BROKEN: SignedDuration = SignedDuration::from_secs(30);

/// What happened, for whoever tells it.
#[derive(Debug)]
pub enum Told {
    /// It runs, with so many systems that have times.
    Runs {
        /// How many systems are pulled by themselves.
        systems: usize,
        /// How many lanes are pushed by themselves.
        lanes: usize,
    },
    /// A job came to its end.
    Done(Done),
    /// The configuration changed, and is taken over.
    Reloaded,
    /// The configuration changed, and is faulty; the one before goes on.
    Refused(String),
    /// It was asked to end, and so many jobs are under way.
    Ending(usize),
}

/// What it is run with.
pub struct Serve {
    /// The hub's folder, whose files are watched.
    pub folder: PathBuf,
    /// Reads the configuration anew; the fault where it has one.
    pub load: Box<dyn Fn() -> Result<Config, String>>,
    /// This process.
    pub worker: Arc<Worker>,
    /// A variable of the environment.
    pub variable: fn(&str) -> Option<String>,
    /// The clock.
    pub clock: Clock,
    /// Who runs it.
    pub who: String,
    /// What is asked of it from outside.
    pub asked: Arc<Asked>,
    /// Takes note of what happens.
    pub tell: Box<dyn FnMut(&Told)>,
}

/// What is asked of it from outside, at any time.
#[derive(Debug, Default)]
pub struct Asked {
    ending: AtomicBool,
    reload: AtomicBool,
    something: Notify,
}

impl Asked {
    /// Asks it to end: what is under way is finished.
    pub fn end(&self) {
        self.ending.store(true, Ordering::Relaxed);
        self.something.notify_one();
    }

    /// Asks it to read its configuration anew.
    pub fn reload(&self) {
        self.reload.store(true, Ordering::Relaxed);
        self.something.notify_one();
    }

    /// Asks it to look whether something became due.
    pub fn look(&self) {
        self.something.notify_one();
    }

    /// Whether it is to end.
    pub fn is_ending(&self) -> bool {
        self.ending.load(Ordering::Relaxed)
    }
}

/// What is under way.
#[derive(Default)]
struct Underway {
    jobs: JoinSet<Done>,
    busy: BTreeSet<Leased>,
    by_job: BTreeMap<tokio::task::Id, Vec<Leased>>,
    /// What is left alone for a moment, because another process does it, or the store failed.
    rests: BTreeMap<Leased, Timestamp>,
}

impl Underway {
    fn is_busy(&self, what: &Leased) -> bool {
        self.busy.contains(what)
    }

    /// Whether something is left alone for a moment.
    fn rests(&self, what: &Leased, now: Timestamp) -> bool {
        self.rests.get(what).is_some_and(|until| *until > now)
    }
}

impl Serve {
    /// Runs until it is asked to end. What is under way then is finished, for at most [`ENDS_WITHIN`]; what is
    /// not finished by then is left as a crash would leave it, and the next run goes on with it.
    ///
    /// # Errors
    /// Where the store fails.
    pub async fn run(mut self, config: Config) -> Result<(), StoreError> {
        let started = (self.clock)();
        let mut config = Arc::new(config);
        let mut store = Store::open_for_change(&config.store_file())?;
        crate::look::register_lanes(&config, &mut store, started)?;
        let mut watch = Watch::of(&self.folder);
        let mut read_at = started;
        let mut underway = Underway::default();
        let runs = runs(&config);
        (self.tell)(&runs);
        while !self.asked.is_ending() {
            let now = (self.clock)();
            let is_asked = self.asked.reload.swap(false, Ordering::Relaxed);
            if is_asked || watch.has_changed() || is_to_be_asked_anew(&config, &store, read_at, now)? {
                let is_told = is_asked || watch.changed_since_told();
                if let Some(read) = self.take_over(&mut store, is_told, now)? {
                    config = read;
                }
                read_at = now;
            }
            let planned = agenda(&config, &facts(&config, &store, started, now)?);
            let wait = self.start_due(&config, &planned, &mut underway, now);
            tokio::select! {
                Some(ended) = underway.jobs.join_next_with_id(), if !underway.jobs.is_empty() => {
                    self.conclude(ended, &mut underway);
                }
                () = tokio::time::sleep(wait) => {}
                () = self.asked.something.notified() => {}
            }
        }
        self.end(underway).await;
        Ok(())
    }

    /// Reads the configuration anew and takes it over where it is sound.
    fn take_over(
        &mut self,
        store: &mut Store,
        is_told: bool,
        now: Timestamp,
    ) -> Result<Option<Arc<Config>>, StoreError> {
        match (self.load)() {
            Ok(config) => {
                // A lane that is to have other ends under its old name is refused by the store alone.
                if let Err(error) = crate::look::register_lanes(&config, store, now) {
                    if !matches!(error, StoreError::Lane { .. }) {
                        return Err(error);
                    }
                    (self.tell)(&Told::Refused(error.to_string()));
                    return Ok(None);
                }
                if is_told {
                    (self.tell)(&Told::Reloaded);
                }
                Ok(Some(Arc::new(config)))
            }
            Err(fault) => {
                if is_told {
                    (self.tell)(&Told::Refused(fault));
                }
                Ok(None)
            }
        }
    }

    /// Starts what is due, and says how long nothing more is.
    fn start_due(
        &self,
        config: &Arc<Config>,
        planned: &[Planned],
        underway: &mut Underway,
        now: Timestamp,
    ) -> Duration {
        let mut wait = LOOKS_EVERY;
        let mut pushes: BTreeMap<&SystemName, Vec<LaneName>> = BTreeMap::new();
        for Planned { what, when } in planned {
            let When::At { moment, .. } = when else { continue };
            if underway.rests(what, now) {
                continue;
            }
            if *moment > now {
                wait = wait.min(moment.duration_since(now).unsigned_abs());
                continue;
            }
            match what {
                Leased::System(system) if !underway.is_busy(what) => {
                    self.start(config, Job::Pull(system.clone()), vec![what.clone()], underway);
                }
                Leased::Lane(name) => {
                    let lane = config.lanes.get(name);
                    if let Some(lane) = lane.filter(|lane| !is_pushed(config, &lane.lane.to.system, underway)) {
                        pushes.entry(&lane.lane.to.system).or_default().push(name.clone());
                    }
                }
                _ => {}
            }
        }
        for lanes in pushes.into_values() {
            let what = lanes.iter().cloned().map(Leased::Lane).collect();
            self.start(config, Job::Push(lanes), what, underway);
        }
        wait
    }

    fn start(&self, config: &Arc<Config>, job: Job, what: Vec<Leased>, underway: &mut Underway) {
        underway.busy.extend(what.iter().cloned());
        let tools = JobTools {
            config: Arc::clone(config),
            worker: Arc::clone(&self.worker),
            variable: self.variable,
            clock: self.clock,
            who: self.who.clone(),
            asked: Arc::clone(&self.asked),
        };
        let handle = tokio::runtime::Handle::current();
        let run = move || handle.block_on(tools.run(job));
        let id = underway.jobs.spawn_blocking(run).id();
        underway.by_job.insert(id, what);
    }

    /// Takes note of a job that came to its end. One that panicked takes no other with it.
    fn conclude(&mut self, ended: Result<(tokio::task::Id, Done), tokio::task::JoinError>, underway: &mut Underway) {
        let id = match &ended {
            Ok((id, _)) => *id,
            Err(error) => error.id(),
        };
        let what = underway.by_job.remove(&id).unwrap_or_default();
        underway.busy.retain(|busy| !what.contains(busy));
        let done = match ended {
            Ok((_, done)) => done,
            Err(error) => Done { what, end: JobEnd::Broken(error.to_string()) },
        };
        let rest = match &done.end {
            JobEnd::Taken(_) => Some(RESTS_WHERE_TAKEN),
            JobEnd::Store(_) | JobEnd::Broken(_) => Some(RESTS_WHERE_BROKEN),
            JobEnd::Pulled(_) | JobEnd::Pushed(_) | JobEnd::NotBegun(_) => None,
        };
        if let Some(rest) = rest {
            let until = (self.clock)() + rest;
            underway.rests.extend(done.what.iter().map(|what| (what.clone(), until)));
        }
        (self.tell)(&Told::Done(done));
    }

    /// Lets what is under way come to its end.
    async fn end(&mut self, mut underway: Underway) {
        if underway.jobs.is_empty() {
            return;
        }
        (self.tell)(&Told::Ending(underway.jobs.len()));
        let all = async {
            while let Some(ended) = underway.jobs.join_next_with_id().await {
                self.conclude(ended, &mut underway);
            }
        };
        // What is not finished in time is as if it had been killed, and the next run settles it.
        let _ = tokio::time::timeout(ENDS_WITHIN, all).await;
    }
}

/// What a hub does by itself.
fn runs(config: &Config) -> Told {
    Told::Runs {
        systems: config.systems.values().filter(|system| system.pulled.is_some() && system.can_be_read()).count(),
        lanes: config.lanes.values().filter(|lane| lane.pushing.when != Pushed::ByHand).count(),
    }
}

/// Whether lanes to a system are being pushed; they share its limits, and refer to each other's entries.
fn is_pushed(config: &Config, system: &SystemName, underway: &Underway) -> bool {
    let leads_there = |lane: &&ConfiguredLane| lane.lane.to.system == *system;
    let mut lanes = config.lanes.values().filter(leads_there);
    lanes.any(|lane| underway.is_busy(&Leased::Lane(lane.lane.name.clone())))
}

/// Whether conditions that depend on the time are to be asked anew.
fn is_to_be_asked_anew(config: &Config, store: &Store, read: Timestamp, now: Timestamp) -> Result<bool, StoreError> {
    let mut of_time = config.lanes.values().filter(|lane| lane.lane.depends_on_time()).peekable();
    if now.duration_since(read) < ASKED_ANEW_EVERY || of_time.peek().is_none() {
        return Ok(false);
    }
    let work = store.work()?;
    let took = of_time.filter_map(|lane| {
        let last = work.get(&Leased::Lane(lane.lane.name.clone()).to_string())?;
        Some(last.ended.duration_since(last.began))
    });
    let longest = took.max().unwrap_or_default();
    Ok(now.duration_since(read) >= longest.checked_mul(SHARE_OF_TIME).unwrap_or(SignedDuration::MAX))
}
