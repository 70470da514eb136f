//! Launching a slate: all of it, or as much as is told.

use std::collections::BTreeMap;
use std::ops::Range;

use diaporos_core::plan::HoldReason;
use diaporos_core::value::{EntryId, LaneName};
use diaporos_store::{Slate, SlateAction, SlateEntry, SlateStanding, Store, StoreError};
use futures::StreamExt;
use jiff::Timestamp;
use serde_json::{Map, Value as Json};

use super::{SlateFault, chosen, faults, lanes};
use crate::config::{Config, ConfiguredLane};
use crate::push::{Author, Chosen, PushError, PushOptions, PushRow, PushRun, PushSummary, Showing, Target};
use crate::{ConnectError, Silent};

/// Locks that are asked for at once.
const LOCKS_AT_ONCE: usize = 8;

/// A slate with all that it takes to go through it.
pub struct Launch<'a> {
    /// The slate.
    pub slate: Slate,
    /// Its entries.
    pub entries: Vec<SlateEntry>,
    /// Its entries by lane, to be pushed alone.
    pub chosen: BTreeMap<LaneName, Chosen>,
    config: &'a Config,
    /// Its lanes, first those whose destinations save without showing.
    targets: Vec<Target<'a>>,
    /// How many those are.
    apart: usize,
    /// The lanes of lists and outlines to the same systems, which follow.
    own: Vec<Target<'a>>,
    author: Author<'a>,
    clock: &'a (dyn Fn() -> Timestamp + Sync),
    stop: &'a (dyn Fn() -> bool + Sync),
}

/// How a launch is carried out.
#[derive(Clone, Copy)]
pub struct LaunchBy<'a> {
    /// Who launches it.
    pub author: Author<'a>,
    /// The clock.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
    /// Whether it is to end; what is under way is finished.
    pub stop: &'a (dyn Fn() -> bool + Sync),
}

/// What became of a launch.
#[derive(Debug)]
pub enum Launched {
    /// Something stands against it; nothing was sent.
    Faulty(Vec<SlateFault>),
    /// Some of it could not be saved: nothing is on view, and what was saved waits unseen.
    Unseen(PushSummary),
    /// All of it went.
    Whole(PushSummary),
    /// Some of it did not go; it is open still, and launched again the rest follows.
    InPart(PushSummary),
}

/// Why a slate cannot be gone through.
#[derive(Debug, thiserror::Error)]
pub enum LaunchError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A destination cannot be set up.
    #[error(transparent)]
    Connect(#[from] ConnectError),
    /// A lane cannot be gone through.
    #[error("the lane `{lane}` cannot be gone through: {error}")]
    Lane {
        /// Which.
        lane: LaneName,
        /// Why.
        error: PushError,
    },
}

impl<'a> Launch<'a> {
    /// A slate that is to be gone through; `targets` gives each of its lanes with its destination.
    ///
    /// # Errors
    /// Where the store fails, or a destination cannot be set up.
    pub fn of(
        (config, store): (&'a Config, &Store),
        slate: Slate,
        targets: impl FnOnce(&[&'a ConfiguredLane]) -> Result<Vec<Target<'a>>, ConnectError>,
        by: LaunchBy<'a>,
    ) -> Result<Launch<'a>, LaunchError> {
        let entries = store.slate_entries(&slate.name)?;
        let chosen = chosen(config, &slate, &entries);
        let lanes: Vec<&ConfiguredLane> =
            lanes(config, &chosen).iter().filter_map(|name| config.lanes.get(name)).collect();
        // Words must be there before what has them is saved.
        let (mut targets, others): (Vec<Target<'a>>, Vec<Target<'a>>) =
            targets(&lanes)?.into_iter().partition(|target| target.lane.is_of_words());
        let (shown_apart, others): (Vec<_>, Vec<_>) = others.into_iter().partition(Target::shows_apart);
        let (own, others): (Vec<_>, Vec<_>) = others.into_iter().partition(Target::is_own);
        let apart = if shown_apart.is_empty() { 0 } else { targets.len() + shown_apart.len() };
        targets.extend(shown_apart.into_iter().chain(others));
        let LaunchBy { author, clock, stop } = by;
        Ok(Launch { slate, entries, chosen, config, targets, apart, own, author, clock, stop })
    }

    /// Everything that stands against a launch: what is known here, and what a plan against the destinations finds.
    ///
    /// # Errors
    /// Where the store fails, or a lane cannot be gone through.
    pub async fn faults(&self, store: &mut Store, allow_removals: Option<u64>) -> Result<Vec<SlateFault>, LaunchError> {
        let mut found = self.known_faults(store)?;
        // To be taken off, an entry need not be fit to go.
        if self.slate.does == SlateAction::Withdraw {
            return Ok(found);
        }
        let mut rows = Vec::new();
        let options = PushOptions { dry_run: true, allow_removals, ..PushOptions::default() };
        let (chosen, clock, stop) = (Some(&self.chosen), self.clock, self.stop);
        let mut run = PushRun { store, targets: &self.targets, chosen, own: None, clock, stop };
        let add = &mut |lane: &LaneName, row| rows.push((lane.clone(), row));
        let plan = run.run(options, self.author, &mut Silent, add).await?;
        found.extend(self.locks(&rows).await);
        for (lane, row) in rows {
            let Some(reason) = row.reason else { continue };
            let known = HoldReason::from_word(&reason);
            let way_out = known.map_or("see that the destination answers, and check again", HoldReason::way_out);
            found.push(SlateFault {
                lane: Some(lane),
                address: row.address,
                message: format!("{reason}: {}", row.message.unwrap_or_default()),
                way_out: way_out.to_owned(),
            });
        }
        match plan.stopped.into_iter().next() {
            Some((lane, error)) => Err(LaunchError::Lane { lane, error }),
            None => Ok(found),
        }
    }

    /// Documents that would be written and that somebody else has open.
    async fn locks(&self, rows: &[(LaneName, PushRow)]) -> Vec<SlateFault> {
        let writes = rows.iter().filter(|(_, row)| row.reason.is_none());
        let asked = writes.filter_map(|(lane, row)| {
            let target = self.targets.iter().find(|target| target.lane.lane.name == *lane)?;
            Some((target, row, EntryId::new(row.id_there.clone()?).ok()?))
        });
        let looks = asked.map(|(target, row, id)| async move {
            let lane = &target.lane.lane;
            let message = match target.writer.locked_by(&lane.to.kind, &id).await {
                Ok(None) => return None,
                Ok(Some(who)) => format!("{}: `{id}` is open there: {who}", HoldReason::Locked.word()),
                Err(error) => format!("it cannot be told whether `{id}` is open there: {error}"),
            };
            let way_out = HoldReason::Locked.way_out().to_owned();
            Some(SlateFault { lane: Some(lane.name.clone()), address: row.address.clone(), message, way_out })
        });
        let looks: Vec<_> = looks.collect();
        futures::stream::iter(looks).buffered(LOCKS_AT_ONCE).filter_map(|fault| async { fault }).collect().await
    }

    fn known_faults(&self, store: &Store) -> Result<Vec<SlateFault>, LaunchError> {
        faults(self.config, store, (&self.slate, &self.entries), (self.clock)()).map_err(|error| self.about_lane(error))
    }

    fn about_lane(&self, error: PushError) -> LaunchError {
        match (error, self.chosen.keys().next()) {
            (PushError::Store(error), _) => error.into(),
            (error, Some(lane)) => LaunchError::Lane { lane: lane.clone(), error },
            (error, None) => StoreError::Content(error.to_string()).into(),
        }
    }

    /// Launches the slate, where nothing stands against it. Where destinations can save without showing, all of
    /// their entries are saved and read back before the first goes on view. Rows are handed over as they are done.
    ///
    /// # Errors
    /// Where the store fails, or a lane cannot be gone through; launched again, the rest follows.
    pub async fn carry_out(
        &self,
        store: &mut Store,
        allow_removals: Option<u64>,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<Launched, LaunchError> {
        let faults = match self.slate.standing {
            // What began to go on view goes there, whatever changed since.
            SlateStanding::Showing => Vec::new(),
            // The rest is asked while it is saved, once it is known what became of the requests that were broken off.
            SlateStanding::Saving => self.known_faults(store)?,
            SlateStanding::Open | SlateStanding::Launched | SlateStanding::Cancelled => {
                self.faults(store, allow_removals).await?
            }
        };
        if !faults.is_empty() {
            return Ok(Launched::Faulty(faults));
        }
        let run = store.begin_run(self.author.command, self.author.who, (self.clock)())?;
        let end = self.steps(store, run, allow_removals, row).await;
        let counts = match &end {
            Ok(Launched::Unseen(done) | Launched::InPart(done) | Launched::Whole(done)) => done.counts(),
            Ok(Launched::Faulty(_)) | Err(_) => Map::new(),
        };
        store.end_run(run, &Json::Object(counts).to_string(), (self.clock)())?;
        end
    }

    async fn steps(
        &self,
        store: &mut Store,
        run: i64,
        allow_removals: Option<u64>,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<Launched, LaunchError> {
        let launches = self.slate.does == SlateAction::Launch;
        if launches && self.apart > 0 && self.slate.standing != SlateStanding::Showing {
            self.stands(store, SlateStanding::Saving, run)?;
            let saving = PushOptions { showing: Showing::Later, ..PushOptions::default() };
            let saved = self.push(store, (run, 0..self.apart), saving, row).await?;
            if !is_whole(&saved) {
                return Ok(Launched::Unseen(saved));
            }
            self.stands(store, SlateStanding::Showing, run)?;
        }
        // What is in a slate that withdraws was put there to be taken off.
        let mut of_slate = None;
        if !launches {
            of_slate = Some(self.entries.len() as u64);
            for (lane, chosen) in &self.chosen {
                for entry in &chosen.entries {
                    store.take_off(lane, *entry, true, (self.clock)())?;
                }
            }
        }
        let options = PushOptions { allow_removals: allow_removals.or(of_slate), ..PushOptions::default() };
        let done = self.push(store, (run, 0..self.targets.len()), options, row).await?;
        if !is_whole(&done) {
            return Ok(Launched::InPart(done));
        }
        self.stands(store, SlateStanding::Launched, run)?;
        self.lists_follow(store, row).await?;
        Ok(Launched::Whole(done))
    }

    /// Lists and outlines show what is on view now, in a run of their own: who takes the slate back takes back its
    /// entries, and they follow once more.
    async fn lists_follow(
        &self,
        store: &mut Store,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<(), StoreError> {
        if self.own.is_empty() {
            return Ok(());
        }
        let (clock, stop) = (self.clock, self.stop);
        let mut run = PushRun { store, targets: &self.own, chosen: None, own: Some(self.config), clock, stop };
        run.run(PushOptions::default(), self.author, &mut Silent, row).await.map(drop)
    }

    async fn push(
        &self,
        store: &mut Store,
        (run, lanes): (i64, Range<usize>),
        options: PushOptions,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<PushSummary, StoreError> {
        let (chosen, clock, stop) = (Some(&self.chosen), self.clock, self.stop);
        let targets = self.targets.get(lanes).unwrap_or_default();
        let own = (options.showing == Showing::AtOnce).then_some(self.config);
        PushRun { store, targets, chosen, own, clock, stop }.run_within(run, options, &mut Silent, row).await
    }

    fn stands(&self, store: &mut Store, standing: SlateStanding, run: i64) -> Result<(), StoreError> {
        let now = (self.clock)();
        let launched = (standing == SlateStanding::Launched).then_some(now);
        store.keep_slate(&Slate { standing, launched, run: Some(run), ..self.slate.clone() }, now)
    }
}

fn is_whole(done: &PushSummary) -> bool {
    done.stopped.is_empty() && done.tally.held + done.tally.failed == 0
}
