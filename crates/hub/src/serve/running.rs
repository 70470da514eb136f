//! The loop of a hub that runs by itself.

mod starts;

use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::sync::Arc;
use std::sync::atomic::Ordering;
use std::time::Duration;

use diaporos_core::value::LaneName;
use diaporos_store::{AlertChanges, Leased, Store, StoreError};
use jiff::{SignedDuration, Timestamp};

use super::call_keeper::CallKeeper;
use super::facts::facts;
use super::front::Front;
use super::hooks::Hooks;
use super::listener::listen;
use super::pages::{Access, Pages};
use super::shared::Shared;
use super::subscribing;
use super::underway::{Ended, Underway};
use super::watch::Watch;
use super::{ENDS_WITHIN, Serve, ServeError, Told};
use crate::alerts::{self, Surroundings};
use crate::config::{Config, Pushed};
use crate::look::register_lanes;
use crate::{Connector, share_identity};

/// How often it is looked whether something became due, at least: a machine that slept is noticed so.
const LOOKS_EVERY: Duration = Duration::from_secs(1);
/// How often conditions that depend on the time are asked anew; less often where that takes long.
const ASKED_ANEW_EVERY: SignedDuration = SignedDuration::from_mins(1);
/// How much longer than it took is waited till it is done again.
const SHARE_OF_TIME: i32 = 20;
/// How long hints that are done with are kept, so that one which comes again is known.
const KEPT_FOR: SignedDuration = SignedDuration::from_hours(72);
/// How often old ones are forgotten.
const FORGOTTEN_EVERY: SignedDuration = SignedDuration::from_mins(10);

/// How often what is no longer needed is taken out.
const TIDIED_EVERY: SignedDuration = SignedDuration::from_hours(24);
/// How long calls are waited for that come together.
const TOGETHER_WITHIN: Duration = Duration::from_millis(5);
/// For how long after a lane was gone through whole only what it owes is looked at.
const WHOLE_EVERY: SignedDuration = SignedDuration::from_mins(5);
/// How long is waited after the store failed.
const RESTS_IN_TROUBLE: Duration = Duration::from_secs(5);
/// How often alerts are told.
const ALERTED_EVERY: SignedDuration = SignedDuration::from_secs(15);

/// A hub that runs.
pub(super) struct Running {
    serve: Serve,
    config: Arc<Config>,
    shared: Arc<Shared>,
    store: Store,
    hooks: Hooks,
    watch: Watch,
    underway: Underway,
    /// When each lane was last gone through whole.
    gone_through: BTreeMap<LaneName, Timestamp>,
    started: Timestamp,
    /// When the configuration was read.
    read: Timestamp,
    /// When old hints were last forgotten.
    forgotten: Timestamp,
    /// When alerts were last told.
    alerted: Option<Timestamp>,
}

impl Running {
    pub(super) async fn begin(mut serve: Serve, config: Config) -> Result<Running, ServeError> {
        let started = (serve.clock)();
        let place = config.store_place(&serve.variable)?;
        let mut store = Store::open_for_change(&place)?.sparing()?;
        share_identity(&config.folder, &mut store)?;
        register_lanes(&config, &mut store, started)?;
        tell_broken_runs(&config, &serve, &mut store)?;
        let config = Arc::new(config);
        let shared = Arc::new(Shared::new(Arc::clone(&config), started));
        subscribing::make_known(&config, &mut store, &shared.hubs)?;
        let (hooks, variable) = (Hooks::default(), serve.variable);
        let variable = move |name: &str| variable(name);
        let connector = Connector::new(&config, &variable);
        hooks.set(&config, &connector)?;
        let access = connector.token()?.map_or(Access::Loopback, Access::Token);
        let at: SocketAddr = serve.listen.unwrap_or(config.serving.listen);
        if !at.ip().is_loopback() && matches!(access, Access::Loopback) {
            return Err(ServeError::NoToken { at });
        }
        let asked = Arc::clone(&serve.asked);
        let keeper = CallKeeper::begin(&place, move || asked.look())?;
        let front = Front::new(hooks.clone(), (keeper, place.clone()), Arc::clone(&shared), serve.clock);
        let pages = Pages::new(Store::open(&place)?.sparing()?, Arc::clone(&shared), serve.clock, access);
        let address = listen(at, front, pages).await.map_err(|error| ServeError::Listen { at, error })?;
        (serve.tell)(&Told::Listens(address));
        let (watch, underway, gone_through) = (Watch::of(&serve.folder), Underway::default(), BTreeMap::new());
        let (read, forgotten, alerted) = (started, started, None);
        Ok(Running {
            serve,
            config,
            shared,
            store,
            hooks,
            watch,
            underway,
            gone_through,
            started,
            read,
            forgotten,
            alerted,
        })
    }

    pub(super) async fn run(mut self) -> Result<(), ServeError> {
        let runs = runs(&self.config);
        (self.serve.tell)(&runs);
        while !self.serve.asked.is_ending() {
            let wait = match self.begin_what_is_due() {
                Ok(wait) => wait,
                // A disk that is full, say: what runs goes on, and it is tried again.
                Err(error) => {
                    (self.serve.tell)(&Told::Trouble(error));
                    RESTS_IN_TROUBLE
                }
            };
            tokio::select! {
                Some(ended) = self.underway.next(), if self.underway.count() > 0 => {
                    self.conclude(ended);
                }
                () = tokio::time::sleep(wait) => {}
                // What is asked together is looked at together.
                () = self.serve.asked.something.notified() => tokio::time::sleep(TOGETHER_WITHIN).await,
            }
        }
        self.end().await;
        Ok(())
    }

    /// Begins what is due, and says how long nothing more is.
    fn begin_what_is_due(&mut self) -> Result<Duration, StoreError> {
        let now = (self.serve.clock)();
        self.read_anew(now)?;
        let known = facts(&self.config, &self.store, self.started, now)?;
        let wait = self.start_due(&known, now)?.min(self.start_called(&known, now)?);
        self.start_telling(now)?;
        self.start_subscribing(known.pauses.keys(), now)?;
        self.look_around(now)?;
        Ok(wait)
    }

    /// What is done now and then: alerts are told, and old hints forgotten.
    fn look_around(&mut self, now: Timestamp) -> Result<(), StoreError> {
        if now.duration_since(self.forgotten) >= FORGOTTEN_EVERY {
            self.store.forget_events(now - KEPT_FOR)?;
            self.store.forget_happenings(now - KEPT_FOR)?;
            self.forgotten = now;
            self.start_tidying(now)?;
        }
        if self.alerted.is_none_or(|alerted| now.duration_since(alerted) >= ALERTED_EVERY) {
            self.alerted = Some(now);
            let variable = self.serve.variable;
            let variable = move |name: &str| variable(name);
            let around = Surroundings::of(&self.config, &Connector::new(&self.config, &variable));
            let around = Surroundings { fault: self.shared.fault(), ..around };
            let changes = alerts::look(&self.config, &mut self.store, &around, now)?;
            if changes != AlertChanges::default() {
                (self.serve.tell)(&Told::Alerts(changes));
            }
        }
        Ok(())
    }

    /// Reads the configuration anew where it changed, or what it says depends on the time.
    fn read_anew(&mut self, now: Timestamp) -> Result<(), StoreError> {
        let is_asked = self.serve.asked.reload.swap(false, Ordering::Relaxed);
        if !is_asked && !self.watch.has_changed() && !self.is_to_be_asked_anew(now)? {
            return Ok(());
        }
        self.read = now;
        let is_told = is_asked || self.watch.changed_since_told();
        let taken = self.take_over(now)?;
        self.shared.set_fault(taken.as_ref().err().cloned());
        self.alerted = self.alerted.filter(|_| !is_told);
        match taken {
            Ok(()) if is_told => (self.serve.tell)(&Told::Reloaded),
            Err(fault) if is_told => (self.serve.tell)(&Told::Refused(fault)),
            _ => {}
        }
        Ok(())
    }

    /// Takes the configuration over where it is sound; the fault where it is not.
    fn take_over(&mut self, now: Timestamp) -> Result<Result<(), String>, StoreError> {
        let config = match (self.serve.load)() {
            Ok(config) => config,
            Err(fault) => return Ok(Err(fault)),
        };
        match register_lanes(&config, &mut self.store, now) {
            // A lane that is to have other ends under its old name is refused by the store alone.
            Err(error @ StoreError::Lane { .. }) => return Ok(Err(error.to_string())),
            other => other?,
        }
        let variable = self.serve.variable;
        if let Err(error) = self.hooks.set(&config, &Connector::new(&config, &move |name| variable(name))) {
            return Ok(Err(error.to_string()));
        }
        self.store.done_with_others(&config.systems.keys().collect::<Vec<_>>(), now)?;
        subscribing::make_known(&config, &mut self.store, &self.shared.hubs)?;
        self.gone_through.clear();
        self.config = Arc::new(config);
        self.shared.set_config(Arc::clone(&self.config));
        Ok(Ok(()))
    }

    /// Whether conditions that depend on the time are to be asked anew.
    fn is_to_be_asked_anew(&self, now: Timestamp) -> Result<bool, StoreError> {
        let mut of_time = self.config.lanes.values().filter(|lane| lane.lane.depends_on_time()).peekable();
        let passed = now.duration_since(self.read);
        if passed < ASKED_ANEW_EVERY || of_time.peek().is_none() {
            return Ok(false);
        }
        let work = self.store.work()?;
        let took = of_time.filter_map(|lane| {
            let last = work.get(&Leased::Lane(lane.lane.name.clone()).to_string())?;
            Some(last.ended.duration_since(last.began))
        });
        let longest = took.max().unwrap_or_default();
        Ok(passed >= longest.checked_mul(SHARE_OF_TIME).unwrap_or(SignedDuration::MAX))
    }

    fn conclude(&mut self, ended: Ended) {
        let done = self.underway.conclude(ended, (self.serve.clock)());
        self.shared.ended(&done.what);
        (self.serve.tell)(&Told::Done(done));
    }

    /// Lets what is under way come to its end.
    async fn end(&mut self) {
        if self.underway.count() == 0 {
            return;
        }
        (self.serve.tell)(&Told::Ending(self.underway.count()));
        let all = async {
            while let Some(ended) = self.underway.next().await {
                self.conclude(ended);
            }
        };
        // What is not finished in time is as if it had been killed, and the next run settles it.
        let _ = tokio::time::timeout(ENDS_WITHIN, all).await;
    }
}

/// Tells of runs that were killed after they changed something, on lanes that nobody pushes now.
fn tell_broken_runs(config: &Config, serve: &Serve, store: &mut Store) -> Result<(), StoreError> {
    let lanes = config.lanes.keys().map(|name| Leased::Lane(name.clone()));
    for lane in lanes {
        match serve.worker.take(store, &[lane], "serve") {
            Ok(()) | Err(StoreError::Leased(_)) => {}
            Err(error) => return Err(error),
        }
    }
    let told = store.tell_broken_runs((serve.clock)());
    store.give_up_leases()?;
    told
}

/// What a hub does by itself.
fn runs(config: &Config) -> Told {
    Told::Runs {
        systems: config.systems.values().filter(|system| system.pulled.is_some() && system.can_be_read()).count(),
        lanes: config.lanes.values().filter(|lane| lane.pushing.when != Pushed::ByHand).count(),
    }
}
