//! Push: deliver what a lane owes its destination. Never twice, never half.
//!
//! For a window of entries at a time: plan (pure, but for looking up keys), write every intent in
//! one commit, send, write outcomes in groups. A dry run does the first and stops.

mod deliver;
mod document;
mod plan;
mod removals;
mod settle;

use std::collections::HashMap;
use std::sync::atomic::AtomicBool;

use diaporos_core::plan::{Hold, HoldReason};
use diaporos_core::value::{Address, LanguageTag};
use diaporos_store::{IntentRecord, Looking, OutcomeResult, Standing, Store, StoreError, Verdict};
use diaporos_systems::{SystemError, Write};
use futures::StreamExt;
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::{Event, Listener};
use deliver::Delivery;
pub use document::{DocumentPlan, order_for};
pub use plan::EntryPlan;
pub(crate) use plan::{LaneWorld, map, plan_entry, previous, seen_by};

/// Entries planned and intended together.
const WINDOW: usize = 128;
/// Outcomes written together, at most.
const GROUP: usize = 32;
/// Entries in flight at once.
const CONCURRENCY: usize = 8;

/// What a push does.
#[derive(Debug, Clone, Copy, Default)]
pub struct PushOptions {
    /// Plan only: nothing is sent, nothing is noted.
    pub dry_run: bool,
    /// How many entries may be taken away; a limit of the hub's own where it is not said.
    pub allow_removals: Option<u64>,
}

/// How many entries met what fate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct PushTally {
    /// Written for the first time.
    pub created: u64,
    /// Changed.
    pub updated: u64,
    /// Found there by their key, and taken as counterparts.
    pub adopted: u64,
    /// As they should be.
    pub unchanged: u64,
    /// Taken off.
    pub withdrawn: u64,
    /// Kept back.
    pub held: u64,
    /// Not delivered; tried again by the next push.
    pub failed: u64,
    /// Requests of an interrupted run of which it was found out what became.
    pub settled: u64,
    /// Requests that wrote, or would.
    pub requests: u64,
}

impl std::ops::AddAssign for PushTally {
    fn add_assign(&mut self, other: PushTally) {
        self.created += other.created;
        self.updated += other.updated;
        self.adopted += other.adopted;
        self.unchanged += other.unchanged;
        self.withdrawn += other.withdrawn;
        self.held += other.held;
        self.failed += other.failed;
        self.settled += other.settled;
        self.requests += other.requests;
    }
}

/// One document's step, as planned and, after a push, as it went.
#[derive(Debug, Clone, PartialEq)]
pub struct PushRow {
    /// The entry.
    pub address: Address,
    /// The document's language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// The step's word.
    pub step: &'static str,
    /// What the destination calls the document.
    pub id_there: Option<String>,
    /// The fields that differ from what was last delivered.
    pub changes: Vec<String>,
    /// The kind of reason, where the entry is held, or `failed`.
    pub reason: Option<String>,
    /// What exactly.
    pub message: Option<String>,
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
    /// More entries would be taken away than go without being asked; nothing was sent.
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
    /// The time.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
}

/// How often a push looks for entries that others made due; a circle is closed by the second.
const PASSES: u32 = 3;

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
        let end = self.windows(options, &mut tally, listener, row).await;
        (tally, end)
    }

    async fn windows(
        &mut self,
        options: PushOptions,
        tally: &mut PushTally,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) -> Result<(), PushError> {
        let unsettled =
            if options.dry_run { HashMap::new() } else { settle::settle_in_doubt(self, tally, row).await? };
        let removals = removals::ask_first(self.store, self.lane, options.allow_removals, (self.clock)());
        if !options.dry_run {
            removals?;
            return self.look_through(options, &unsettled, tally, listener, row).await;
        }
        // A plan is shown whole, and then why it would not be carried out.
        self.look_through(options, &unsettled, tally, listener, row).await?;
        removals
    }

    /// Goes through all that is due, window by window.
    async fn look_through(
        &mut self,
        options: PushOptions,
        unsettled: &HashMap<i64, SystemError>,
        tally: &mut PushTally,
        listener: &mut dyn Listener,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) -> Result<(), PushError> {
        let name = &self.lane.lane.name;
        let counts = self.store.counts(crate::look::lane_record(self.lane))?.unwrap_or_default();
        let due =
            [Standing::Owed, Standing::Held, Standing::Failed].iter().filter_map(|standing| counts.get(standing)).sum();
        listener.on(Event::PushBegan { lane: name.clone(), entries: due });
        tally.unchanged += counts.get(&Standing::Delivered).copied().unwrap_or_default();
        let mut claims = HashMap::new();
        let mut after = 0;
        let mut pass = 1;
        loop {
            let looking = if pass == 1 { Looking::All } else { Looking::Owed };
            let mut due = self.store.due(name, looking, after, WINDOW)?;
            let Some(last) = due.last() else {
                // What was created now gives others the identifiers that they waited for.
                if options.dry_run || pass == PASSES {
                    return Ok(());
                }
                (pass, after) = (pass + 1, 0);
                continue;
            };
            after = last.number;
            let mut verdicts = Vec::new();
            // Of these it is not known what an earlier run did; nothing more is sent until it is.
            for due in due.extract_if(.., |due| unsettled.contains_key(&due.number)) {
                if let Some(error) = unsettled.get(&due.number) {
                    let failed = Unplanned { number: due.number, address: due.entry.address, error: error.clone() };
                    failed.tell(HoldReason::InDoubt.word(), tally, &mut verdicts, row);
                }
            }
            let window =
                plan::plan_window(self.store, self.lane, self.writer, (due, (self.clock)()), &mut claims).await?;
            for unplanned in window.unplanned {
                listener.on(Event::EntryDone { lane: name.clone(), address: unplanned.address.clone() });
                unplanned.tell(Standing::Failed.word(), tally, &mut verdicts, row);
            }
            let mut sending = Vec::new();
            for mut plan in window.plans {
                listener.on(Event::EntryDone { lane: name.clone(), address: plan.address.clone() });
                match plan.intents(self.writer, &self.lane.lane.to.kind) {
                    Ok(intents) if !intents.is_empty() && !options.dry_run => {
                        sending.push((plan, intents));
                        continue;
                    }
                    Ok(_) => {}
                    // What the destination has no form for is this entry's fault alone.
                    Err(error) => plan.hold = Some(Hold { reason: HoldReason::Unfit, message: error.to_string() }),
                }
                tally.unchanged += u64::from(plan.fate() == Fate::Unchanged);
                plan.count(tally);
                verdicts.push(plan.verdict());
                plan.rows().into_iter().for_each(&mut *row);
            }
            if !options.dry_run {
                self.store.note(name, &verdicts, (self.clock)())?;
                self.carry_out(sending, tally, row).await?;
            }
        }
    }

    /// Writes the intents of a window, sends, and writes what became of them.
    async fn carry_out(
        &mut self,
        sending: Vec<(EntryPlan, Vec<IntentRecord>)>,
        tally: &mut PushTally,
        row: &mut (dyn FnMut(PushRow) + Send),
    ) -> Result<(), PushError> {
        let name = &self.lane.lane.name;
        let (plans, records): (Vec<EntryPlan>, Vec<Vec<IntentRecord>>) = sending.into_iter().unzip();
        let mut open = self.store.intend(self.run, name, &records.concat(), (self.clock)())?.into_iter().peekable();
        // Set by the first request that meets what will meet all others too.
        let stopped = AtomicBool::new(false);
        let mut jobs = Vec::with_capacity(plans.len());
        for plan in plans {
            let mut own = Vec::new();
            while open.peek().is_some_and(|intent| intent.entry() == plan.number) {
                own.extend(open.next());
            }
            jobs.push(deliver::deliver(self.writer, &self.lane.lane, plan, own, &stopped));
        }
        let mut stop = None;
        let mut done = futures::stream::iter(jobs).buffer_unordered(CONCURRENCY).ready_chunks(GROUP);
        while let Some(group) = done.next().await {
            let now = (self.clock)();
            let mut outcomes = Vec::new();
            let mut verdicts = Vec::new();
            let mut looks = Vec::new();
            for Delivery { plan, outcomes: own, verdict, rows, requests, stop: error } in group {
                tally.requests += requests;
                plan.count_as(verdict.standing, tally);
                rows.into_iter().for_each(&mut *row);
                outcomes.extend(own);
                verdicts.push(verdict);
                looks.push(plan.looks);
                stop = stop.or(error);
            }
            self.store.conclude(name, outcomes, now)?;
            let world = LaneWorld { store: self.store, lane: self.lane };
            for (verdict, looks) in verdicts.iter_mut().zip(&looks) {
                // What was delivered beside it may have come or gone since it was looked at.
                if verdict.standing == Standing::Delivered && !looks.still_called_so(&world) {
                    verdict.standing = Standing::Owed;
                }
            }
            self.store.note(name, &verdicts, now)?;
        }
        stop.map_or(Ok(()), |error| Err(error.into()))
    }
}

/// An entry about which the destination could not be asked what a plan needs.
struct Unplanned {
    number: i64,
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
        verdicts.push(Verdict::new(self.number, Standing::Failed).because(reason, message.clone()));
        row(PushRow {
            address: self.address,
            language: None,
            step: "look up",
            id_there: None,
            changes: Vec::new(),
            reason: Some(reason.to_owned()),
            message: Some(message),
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
    /// Taken off.
    Withdrawn,
    /// Kept back.
    Held,
}

/// The outcome's word is also the step's when an answer was lost and found again.
fn found_word(result: OutcomeResult) -> Option<String> {
    (result == OutcomeResult::FoundDone).then(|| "the answer was lost, and the document was found written".to_owned())
}
