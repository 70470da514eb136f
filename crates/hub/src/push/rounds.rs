//! A run of pushes: lanes gone through in rounds, begun and ended in the ledger.

use std::collections::HashMap;

use diaporos_core::value::{LaneName, SystemName};
use diaporos_store::{Standing, Store, StoreError};
use diaporos_systems::Write;
use jiff::Timestamp;
use serde_json::{Map, Value as Json};

use super::{Push, PushError, PushOptions, PushRow, PushTally};
use crate::config::ConfiguredLane;
use crate::look::lane_record;
use crate::{ConnectError, Connector, Listener};

/// How often lanes are gone through: the second time for what waited for an entry of another lane, the
/// third for circles.
const ROUNDS: u32 = 3;

/// The destinations of lanes, set up before anything is sent to the first.
pub struct Destinations(HashMap<SystemName, Box<dyn Write>>);

impl FromIterator<(SystemName, Box<dyn Write>)> for Destinations {
    fn from_iter<T: IntoIterator<Item = (SystemName, Box<dyn Write>)>>(writers: T) -> Destinations {
        Destinations(writers.into_iter().collect())
    }
}

impl Destinations {
    /// Sets up the destination of each lane.
    ///
    /// # Errors
    /// Where one cannot be set up.
    pub fn of(lanes: &[&ConfiguredLane], connector: &Connector<'_>) -> Result<Destinations, ConnectError> {
        let mut writers = HashMap::new();
        for lane in lanes {
            let system = &lane.lane.to.system;
            if !writers.contains_key(system) {
                writers.insert(system.clone(), connector.writer(system)?);
            }
        }
        Ok(Destinations(writers))
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
    pub lanes: &'a [&'a ConfiguredLane],
    /// Their destinations.
    pub destinations: &'a Destinations,
    /// The time.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
    /// Whether it is to end; what is under way is finished.
    pub stop: &'a (dyn Fn() -> bool + Sync),
}

/// What became of a run.
#[derive(Debug, Default)]
pub struct PushSummary {
    /// What was done, on all lanes.
    pub tally: PushTally,
    /// The lanes that stopped, and why.
    pub stopped: Vec<(LaneName, PushError)>,
}

impl PushSummary {
    /// The counts, by their words.
    #[must_use]
    pub fn counts(&self) -> Map<String, Json> {
        let others = [
            ("settled", self.tally.settled),
            ("requests", self.tally.requests),
            ("drifted", self.tally.drifted),
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
        let mut summary = PushSummary::default();
        let names: Vec<LaneName> = self.lanes.iter().map(|lane| lane.lane.name.clone()).collect();
        for round in 0..ROUNDS {
            for (place, lane) in self.lanes.iter().enumerate() {
                let is_over = summary.stopped.iter().any(|(name, _)| *name == lane.lane.name) || (self.stop)();
                if round > 0 && (is_over || options.dry_run || !owes(self.store, lane)?) {
                    continue;
                }
                let Some(writer) = self.destinations.0.get(&lane.lane.to.system) else { continue };
                let mut push = Push {
                    store: self.store,
                    lane,
                    writer: writer.as_ref(),
                    run: run.unwrap_or_default(),
                    later: if round == 0 { names.get(place + 1..).unwrap_or_default() } else { &[] },
                    clock: self.clock,
                    stop: self.stop,
                };
                let options = PushOptions { only_owed: round > 0, ..options };
                let (tally, end) = push.run(options, listener, &mut |told| row(&lane.lane.name, told)).await;
                summary.tally += tally;
                summary.stopped.extend(end.err().map(|error| (lane.lane.name.clone(), error)));
            }
        }
        if let Some(run) = run {
            self.store.end_run(run, &Json::Object(summary.counts()).to_string(), (self.clock)())?;
        }
        Ok(summary)
    }
}

/// Whether something on a lane became due by what was pushed on another.
fn owes(store: &Store, lane: &ConfiguredLane) -> Result<bool, StoreError> {
    let counts = store.counts(lane_record(lane))?;
    Ok(counts.is_some_and(|counts| counts.get(&Standing::Owed).is_some_and(|owed| *owed > 0)))
}
