//! A run of pushes: lanes gone through in rounds, begun and ended in the ledger.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use diaporos_core::value::{LaneName, SystemName};
use diaporos_store::{Fault, Leased, Standing, Store, StoreError};
use diaporos_systems::Write;
use diaporos_systems::service::Services;
use jiff::Timestamp;
use serde_json::{Map, Value as Json};

use super::{Chosen, NewWords, Part, Push, PushError, PushOptions, PushRow, PushTally, Showing};
use crate::config::{Config, ConfiguredLane, OWN};
use crate::look::lane_record;
use crate::outputs::{OutputError, make_output};
use crate::own::make_own;
use crate::{ConnectError, Connector, Listener};

/// How often lanes are gone through: the second time for what waited for an entry of another lane, the
/// third for circles.
const ROUNDS: u32 = 3;

/// A lane with its destination, which is set up before anything is sent to the first.
pub struct Target<'a> {
    /// The lane.
    pub lane: &'a ConfiguredLane,
    /// What writes to its destination; lanes to one system share it, and with it the system's limits.
    pub writer: Arc<dyn Write>,
    /// The services that lanes use.
    pub services: Arc<Services>,
}

impl<'a> Target<'a> {
    /// Each lane with its destination, in order.
    ///
    /// # Errors
    /// Where one cannot be set up.
    pub fn of(lanes: &[&'a ConfiguredLane], connector: &Connector<'_>) -> Result<Vec<Target<'a>>, ConnectError> {
        let mut writers: HashMap<&SystemName, Arc<dyn Write>> = HashMap::new();
        let services = Arc::new(connector.services(lanes.iter().copied())?);
        let mut targets = Vec::with_capacity(lanes.len());
        for lane in lanes {
            let system = &lane.lane.to.system;
            let writer = match writers.get(system) {
                Some(writer) => Arc::clone(writer),
                None => Arc::from(connector.writer(system)?),
            };
            writers.insert(system, Arc::clone(&writer));
            targets.push(Target { lane, writer, services: Arc::clone(&services) });
        }
        Ok(targets)
    }

    /// Whether its entries are the hub's own.
    #[must_use]
    pub fn is_own(&self) -> bool {
        self.lane.lane.from.system.as_str() == OWN
    }

    /// Whether the destination can save without showing.
    #[must_use]
    pub fn shows_apart(&self) -> bool {
        self.writer.shows_apart(&self.lane.lane.to.kind)
    }
}

/// Who pushes, by which command; none for a dry run, of which nothing is noted.
#[derive(Debug, Clone, Copy)]
pub struct Author<'a> {
    /// The command, as it is shown in the ledger.
    pub command: &'a str,
    /// The user, the machine, the program.
    pub who: &'a str,
}

/// A push of lanes, one after the other and in rounds.
pub struct PushRun<'a> {
    /// The store, open for change.
    pub store: &'a mut Store,
    /// The lanes, in order.
    pub targets: &'a [Target<'a>],
    /// The entries of each lane that are pushed alone; all that are due where none are chosen.
    pub chosen: Option<&'a BTreeMap<LaneName, Chosen>>,
    /// By what lists and outlines are made anew before their lanes are pushed, where all is pushed that is due, and
    /// outputs after; they are left as they are where nothing is given.
    pub own: Option<&'a Config>,
    /// The time.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
    /// Whether it is to end; what is under way is finished.
    pub stop: &'a (dyn Fn() -> bool + Sync),
}

/// What became of a run.
#[derive(Debug, Default)]
pub struct PushSummary {
    /// The run's number in the ledger; none of a dry run.
    pub run: Option<i64>,
    /// What was done, on all lanes.
    pub tally: PushTally,
    /// The lanes that stopped, and why.
    pub stopped: Vec<(LaneName, PushError)>,
    /// Files of outputs that were written.
    pub files_written: u64,
    /// Files of outputs that were removed.
    pub files_removed: u64,
    /// What is wrong with lists, outlines and outputs.
    pub problems: Vec<String>,
}

impl PushSummary {
    /// The counts, by their words.
    #[must_use]
    pub fn counts(&self) -> Map<String, Json> {
        let others = [
            ("settled", self.tally.settled),
            ("requests", self.tally.requests),
            ("drifted", self.tally.drifted),
            ("asked", self.tally.asked),
            ("stopped", self.stopped.len() as u64),
        ];
        self.tally.entries().into_iter().chain(others).map(|(name, count)| (name.to_owned(), count.into())).collect()
    }
}

impl PushRun<'_> {
    /// Pushes the lanes. Rows are handed over as they are planned or done. A lane that stops is told, and
    /// the others go on.
    ///
    /// # Errors
    /// Where the store cannot be written before or after the lanes.
    pub async fn run(
        &mut self,
        options: PushOptions,
        author: Author<'_>,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<PushSummary, StoreError> {
        let now = (self.clock)();
        let run = if options.dry_run { None } else { Some(self.store.begin_run(author.command, author.who, now)?) };
        let summary = self.rounds(run, options, listener, row).await?;
        if let Some(run) = run {
            self.store.end_run(run, &Json::Object(summary.counts()).to_string(), (self.clock)())?;
        }
        Ok(summary)
    }

    /// Helps other processes with those of the lanes that they push now and let others help with. Gives none where there
    /// is nothing to help with.
    ///
    /// # Errors
    /// Where the store fails.
    pub async fn help(
        &mut self,
        author: Author<'_>,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<Option<PushSummary>, StoreError> {
        let mut summary = PushSummary::default();
        for Target { lane, writer, services } in self.targets {
            let name = &lane.lane.name;
            if (self.stop)() || !self.store.is_open(name, (self.clock)())? {
                continue;
            }
            let run = match summary.run {
                Some(run) => run,
                None => self.store.begin_run(author.command, author.who, (self.clock)())?,
            };
            summary.run = Some(run);
            let mut push = Push {
                part: Part::Hand,
                services,
                words: &mut NewWords::new(),
                store: self.store,
                lane,
                writer: writer.as_ref(),
                run,
                chosen: None,
                later: &[],
                clock: self.clock,
                stop: self.stop,
            };
            let (tally, end) = push.run(PushOptions::default(), listener, &mut |told| row(name, told)).await;
            summary.tally += PushTally { unchanged: 0, ..tally };
            // Whoever leads meets it too, and tells it.
            if let Err(error) = end {
                tracing::warn!("helping with the lane {name} ended: {error}");
            }
        }
        if let Some(run) = summary.run {
            self.store.end_run(run, &Json::Object(summary.counts()).to_string(), (self.clock)())?;
        }
        Ok(summary.run.map(|_| summary))
    }

    /// The same within a run that was begun, and is ended, by whoever calls.
    ///
    /// # Errors
    /// As of [`PushRun::run`].
    pub async fn run_within(
        &mut self,
        run: i64,
        options: PushOptions,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<PushSummary, StoreError> {
        self.rounds(Some(run), options, listener, row).await
    }

    async fn rounds(
        &mut self,
        run: Option<i64>,
        options: PushOptions,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<PushSummary, StoreError> {
        let mut summary = PushSummary { run, ..PushSummary::default() };
        // Lists and outlines last, since what is in them depends on what is there.
        let (own, mut targets): (Vec<&Target<'_>>, Vec<_>) = self.targets.iter().partition(|target| target.is_own());
        let first_own = targets.len();
        targets.extend(own);
        let mut words = NewWords::new();
        let names: Vec<LaneName> = targets.iter().map(|target| target.lane.lane.name.clone()).collect();
        for round in 0..ROUNDS {
            for (place, Target { lane, writer, services }) in targets.iter().enumerate() {
                if place == first_own && !options.dry_run && self.chosen.is_none() {
                    self.make_own(&mut summary)?;
                }
                let is_over = summary.stopped.iter().any(|(name, _)| *name == lane.lane.name) || (self.stop)();
                if round > 0 && (is_over || options.dry_run || !owes(self.store, lane)?) {
                    continue;
                }
                let chosen = self.chosen.and_then(|chosen| chosen.get(&lane.lane.name));
                let is_shared = chosen.is_none() && !options.dry_run && self.store.shares(&lane.lane.name);
                let mut push = Push {
                    part: if is_shared { Part::Lead } else { Part::Whole },
                    services,
                    words: &mut words,
                    store: self.store,
                    lane,
                    writer: writer.as_ref(),
                    run: run.unwrap_or_default(),
                    chosen,
                    later: if round == 0 { names.get(place + 1..).unwrap_or_default() } else { &[] },
                    clock: self.clock,
                    stop: self.stop,
                };
                // A word belongs to no launch: it is there for all entries that have it.
                let showing = if lane.is_of_words() { Showing::AtOnce } else { options.showing };
                let options = PushOptions { only_owed: options.only_owed || round > 0, showing, ..options };
                let began = (self.clock)();
                let (tally, end) = push.run(options, listener, &mut |told| row(&lane.lane.name, told)).await;
                summary.tally += tally;
                // Some entries say nothing of the lane as a whole.
                if run.is_some() && self.chosen.is_none() {
                    self.note(lane, began, &end)?;
                }
                summary.stopped.extend(end.err().map(|error| (lane.lane.name.clone(), error)));
            }
        }
        if !options.dry_run {
            self.make_outputs(&mut summary).await?;
        }
        Ok(summary)
    }

    /// Makes the outputs of what was pushed to anew.
    async fn make_outputs(&mut self, summary: &mut PushSummary) -> Result<(), StoreError> {
        let Some(config) = self.own else { return Ok(()) };
        for (name, output) in &config.outputs {
            let mut pushed = self.targets.iter().filter(|target| target.lane.lane.to.system == output.of);
            let Some(target) = pushed.next() else { continue };
            match make_output(config, self.store, output, target.writer.as_ref(), (self.clock)()).await {
                Ok(tally) => {
                    let told = tally.problems.into_iter().map(|problem| format!("output {name}: {}", problem.message));
                    summary.problems.extend(told);
                    summary.files_written += tally.written;
                    summary.files_removed += tally.removed;
                }
                Err(OutputError::Store(error)) => return Err(error),
                Err(error) => summary.problems.push(format!("output {name}: {error}")),
            }
        }
        Ok(())
    }

    fn make_own(&mut self, summary: &mut PushSummary) -> Result<(), StoreError> {
        if let Some(config) = self.own {
            summary.problems = make_own(config, self.store, (self.clock)())?.problems;
        }
        Ok(())
    }

    /// Notes how a lane was gone through. One that was asked to stop begins anew as if nothing had been.
    fn note(&mut self, lane: &ConfiguredLane, began: Timestamp, end: &Result<(), PushError>) -> Result<(), StoreError> {
        if let Err(PushError::Stopped) = end {
            return Ok(());
        }
        let message = end.as_ref().err().map(|error| (error.to_string(), error.asks()));
        let fault = message.as_ref().map(|(message, asks)| Fault { message, asks: *asks });
        let what = Leased::Lane(lane.lane.name.clone());
        self.store.note_work(&what, (began, (self.clock)()), fault)
    }
}

/// Whether something on a lane became due by what was pushed on another.
fn owes(store: &Store, lane: &ConfiguredLane) -> Result<bool, StoreError> {
    let counts = store.counts(lane_record(lane))?;
    Ok(counts.is_some_and(|counts| counts.get(&Standing::Owed).is_some_and(|owed| *owed > 0)))
}
