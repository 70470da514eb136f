//! What a hub that runs starts, and when.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Duration;

use diaporos_core::value::{LaneName, SystemName};
use diaporos_store::{Leased, Paused, StoreError};
use jiff::Timestamp;

use super::{LOOKS_EVERY, Running, TIDIED_EVERY, WHOLE_EVERY};
use crate::config::Keeping;
use crate::serve::agenda::{Facts, Planned, When, Why, agenda};
use crate::serve::jobs::{Extent, Job, JobTools};
use crate::serve::subscribing;
use crate::slate::{chosen, lanes};

impl Running {
    /// Starts what is due, and says how long nothing more is.
    pub(super) fn start_due(&mut self, known: &Facts, now: Timestamp) -> Result<Duration, StoreError> {
        let mut wait = LOOKS_EVERY;
        let mut pushes: BTreeMap<(SystemName, Extent), Vec<LaneName>> = BTreeMap::new();
        for Planned { what, when } in agenda(&self.config, known) {
            let When::At { moment, why } = when else { continue };
            if !self.underway.is_free(&what, now) {
                continue;
            }
            if moment > now {
                wait = wait.min(moment.duration_since(now).unsigned_abs());
                continue;
            }
            match what {
                Leased::System(system) => self.start(Job::Pull(system)),
                Leased::Lane(name) => {
                    let Some(lane) = self.config.lanes.get(&name) else { continue };
                    if !self.underway.is_pushed(&self.config, &lane.lane.to.system) {
                        let to = lane.lane.to.system.clone();
                        pushes.entry((to, self.extent(&name, why, now))).or_default().push(name);
                    }
                }
                // One at a time; the other is looked at again once it ended.
                Leased::Brief(_) | Leased::Returns(_) if !self.underway.is_free(&Leased::Batches, now) => {}
                Leased::Slate(name) => self.launch(name)?,
                Leased::Brief(brief) => self.start(Job::Batch(brief)),
                Leased::Returns(brief) => self.start(Job::Collect(brief)),
                Leased::Entries(_)
                | Leased::Hubs(_)
                | Leased::Tell(_)
                | Leased::Tidying
                | Leased::Batches
                | Leased::Open(_)
                | Leased::Hand(_, _) => {}
            }
        }
        for ((system, extent), mut lanes) in pushes {
            self.add_words(&mut lanes, known);
            // Lanes to one system are pushed one after the other.
            if self.underway.is_pushed(&self.config, &system) {
                continue;
            }
            if extent == Extent::Whole {
                self.gone_through.extend(lanes.iter().map(|lane| (lane.clone(), now)));
            }
            self.start(Job::Push(lanes, extent));
        }
        Ok(wait)
    }

    /// Adds the lanes that make documents of these lanes' words, where nobody paused them.
    fn add_words(&self, lanes: &mut Vec<LaneName>, known: &Facts) {
        let configured = lanes.iter().filter_map(|name| self.config.lanes.get(name)).collect();
        for lane in self.config.with_words(configured) {
            let name = &lane.lane.name;
            let is_paused = known.pauses.contains_key(&Leased::Lane(name.clone()).to_string());
            if !is_paused && !lanes.contains(name) {
                lanes.push(name.clone());
            }
        }
    }

    /// Launches a slate, once none of its lanes is being pushed.
    fn launch(&mut self, name: String) -> Result<(), StoreError> {
        let Some(slate) = self.store.slate(&name)? else { return Ok(()) };
        let chosen = chosen(&self.config, &slate, &self.store.slate_entries(&name)?);
        let lanes = lanes(&self.config, &chosen);
        let systems = lanes.iter().filter_map(|lane| Some(&self.config.lanes.get(lane)?.lane.to.system));
        if !systems.into_iter().any(|system| self.underway.is_pushed(&self.config, system)) {
            self.start(Job::Launch(name, lanes));
        }
        Ok(())
    }

    /// How much of a lane is looked at. What is owed alone goes quickly where all is well; in doubt, after a
    /// failure and now and then all of it is gone through.
    fn extent(&self, lane: &LaneName, why: Why, now: Timestamp) -> Extent {
        let last = self.gone_through.get(lane);
        let is_recent = last.is_some_and(|last| now.duration_since(*last) < WHOLE_EVERY);
        let is_certain = self.store.count_in_doubt(lane).is_ok_and(|count| count == 0);
        if why == Why::Owed && is_recent && is_certain { Extent::Owed } else { Extent::Whole }
    }

    /// Starts looking at what calls from outside were about, and says how long nothing more of that is due.
    pub(super) fn start_called(&mut self, known: &Facts, now: Timestamp) -> Result<Duration, StoreError> {
        let mut wait = LOOKS_EVERY;
        let subscribed = self.config.systems.iter().filter(|(_, system)| !system.subscribed().is_empty());
        let called = self.config.hooks.values().map(|hook| &hook.system).chain(subscribed.map(|(name, _)| name));
        let called: BTreeSet<SystemName> = called.cloned().collect();
        for system in called {
            let Some(next) = self.store.next_look(&system)? else { continue };
            if next > now {
                wait = wait.min(next.duration_since(now).unsigned_abs());
                continue;
            }
            let pulled = Paused::One(Leased::System(system.clone()));
            let is_paused = [Paused::All, pulled].iter().any(|one| known.pauses.contains_key(&one.to_string()));
            if is_paused || !self.underway.is_free(&Leased::Entries(system.clone()), now) {
                continue;
            }
            if self.config.briefs_of(&system).next().is_none() {
                self.start(Job::Look(system));
            } else if self.underway.is_free(&Leased::Batches, now) {
                self.start(Job::Delivered(system));
            }
        }
        Ok(wait)
    }

    /// Starts taking out what is no longer needed, once a day.
    pub(super) fn start_tidying(&mut self, now: Timestamp) -> Result<(), StoreError> {
        let last = self.store.work()?.get(&Leased::Tidying.to_string()).map(|last| last.began);
        let is_due = last.is_none_or(|last| now.duration_since(last) >= TIDIED_EVERY);
        if is_due && self.config.keeping != Keeping::default() && self.underway.is_free(&Leased::Tidying, now) {
            self.start(Job::Tidy);
        }
        Ok(())
    }

    /// Starts seeing to the hubs of feeds.
    pub(super) fn start_subscribing<'a>(
        &mut self,
        paused: impl Iterator<Item = &'a String> + Clone,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        for system in subscribing::due(&self.config, &self.store, now)? {
            let pulled = Leased::System(system.clone()).to_string();
            let is_paused = paused.clone().any(|one| *one == pulled || *one == Paused::All.to_string());
            if !is_paused && self.underway.is_free(&Leased::Hubs(system.clone()), now) {
                self.start(Job::Subscribe(system));
            }
        }
        Ok(())
    }

    /// Starts telling those to whom something is to be told.
    pub(super) fn start_telling(&mut self, now: Timestamp) -> Result<(), StoreError> {
        if self.config.tells.is_empty() {
            return Ok(());
        }
        for due in self.store.tells_due(now)? {
            let name = self.config.tells.keys().find(|known| known.as_str() == due).cloned();
            if let Some(name) = name.filter(|_| self.underway.is_free(&Leased::Tell(due), now)) {
                self.start(Job::Tell(name));
            }
        }
        Ok(())
    }

    fn start(&mut self, job: Job) {
        let tools = JobTools {
            config: Arc::clone(&self.config),
            worker: Arc::clone(&self.serve.worker),
            variable: self.serve.variable,
            clock: self.serve.clock,
            who: self.serve.who.clone(),
            asked: Arc::clone(&self.serve.asked),
            shared: Arc::clone(&self.shared),
        };
        self.shared.began(&job.leases(), (self.serve.clock)());
        self.underway.start(job, tools);
    }
}
