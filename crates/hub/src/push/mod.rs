//! Push: deliver what a lane owes its destination. Never twice, never half.
//!
//! For a window of entries at a time: plan (pure, but for looking up keys), write every intent in
//! one commit, send, write outcomes in groups. A dry run does the first and stops.

mod assets;
mod breaker;
mod chosen;
mod claims;
mod deliver;
mod entry_plan;
mod flow;
mod limits;
mod listed;
mod lookup;
mod made_once;
mod moved;
mod passes;
mod plan;
mod references;
mod rounds;
mod row;
mod services;
mod settle;
mod windows;
mod words;

use std::collections::{HashMap, HashSet};

use diaporos_core::plan::Lack;
use diaporos_core::value::{Address, LaneName, SystemName};
use diaporos_store::{DueFilter, Standing, Store, StoreError, Verdict};
use diaporos_systems::service::Services;
use diaporos_systems::{SystemError, Write};
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::{Event, Listener};
use breaker::Breaker;
pub use chosen::Chosen;
pub(crate) use claims::Claims;
pub use entry_plan::EntryPlan;
use flow::{Doing, Flow, PassRules, Waiting};
use listed::Listed;
pub(crate) use lookup::LookUps;
pub(crate) use plan::LaneOf;
pub use rounds::{Author, PushRun, PushSummary, Target};
pub use row::{PushRow, PushTally};
pub use words::NewWords;

/// Entries planned and intended together.
const WINDOW: usize = 128;
/// The same where several processes share a lane, of what one has under way: none is long without work while another
/// has much.
const SHARED_WINDOW: usize = 2;

/// What a push does.
#[derive(Debug, Clone, Copy, Default)]
pub struct PushOptions {
    /// Plan only: nothing is sent, nothing is noted.
    pub dry_run: bool,
    /// How many entries may be taken away; a limit of the hub's own where it is not said.
    pub allow_removals: Option<u64>,
    /// How many documents that were there before may be taken as counterparts; a limit of the hub's own
    /// where it is not said.
    pub allow_adoptions: Option<u64>,
    /// Read every document that is there, and compare it with what was delivered.
    pub verify: bool,
    /// Look only at what became due since the lane was last gone through in this run.
    pub only_owed: bool,
    /// When what is written goes on view.
    pub showing: Showing,
}

/// When what is written goes on view, where a destination can save without showing.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Showing {
    /// With the write.
    #[default]
    AtOnce,
    /// In a later push: what is written is saved, read back, and waits.
    Later,
}

/// Why a push of a lane stopped.
#[derive(Debug, thiserror::Error)]
pub enum PushError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The destination failed for every entry; what was not sent stays owed.
    #[error(transparent)]
    System(#[from] SystemError),
    /// More entries would be taken away than go without being asked; none of them was.
    #[error(
        "{entries} of the {there} entries that are there would be taken away, and at most {limit} are without being asked"
    )]
    Removals {
        /// How many would go.
        entries: u64,
        /// How many are there.
        there: u64,
        /// How many may go.
        limit: u64,
    },
    /// More documents that were there before would be taken as counterparts than go without being
    /// asked; none of them was.
    #[error(
        "{entries} entries would take over documents that were there before, and at most {limit} do without being asked"
    )]
    Adoptions {
        /// How many would.
        entries: u64,
        /// How many may.
        limit: u64,
    },
    /// The destination is at another place than when it was last pushed to, and does not show what was
    /// delivered; nothing was sent.
    #[error(
        "`{system}` was at {was}, and is at {now}: of {asked} documents that were delivered, {found} are there as they were"
    )]
    Moved {
        /// The system.
        system: SystemName,
        /// Where it was.
        was: String,
        /// Where it is.
        now: String,
        /// How many documents were looked for.
        asked: u64,
        /// How many were found as they were delivered.
        found: u64,
    },
    /// The destination lacks what the lane needs; nothing was sent.
    #[error("the destination lacks {}", lacks.iter().map(ToString::to_string).collect::<Vec<_>>().join(", "))]
    Lacks {
        /// The lane.
        lane: LaneName,
        /// What it lacks, in the order in which it can be made.
        lacks: Vec<Lack>,
    },
    /// It was asked to end; what was under way was finished.
    #[error("it was asked to stop, and finished what was under way")]
    Stopped,
    /// The destination failed too often in a row.
    #[error("{failures} requests failed one after the other, the last like this: {error}")]
    GivenUp {
        /// How many.
        failures: u32,
        /// The last.
        error: Box<SystemError>,
    },
}

impl PushError {
    /// Whether a person is asked, who alone can go on.
    #[must_use]
    pub fn asks(&self) -> bool {
        matches!(
            self,
            PushError::Removals { .. }
                | PushError::Adoptions { .. }
                | PushError::Moved { .. }
                | PushError::Lacks { .. }
        )
    }
}

/// Where a push writes what it does.
pub struct Push<'a> {
    /// The store, open for change.
    pub store: &'a mut Store,
    /// The lane.
    pub lane: &'a ConfiguredLane,
    /// Its destination.
    pub writer: &'a dyn Write,
    /// The run in the ledger.
    pub run: i64,
    /// The lanes that are pushed after this one in the same run.
    pub later: &'a [LaneName],
    /// The entries that are pushed alone; all that are due where none are chosen.
    pub chosen: Option<&'a Chosen>,
    /// Whether others push the lane too.
    pub part: Part,
    /// The services that its fields come from.
    pub services: &'a Services,
    /// Words that a dry run found to be made.
    pub words: &'a mut NewWords,
    /// The time.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
    /// Whether it is to end; what is under way is finished.
    pub stop: &'a (dyn Fn() -> bool + Sync),
}

/// What a process does of a lane that may be pushed by several at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// All of it, and nobody helps.
    Whole,
    /// All that is not for many: it settles what is in doubt, and takes away what is to go. Others may help it with the
    /// rest.
    Lead,
    /// It helps another with what is made and changed there.
    Hand,
}

impl Push<'_> {
    /// Pushes the lane. Rows are handed over as they are planned or done. The tally counts what was
    /// done, also where the push could not go on.
    ///
    /// # Errors
    /// Where the store fails, or the destination for every entry. What was done till then stands.
    pub async fn run(
        &mut self,
        options: PushOptions,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) -> (PushTally, Result<(), PushError>) {
        let mut tally = PushTally::default();
        let mut drifted = 0;
        let mut counting = |told: PushRow| {
            drifted += u64::from(told.tells_drift());
            row(told);
        };
        let end = self.windows(options, &mut tally, listener, &mut counting).await;
        tally.drifted = drifted;
        (tally, end)
    }

    async fn windows(
        &mut self,
        options: PushOptions,
        tally: &mut PushTally,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) -> Result<(), PushError> {
        if options.only_owed || self.part == Part::Hand {
            return self.look_through(options, HashMap::new(), tally, listener, row).await;
        }
        let lacks = crate::align::lacking(self.lane, self.writer).await?;
        if !lacks.is_empty() {
            return Err(PushError::Lacks { lane: self.lane.lane.name.clone(), lacks });
        }
        moved::check(self, options.dry_run).await?;
        // Whoever helped another that is gone finishes what it has under way.
        let name = &self.lane.lane.name;
        while self.part == Part::Whole && !options.dry_run && self.store.shares(name) && !(self.stop)() {
            if self.store.claimed_by_others(name, (self.clock)())? == 0 {
                break;
            }
            tokio::time::sleep(passes::LOOKED_EVERY).await;
        }
        let unsettled =
            if options.dry_run { HashMap::new() } else { settle::settle_in_doubt(self, tally, row).await? };
        self.look_through(options, unsettled, tally, listener, row).await
    }

    /// Says how many entries are looked through, and counts those that are as they should be. Gives how many are
    /// there.
    fn announce(
        &mut self,
        first: DueFilter,
        tally: &mut PushTally,
        listener: &mut dyn Listener,
    ) -> Result<u64, PushError> {
        if let Some(chosen) = self.chosen {
            let entries = chosen.entries.len() as u64;
            listener.on(Event::PushBegan { lane: self.lane.lane.name.clone(), entries });
            return Ok(entries);
        }
        let counts = self.store.counts(crate::look::lane_record(self.lane))?.unwrap_or_default();
        let delivered = counts.get(&Standing::Delivered).copied().unwrap_or_default();
        let due = [Standing::Owed, Standing::Held, Standing::Failed];
        let due: u64 = due.iter().filter_map(|standing| counts.get(standing)).sum();
        let entries = if first == DueFilter::There { due + delivered } else { due };
        listener.on(Event::PushBegan { lane: self.lane.lane.name.clone(), entries });
        if first == DueFilter::All {
            tally.unchanged += delivered;
        }
        Ok(delivered)
    }

    /// The entries of which a request has no outcome yet.
    fn in_doubt(&mut self) -> Result<HashSet<i64>, StoreError> {
        let open = self.store.in_doubt(&self.lane.lane.name, (self.clock)())?;
        Ok(open.into_iter().map(|(_, record)| record.entry).collect())
    }

    /// Goes through all that is due, again and again while that brings forth what others waited for.
    async fn look_through(
        &mut self,
        options: PushOptions,
        unsettled: HashMap<i64, SystemError>,
        tally: &mut PushTally,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) -> Result<(), PushError> {
        let first = match options {
            PushOptions { only_owed: true, .. } => DueFilter::Owed,
            PushOptions { verify: true, .. } => DueFilter::There,
            _ => DueFilter::All,
        };
        let there = self.announce(first, tally, listener)?;
        let budget = self.writer.failure_limit();
        let breaker = Breaker::new(budget, self.stop);
        let claims = Claims::of_lane(self.store, self.lane, first, (self.clock)())?;
        let (lane, writer) = (self.lane, self.writer);
        let look_ups = LookUps::new(writer, &lane.lane);
        let compared = if first == DueFilter::There && self.chosen.is_none() { there } else { 0 };
        let listed = Listed::read(writer, &lane.lane, compared, self.stop).await;
        let own_way = self.store.stores_its_own_way(&lane.lane.name, None)?;
        let rules = PassRules { waiting: Waiting::ForAll, removing: Doing::NotYet, adopting: Doing::NotYet };
        // What went into doubt in an earlier round of this run is found out by the next run.
        let in_doubt = if options.only_owed { self.in_doubt()? } else { HashSet::new() };
        let mut flow = Flow {
            push: self,
            options,
            unsettled,
            claims,
            look_ups: &look_ups,
            listed: &listed,
            own_way,
            tally,
            listener,
            row,
            in_doubt,
            put_off: HashSet::new(),
            failures: HashMap::new(),
            questions: HashSet::new(),
        };
        let limits = flow.passes(first, rules, &breaker).await;
        if flow.push.part != Part::Whole {
            flow.push.store.release_claims(&flow.push.lane.lane.name)?;
        }
        if flow.push.part == Part::Lead {
            flow.push.store.close_lane(&flow.push.lane.lane.name)?;
        }
        let limits = limits?;
        let asked = breaker.was_asked();
        match breaker.because() {
            Some((error, true)) => Err(error.into()),
            Some((error, false)) => Err(PushError::GivenUp { failures: budget, error: Box::new(error) }),
            None if asked => Err(PushError::Stopped),
            None => limits,
        }
    }
}

/// An entry about which the destination could not be asked what a plan needs.
struct Unplanned {
    looked: (i64, i64),
    address: Address,
    error: SystemError,
}

impl Unplanned {
    fn tell(
        self,
        reason: &str,
        tally: &mut PushTally,
        verdicts: &mut Vec<Verdict>,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) {
        tally.failed += 1;
        let message = self.error.to_string();
        verdicts.push(Verdict::new(self.looked, Standing::Failed).because(reason, message.clone()));
        row(PushRow {
            address: self.address,
            language: None,
            step: "look up",
            id_there: None,
            changes: Vec::new(),
            reason: Some(reason.to_owned()),
            message: Some(message),
            is_drift: false,
            is_known: false,
        });
    }
}

/// What an entry's documents amount to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// Nothing was or is there.
    Outside,
    /// All is as it should be.
    Unchanged,
    /// New there.
    Created,
    /// Changed there.
    Updated,
    /// Found there.
    Adopted,
    /// Taken off view.
    Withdrawn,
    /// Deleted.
    Deleted,
    /// Kept back.
    Held,
}
