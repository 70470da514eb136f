//! One pass over what is due: planned, intended and concluded in groups, sent all the while.

use std::collections::{HashMap, HashSet, VecDeque};
use std::time::Duration;

use diaporos_core::change::Fingerprint;
use diaporos_core::lane::ReferencePolicy;
use diaporos_core::plan::{DocumentPlan, Hold, HoldReason};
use diaporos_store::{Due, DueFilter, OpenIntent, Standing, StoreError, Verdict};
use diaporos_systems::SystemError;
use futures::stream::FuturesUnordered;
use futures::{FutureExt, StreamExt};
use jiff::Timestamp;
use tokio::time::Instant;

use super::assets::{AssetOutcomes, deliver_assets};
use super::breaker::Breaker;
use super::claims::Claims;
use super::deliver::{Delivery, Destination, FormOfTheirs, deliver};
use super::entry_plan::EntryPlan;
use super::listed::Listed;
use super::lookup::LookUps;
use super::plan::{LaneOf, Window, WindowPlanner};
use super::references::{Missing, missing};
use super::row::{PushRow, PushTally};
use super::{Push, PushError, PushOptions, Showing};
use crate::config::ConfiguredLane;
use crate::mapping::{LaneWorld, map_as_it_is, referred};
use crate::{Event, Listener};

/// Outcomes written together: so many at least, and more where they come faster than they are worth a commit.
pub(super) const GROUP: usize = 32;
const MOST_TOGETHER: usize = 256;
/// So long an outcome waits for others at most, once there are enough.
const WAITS: Duration = Duration::from_millis(50);

/// What a pass does about an entry that refers to entries which are still to come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Waiting {
    /// It goes after them, in a later pass.
    ForAll,
    /// It goes all the same, and again when they are there.
    ForNone,
}

/// What a pass does about entries that are to be taken away, or that take over what was there before.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Doing {
    /// It counts them, and leaves them for a later pass.
    NotYet,
    /// It does it, but for what others refer to that are to be taken away too: those go first.
    ThoseInTheWay,
    /// It does it.
    Now,
}

/// How a pass goes about its entries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct PassRules {
    pub(super) waiting: Waiting,
    pub(super) removing: Doing,
    pub(super) adopting: Doing,
}

/// What a pass came to.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) struct PassEnd {
    /// Entries that were put off till those that they refer to are there.
    pub(super) put_off: u64,
    /// Entries that were sent.
    pub(super) sent: u64,
    /// Entries that are to be taken away, and are not because a person wished it.
    pub(super) removals: u64,
    /// Entries that would take over documents that were there before.
    pub(super) adoptions: u64,
}

/// Everything that passes of a push share.
pub(super) struct Flow<'p, 'a, 'l> {
    pub(super) push: &'p mut Push<'a>,
    pub(super) options: PushOptions,
    /// Entries of which it is not known what an earlier run did; nothing is sent until it is.
    pub(super) unsettled: HashMap<i64, SystemError>,
    pub(super) claims: Claims,
    pub(super) look_ups: &'l LookUps<'a>,
    /// What the destination's listing shows, where everything that is there is compared.
    pub(super) listed: &'l Listed,
    /// Whether the destination keeps what it gets in a form of its own, so that each write is read back.
    pub(super) own_way: bool,
    pub(super) tally: &'l mut PushTally,
    pub(super) listener: &'l mut dyn Listener,
    pub(super) row: &'l mut (dyn FnMut(PushRow) + Send),
    /// Entries whose answer was lost in this run. Nothing more is sent of them in it, whatever came of
    /// those that they refer to: the next run finds out first.
    pub(super) in_doubt: HashSet<i64>,
    /// What a dry run put off; nothing is delivered in it that would tell.
    pub(super) put_off: HashSet<i64>,
    /// How often services failed in a row.
    pub(super) failures: HashMap<String, u32>,
    /// What a dry run would ask services.
    pub(super) questions: HashSet<(String, Fingerprint)>,
}

/// Plans with intents that wait for their turn.
type Queue = VecDeque<(EntryPlan, Vec<OpenIntent>)>;

/// Deliveries that are under way, those that wait for a place, and those that came to their end.
struct Underway<F> {
    running: FuturesUnordered<F>,
    queue: Queue,
    done: Vec<Delivery>,
}

/// When a plan is carried out.
enum Turn {
    /// Now.
    Now,
    /// When an entry that it refers to is there, of which nothing is noted.
    Waits,
    /// When an entry that it refers to is there, or when it was counted how many are taken away, or taken
    /// over: till then it is owed.
    Later(Verdict),
}

impl Flow<'_, '_, '_> {
    /// Goes through all that is due once.
    ///
    /// # Errors
    /// Where the store fails or the destination for every entry. What was under way is concluded
    /// before.
    pub(super) async fn pass(
        &mut self,
        filter: DueFilter,
        rules: PassRules,
        breaker: &Breaker<'_>,
    ) -> Result<PassEnd, PushError> {
        let (writer, lane) = (self.push.writer, self.push.lane);
        let kind = &lane.lane.to.kind;
        let (in_flight, most) = (writer.max_in_flight(kind).max(1), writer.max_handed_over(kind).max(1));
        let look_ups = self.look_ups;
        let to = Destination { writer, look_ups, lane: &lane.lane, breaker, form: FormOfTheirs::new(self.own_way) };
        let to = &to;
        let start = |(plan, intents)| deliver(to, plan, intents);
        let mut end = PassEnd::default();
        let mut underway = Underway { running: FuturesUnordered::new(), queue: Queue::new(), done: Vec::new() };
        let (mut after, mut concluded) = (Some(0), Instant::now());
        let mut failed = None;
        loop {
            let Underway { running, queue, done } = &mut underway;
            // Nothing more waits at a destination that may refuse all of it.
            let at_once = if breaker.all_goes_well() { most } else { in_flight };
            let free = at_once.saturating_sub(running.len()).min(queue.len());
            running.extend(queue.drain(..free).map(start));
            if let Some(from) = after.filter(|_| queue.len() < most && !breaker.is_open()) {
                let due = self.due(filter, from)?;
                after = due.last().map(|last| last.number);
                let due = self.wanted(due, rules.waiting)?;
                match self.planned(due, filter, &mut underway, &start).await {
                    Ok(window) => self.intend(window, rules, filter, &mut underway.queue, &mut end)?,
                    Err(PushError::System(error)) => {
                        failed = Some(error);
                        after = None;
                    }
                    Err(error) => return Err(error),
                }
                continue;
            }
            match running.next().await {
                Some(delivery) => done.push(delivery),
                None if queue.is_empty() => break,
                None => continue,
            }
            while let Some(Some(delivery)) = running.next().now_or_never() {
                done.push(delivery);
            }
            if done.len() >= MOST_TOGETHER || (done.len() >= GROUP && concluded.elapsed() >= WAITS) {
                end.sent += done.len() as u64;
                self.conclude(done)?;
                concluded = Instant::now();
            }
        }
        end.sent += underway.done.len() as u64;
        self.conclude(&mut underway.done)?;
        self.own_way |= to.form.differs();
        failed.map_or(Ok(end), |error| Err(error.into()))
    }

    /// Plans a window of entries, while what is under way goes on.
    async fn planned<F: Future<Output = Delivery>>(
        &mut self,
        due: Vec<Due>,
        filter: DueFilter,
        Underway { running, queue, done }: &mut Underway<F>,
        start: &impl Fn((EntryPlan, Vec<OpenIntent>)) -> F,
    ) -> Result<Window, PushError> {
        let now = (self.push.clock)();
        let ungiven = self.ask_services(&due, now).await?;
        // Files first, since what they are called there goes into what refers to them.
        let assets = self.assets(&due, now).await?;
        let kind = &self.push.lane.lane.to.kind;
        let planner = WindowPlanner {
            of: LaneOf { store: self.push.store, lane: self.push.lane },
            writer: self.push.writer,
            look_ups: self.look_ups,
            assets: &assets,
            ungiven: &ungiven,
            verify: (self.options.verify && filter == DueFilter::There).then_some(self.listed),
            showing: if self.push.writer.shows_apart(kind) { self.options.showing } else { Showing::AtOnce },
            now,
        };
        let mut planning = Box::pin(planner.plan(due, &mut self.claims));
        loop {
            tokio::select! {
                window = &mut planning => return window,
                Some(delivery) = running.next(), if !running.is_empty() => {
                    done.push(delivery);
                    running.extend(queue.pop_front().map(start));
                }
            }
        }
    }

    /// Delivers the files that entries refer to, where the destination takes any. What would be sent is seen
    /// without asking anybody for anything.
    async fn assets(&mut self, due: &[Due], now: Timestamp) -> Result<AssetOutcomes, PushError> {
        let (writer, lane) = (self.push.writer, self.push.lane);
        if self.options.dry_run || writer.asset_fetcher(&lane.lane.to.kind).is_none() {
            return Ok(AssetOutcomes::new());
        }
        let mapped = due.iter().map(|due| Ok(map_as_it_is(self.push.store, lane, due, now)?.mapped));
        let mapped = mapped.collect::<Result<Vec<_>, StoreError>>()?;
        deliver_assets(self.push.store, lane, writer, referred(lane, mapped.iter()), now).await
    }

    /// Notes what needs no request, and writes the intents of what does.
    fn intend(
        &mut self,
        window: Window,
        rules: PassRules,
        filter: DueFilter,
        queue: &mut Queue,
        end: &mut PassEnd,
    ) -> Result<(), PushError> {
        let lane = self.push.lane;
        let name = &lane.lane.name;
        let mut verdicts = Vec::new();
        for unplanned in window.unplanned {
            self.listener.on(Event::EntryDone { lane: name.clone(), address: unplanned.address.clone() });
            unplanned.tell(Standing::Failed.word(), self.tally, &mut verdicts, self.row);
        }
        self.take_words(&window.plans)?;
        let mut sending = Vec::new();
        for mut plan in window.plans {
            match self.turn(&mut plan, rules, filter, end)? {
                Turn::Waits => continue,
                Turn::Later(verdict) => {
                    verdicts.push(verdict);
                    continue;
                }
                Turn::Now => {}
            }
            match plan.intents(self.push.writer, &lane.lane.to.kind) {
                Ok(intents) if !intents.is_empty() && !self.options.dry_run => {
                    sending.push((plan, intents));
                    continue;
                }
                Ok(_) => {}
                // What the destination has no form for is this entry's fault alone.
                Err(error) => plan.hold = Some(Hold::new(HoldReason::Unfit, error.to_string())),
            }
            self.listener.on(Event::EntryDone { lane: name.clone(), address: plan.address.clone() });
            plan.count(self.tally);
            verdicts.push(plan.verdict());
            plan.rows().into_iter().for_each(&mut *self.row);
        }
        if self.options.dry_run {
            return Ok(());
        }
        let now = (self.push.clock)();
        self.reserve(&mut sending, &mut verdicts, end)?;
        let (plans, records): (Vec<EntryPlan>, Vec<_>) = sending.into_iter().unzip();
        self.push.store.note(name, &verdicts, now)?;
        let mut open = self.push.store.intend(self.push.run, name, &records.concat(), now)?.into_iter().peekable();
        for plan in plans {
            let mut own = Vec::new();
            while open.peek().is_some_and(|intent| intent.entry() == plan.number) {
                own.extend(open.next());
            }
            queue.push_back((plan, own));
        }
        Ok(())
    }

    /// Whether a plan is carried out in this pass.
    fn turn(
        &mut self,
        plan: &mut EntryPlan,
        rules: PassRules,
        filter: DueFilter,
        end: &mut PassEnd,
    ) -> Result<Turn, PushError> {
        let lane = self.push.lane;
        match self.missing(plan, lane, rules.waiting, filter)? {
            Missing::Coming => {
                end.put_off += 1;
                if self.options.dry_run {
                    self.put_off.insert(plan.number);
                    return Ok(Turn::Waits);
                }
                // Later passes look at what is owed alone, and this may have failed before.
                let owed = Verdict { standing: Standing::Owed, delivered: Vec::new(), ..plan.verdict() };
                return Ok(Turn::Later(owed));
            }
            Missing::NotGoing(whys) if plan.lacks_words() || lane.lane.references == ReferencePolicy::Hold => {
                plan.hold = Some(Hold::new(HoldReason::Reference, whys.join("; ")));
            }
            Missing::NotGoing(whys) => plan.left_out = whys,
            Missing::Nothing => {}
        }
        if plan.removes() {
            end.removals += 1;
            if rules.removing == Doing::NotYet && !self.options.dry_run {
                return Ok(Turn::Later(Verdict { standing: Standing::Owed, ..plan.verdict() }));
            }
            if rules.removing == Doing::ThoseInTheWay
                && self.push.store.is_referred_to_by_owed(&lane.lane.name, &plan.address)?
            {
                end.put_off += 1;
                return Ok(Turn::Later(Verdict { standing: Standing::Owed, ..plan.verdict() }));
            }
        }
        // Nothing of a word's document is written over.
        if plan.adopts() && !lane.is_of_words() {
            end.adoptions += 1;
            if rules.adopting == Doing::NotYet && !self.options.dry_run {
                let owed = Verdict { standing: Standing::Owed, delivered: Vec::new(), ..plan.verdict() };
                return Ok(Turn::Later(owed));
            }
        }
        Ok(Turn::Now)
    }

    fn missing(
        &self,
        plan: &EntryPlan,
        lane: &ConfiguredLane,
        waiting: Waiting,
        filter: DueFilter,
    ) -> Result<Missing, PushError> {
        let lacks_words = plan.lacks_words();
        let sends = plan.goes && plan.hold.is_none() && plan.documents.iter().any(DocumentPlan::has_request);
        if !sends && !lacks_words {
            return Ok(Missing::Nothing);
        }
        let found = match self.options.dry_run && lacks_words {
            true => Missing::Coming,
            false => missing(self.push.store, lane, plan, self.push.later, filter != DueFilter::Owed)?,
        };
        // Words come in this run, and refer to nothing: there is no circle to be closed.
        let waits = waiting == Waiting::ForAll || (lacks_words && !self.options.dry_run);
        Ok(if !waits && matches!(found, Missing::Coming) { Missing::Nothing } else { found })
    }

    /// Writes what became of a group, in one commit.
    fn conclude(&mut self, done: &mut Vec<Delivery>) -> Result<(), PushError> {
        if done.is_empty() {
            return Ok(());
        }
        let name = &self.push.lane.lane.name;
        let mut outcomes = Vec::new();
        let mut verdicts: Vec<Verdict> = Vec::new();
        let world = LaneWorld { store: self.push.store, lane: self.push.lane };
        for Delivery { plan, outcomes: own, mut verdict, rows, requests, is_to_be_shown } in done.drain(..) {
            self.listener.on(Event::EntryDone { lane: name.clone(), address: plan.address.clone() });
            self.tally.requests += requests;
            if !(is_to_be_shown && verdict.standing == Standing::Owed) {
                plan.count_as(verdict.standing, self.tally);
            }
            rows.into_iter().for_each(&mut *self.row);
            // What was delivered beside it may have come or gone since it was looked at.
            // A store that cannot tell leaves it owed, for what was sent must be noted all the same.
            if verdict.standing == Standing::Delivered && plan.dependencies.still_called_so(&world) != Ok(true) {
                verdict.standing = Standing::Owed;
            }
            if verdict.reason.as_deref() == Some(HoldReason::InDoubt.word()) {
                self.in_doubt.insert(plan.number);
            }
            outcomes.extend(own);
            verdicts.push(verdict);
        }
        Ok(self.push.store.conclude(name, outcomes, &verdicts, (self.push.clock)())?)
    }
}
