//! One pull or one push, from its leases to its end.

use std::sync::Arc;

use diaporos_core::value::{LaneName, SystemName};
use diaporos_store::{Fault, Leased, Store, StoreError};

use super::Asked;
use super::look_job::{LookTools, Looked, TOGETHER, hints, numbers};
use super::looks::Listed;
use super::shared::{Progressing, Shared};
use super::subscribing::{Subscribed, Subscribing};
use crate::batch::{BatchError, TimedBatch, TimedBatches, TimedCollection};
use crate::config::{Config, ConfiguredLane};
use crate::leases::{Clock, LeasedStore, Worker};
use crate::own::make_own;
use crate::pull::{PullOptions, PullRow, PullSource, pull};
use crate::push::{Author, PushOptions, PushRun, PushSummary, Target};
use crate::slate::{Launch, LaunchBy, LaunchError, Launched};
use crate::tell::{TellRun, TellTally};
use crate::tidy::{How, TidyRow, tidy};
use crate::{ConnectError, Connector};

/// What is to be done.
#[derive(Debug, Clone)]
pub(super) enum Job {
    /// Pull a system.
    Pull(SystemName),
    /// Look at what calls from outside were about.
    Look(SystemName),
    /// Collect from an agency that called.
    Delivered(SystemName),
    /// Take out what is no longer needed.
    Tidy,
    /// Ask the hubs of a system's feeds to call.
    Subscribe(SystemName),
    /// Tell somebody what happened.
    Tell(SystemName),
    /// Make and send a batch of a brief.
    Batch(String),
    /// Collect what came back of a brief's batches.
    Collect(String),
    /// Launch a slate, whose entries go on these lanes.
    Launch(String, Vec<LaneName>),
    /// Push lanes to one destination.
    Push(Vec<LaneName>, Extent),
}

/// How much of a lane is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Extent {
    /// All that is owed, held or failed, and whether the destination is the one that it was.
    Whole,
    /// What is owed alone.
    Owed,
}

impl Job {
    /// What is leased for it.
    pub(super) fn leases(&self) -> Vec<Leased> {
        match self {
            Job::Pull(system) => vec![Leased::System(system.clone())],
            Job::Look(system) => vec![Leased::Entries(system.clone())],
            Job::Delivered(system) => vec![Leased::Batches, Leased::Entries(system.clone())],
            Job::Subscribe(system) => vec![Leased::Hubs(system.clone())],
            Job::Tidy => vec![Leased::Tidying],
            Job::Tell(name) => vec![Leased::Tell(name.to_string())],
            Job::Batch(brief) => vec![Leased::Batches, Leased::Brief(brief.clone())],
            Job::Collect(brief) => vec![Leased::Batches, Leased::Returns(brief.clone())],
            Job::Launch(name, lanes) => {
                let lanes = lanes.iter().cloned().map(Leased::Lane);
                std::iter::once(Leased::Slate(name.clone())).chain(lanes).collect()
            }
            Job::Push(lanes, _) => lanes.iter().cloned().map(Leased::Lane).collect(),
        }
    }
}

/// A job that came to its end.
#[derive(Debug)]
pub struct Done {
    /// What it had leased.
    pub what: Vec<Leased>,
    /// How it ended.
    pub end: JobEnd,
}

/// How a job ended.
#[derive(Debug)]
pub enum JobEnd {
    /// A system was pulled.
    Pulled(Vec<PullRow>),
    /// Entries were looked at that calls from outside were about.
    Looked(Looked),
    /// What was no longer needed was taken out.
    Tidied(Vec<TidyRow>),
    /// The hubs of feeds were asked to call.
    Subscribed(Vec<Subscribed>),
    /// Somebody was told.
    Told(TellTally),
    /// The time of a brief had come.
    Batched(Result<TimedBatch, BatchError>),
    /// What came back was collected.
    Collected(Result<TimedCollection, BatchError>),
    /// The time of a slate had come.
    Launched(Result<Launched, LaunchError>),
    /// Lanes were pushed.
    Pushed(PushSummary),
    /// Another process does it; it is tried again.
    Taken(StoreError),
    /// It could not be begun: a credential is missing, say.
    NotBegun(ConnectError),
    /// Nobody could be told: a secret is missing, say.
    NotTold(ConnectError),
    /// The store failed.
    Store(StoreError),
    /// The program has a fault.
    Broken(String),
}

/// What a job works with.
pub(super) struct JobTools {
    pub(super) config: Arc<Config>,
    pub(super) worker: Arc<Worker>,
    pub(super) variable: fn(&str) -> Option<String>,
    pub(super) clock: Clock,
    pub(super) who: String,
    pub(super) asked: Arc<Asked>,
    pub(super) shared: Arc<Shared>,
}

impl JobTools {
    /// Does a job. Its leases are given up at its end, whatever that is.
    pub(super) async fn run(self, job: Job) -> Done {
        let what = job.leases();
        let end = match self.leased(&job, &what) {
            Ok(mut store) => {
                // Its leases are given up with it, also where the job panics.
                self.carry_out(job, &what, &mut store).await
            }
            Err(error @ StoreError::Leased(_)) => JobEnd::Taken(error),
            Err(error) => JobEnd::Store(error),
        };
        Done { what, end }
    }

    /// Keeps how far the job is.
    pub(super) fn listener(&self) -> Progressing {
        Progressing(Arc::clone(&self.shared))
    }

    fn leased(&self, job: &Job, what: &[Leased]) -> Result<LeasedStore, StoreError> {
        let store = Store::open_for_change(&self.config.store_place(&self.variable)?)?;
        // Only what goes through everything has much of the store in memory.
        let goes_through_all = matches!(job, Job::Pull(_) | Job::Push(_, Extent::Whole));
        let mut store = LeasedStore::new(if goes_through_all { store } else { store.sparing()? });
        self.worker.take(&mut store, what, "serve")?;
        Ok(store)
    }

    async fn carry_out(&self, job: Job, what: &[Leased], store: &mut Store) -> JobEnd {
        let variable = |name: &str| (self.variable)(name);
        let connector = Connector::new(&self.config, &variable);
        match job {
            Job::Pull(system) => {
                let source = PullSource { system: &system, reader: connector.reader(&system) };
                match pull(store, vec![source], PullOptions::default(), &self.clock, &mut self.listener()).await {
                    Ok(rows) => self.own(store).map_or_else(JobEnd::Store, |()| JobEnd::Pulled(rows)),
                    Err(error) => JobEnd::Store(error),
                }
            }
            Job::Look(system) => self.look(&system, &connector, store).await,
            Job::Delivered(system) => match self.delivered(&system, &connector, store).await {
                Ok(end) => JobEnd::Collected(end),
                Err(error) => JobEnd::Store(error),
            },
            Job::Subscribe(system) => self.subscribe(&system, &connector, store).await,
            Job::Tidy => self.tidy(store),
            Job::Tell(name) => self.tell(&name, &connector, store).await,
            Job::Batch(brief) => self.batch(&brief, &connector, store).await,
            Job::Collect(brief) => match self.collect(&brief, &connector, store).await {
                Ok(end) => JobEnd::Collected(end),
                Err(error) => JobEnd::Store(error),
            },
            Job::Launch(name, _) => self.launch(&name, &connector, store).await,
            Job::Push(lanes, extent) => self.push((&lanes, extent), what, (&connector, store)).await,
        }
    }

    /// Makes lists and outlines anew from what came in.
    fn own(&self, store: &mut Store) -> Result<(), StoreError> {
        make_own(&self.config, store, (self.clock)()).map(drop)
    }

    async fn look(&self, system: &SystemName, connector: &Connector<'_>, store: &mut Store) -> JobEnd {
        let tools = LookTools { worker: &self.worker, clock: self.clock, shared: &self.shared };
        match tools.look(system, connector, store).await {
            Ok(Ok(looked)) => JobEnd::Looked(looked),
            Ok(Err(error)) => JobEnd::NotBegun(error),
            Err(error) => JobEnd::Store(error),
        }
    }

    async fn subscribe(&self, system: &SystemName, connector: &Connector<'_>, store: &mut Store) -> JobEnd {
        let calls = &self.shared.hubs;
        let subscribing = Subscribing { config: &self.config, connector, clock: self.clock, calls };
        match subscribing.see_to(system, store).await {
            Ok(Ok(seen)) => JobEnd::Subscribed(seen),
            Ok(Err(error)) => JobEnd::NotTold(error),
            Err(error) => JobEnd::Store(error),
        }
    }

    fn tidy(&self, store: &mut Store) -> JobEnd {
        let (began, stop) = ((self.clock)(), || self.asked.is_ending());
        let done = tidy(&self.config, store, How::Done(&self.who), began, &stop).and_then(|rows| {
            store.note_work(&Leased::Tidying, (began, (self.clock)()), None)?;
            Ok(rows)
        });
        done.map_or_else(JobEnd::Store, JobEnd::Tidied)
    }

    async fn tell(&self, name: &SystemName, connector: &Connector<'_>, store: &mut Store) -> JobEnd {
        let Some(tell) = self.config.tells.get(name) else { return JobEnd::Told(TellTally::default()) };
        let run = TellRun { config: &self.config, name, tell, clock: &self.clock };
        match run.run(store, connector).await {
            Ok(Ok(tally)) => JobEnd::Told(tally),
            Ok(Err(error)) => JobEnd::NotTold(error),
            Err(error) => JobEnd::Store(error),
        }
    }

    async fn launch(&self, name: &str, connector: &Connector<'_>, store: &mut Store) -> JobEnd {
        let began = (self.clock)();
        let (command, stop) = (format!("serve, slate {name}"), || self.asked.is_ending());
        let author = Author { command: &command, who: &self.who };
        let by = LaunchBy { author, clock: &self.clock, stop: &stop };
        let end = match store.slate(name) {
            Ok(Some(slate)) => match Launch::of((&self.config, store), slate, |lanes| Target::of(lanes, connector), by)
            {
                Ok(launch) => launch.carry_out(store, None, &mut |_, _| {}).await,
                Err(error) => Err(error),
            },
            Ok(None) => return JobEnd::Launched(Ok(Launched::Faulty(Vec::new()))),
            Err(error) => Err(error.into()),
        };
        let (problem, asks) = match &end {
            Ok(Launched::Faulty(faults)) => {
                let first =
                    faults.first().map_or(String::new(), |fault| format!("{}: {}", fault.address, fault.message));
                (Some(format!("{} faults stand against it, the first: {first}", faults.len())), true)
            }
            Ok(Launched::Unseen(_)) => {
                (Some("some of it could not be saved, and nothing is on view; it is tried again".to_owned()), true)
            }
            Ok(Launched::InPart(_)) => (Some("some of it did not go; it is tried again".to_owned()), true),
            Ok(Launched::Whole(_)) => (None, false),
            Err(error) => (Some(error.to_string()), false),
        };
        let fault = problem.as_deref().map(|message| Fault { message, asks });
        let noted = store.note_work(&Leased::Slate(name.to_owned()), (began, (self.clock)()), fault);
        noted.map_or_else(JobEnd::Store, |()| JobEnd::Launched(end))
    }

    async fn batch(&self, name: &str, connector: &Connector<'_>, store: &mut Store) -> JobEnd {
        let Some(brief) = self.config.briefs.get(name) else {
            return JobEnd::Batched(Ok(TimedBatch::Waits { words: 0 }));
        };
        let timed = TimedBatches { config: &self.config, connector, brief, clock: &self.clock };
        let began = (self.clock)();
        let end = timed.make_and_send(store).await;
        let (problem, asks) = match &end {
            Ok(TimedBatch::TooMany { words }) => {
                let most = brief.times.most;
                (Some(format!("{words} words lack a translation; by itself at most {most} are sent")), true)
            }
            Ok(TimedBatch::Asked { batch, price }) => {
                (Some(format!("the agency asks {price} for `{batch}`: `diaporos batch quote {batch}`")), true)
            }
            Ok(_) => (None, false),
            Err(error) => (Some(error.to_string()), false),
        };
        let fault = problem.as_deref().map(|message| Fault { message, asks });
        let what = Leased::Brief(name.to_owned());
        let noted = store.note_work(&what, (began, (self.clock)()), fault);
        noted.map_or_else(JobEnd::Store, |()| JobEnd::Batched(end))
    }

    /// Collects what an agency that called has of every brief, and notes that it was looked at.
    async fn delivered(
        &self,
        agency: &SystemName,
        connector: &Connector<'_>,
        store: &mut Store,
    ) -> Result<Result<TimedCollection, BatchError>, StoreError> {
        let events = store.waiting_events(agency, (self.clock)(), TOGETHER)?;
        let mut all = TimedCollection::default();
        let mut failed = None;
        for brief in self.config.briefs_of(agency) {
            match self.collect(&brief.name, connector, store).await? {
                Ok(collection) => all += collection,
                Err(error) => failed = Some(error),
            }
        }
        let listed = match &failed {
            Some(_) => Listed::Failed,
            None if all.has_news() => Listed::News,
            None => Listed::NoNews,
        };
        let now = (self.clock)();
        let after = hints(&events).map(|hints| (numbers(&events), hints.after_listing(listed, now)));
        store.looked(&after.into_iter().collect::<Vec<_>>(), now)?;
        Ok(failed.map_or(Ok(all), Err))
    }

    async fn collect(
        &self,
        name: &str,
        connector: &Connector<'_>,
        store: &mut Store,
    ) -> Result<Result<TimedCollection, BatchError>, StoreError> {
        let Some(brief) = self.config.briefs.get(name) else {
            return Ok(Ok(TimedCollection::default()));
        };
        let timed = TimedBatches { config: &self.config, connector, brief, clock: &self.clock };
        let began = (self.clock)();
        let end = timed.collect(store).await;
        let problem = end.as_ref().err().map(ToString::to_string);
        let fault = problem.as_deref().map(|message| Fault { message, asks: false });
        store.note_work(&Leased::Returns(name.to_owned()), (began, (self.clock)()), fault)?;
        Ok(end)
    }

    async fn push(
        &self,
        (names, extent): (&[LaneName], Extent),
        what: &[Leased],
        with: (&Connector<'_>, &mut Store),
    ) -> JobEnd {
        let (connector, store) = with;
        let lanes: Vec<&ConfiguredLane> = names.iter().filter_map(|name| self.config.lanes.get(name)).collect();
        let targets = match Target::of(&lanes, connector) {
            Ok(targets) => targets,
            Err(error) => {
                // Noted, so that it is not tried again and again without a pause.
                let now = (self.clock)();
                let message = error.to_string();
                let fault = Some(Fault { message: &message, asks: false });
                let noted = what.iter().try_for_each(|lane| store.note_work(lane, (now, now), fault));
                return noted.map_or_else(JobEnd::Store, |()| JobEnd::NotBegun(error));
            }
        };
        let command = std::iter::once("serve").chain(names.iter().map(LaneName::as_str)).collect::<Vec<_>>().join(" ");
        let author = Author { command: &command, who: &self.who };
        let stop = || self.asked.is_ending();
        let (chosen, own) = (None, Some(&*self.config));
        let mut run = PushRun { store, targets: &targets, chosen, own, clock: &self.clock, stop: &stop };
        let options = PushOptions { only_owed: extent == Extent::Owed, ..PushOptions::default() };
        match run.run(options, author, &mut self.listener(), &mut |_, _| {}).await {
            Ok(summary) => JobEnd::Pushed(summary),
            Err(error) => JobEnd::Store(error),
        }
    }
}
