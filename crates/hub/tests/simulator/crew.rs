//! Several processes, each of a machine of its own with a clock of its own, push from one store at once.

use std::panic::{AssertUnwindSafe, panic_any, resume_unwind};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU8, Ordering};
use std::time::Duration;

use diaporos_core::value::SystemName;
use diaporos_hub::Silent;
use diaporos_hub::look::register_lanes;
use diaporos_hub::pull::{PullOptions, PullSource, pull};
use diaporos_hub::push::{Author, PushOptions, PushRun, Target};
use diaporos_store::{Holder, Leased, Process, Store, StoreError, StorePlace};
use futures::FutureExt;
use jiff::{SignedDuration, Timestamp};
use proptest::prelude::*;
use tempfile::TempDir;

use crate::hub::Hub;
use crate::site::Site;
use crate::world::Died;

/// What happens to the store while they work.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Mishap {
    /// Every lease ends, as if nobody had said for long that he is still there.
    LeasesEnd,
    /// Every connection breaks off.
    ConnectionsBreak,
}

/// A process among others.
#[derive(Debug, Clone)]
pub(crate) struct Hand {
    /// So many seconds its clock is before or behind.
    pub(crate) skew: i64,
    /// What happens before it looks at its clock the so-manieth time.
    pub(crate) mishap: Option<(u8, Mishap)>,
}

pub(crate) fn hands() -> impl Strategy<Value = Vec<Hand>> {
    let mishap = prop_oneof![Just(Mishap::LeasesEnd), Just(Mishap::ConnectionsBreak)];
    let hand = (prop_oneof![Just(0), -7_200..7_200_i64], proptest::option::weighted(0.4, (1..60_u8, mishap)));
    proptest::collection::vec(hand.prop_map(|(skew, mishap)| Hand { skew, mishap }), 2..4)
}

/// How often a process that waits looks whether its turn has come.
const LOOKS: u32 = 400;

impl Hub {
    /// They pull and push at once, till the end of each or its death.
    pub(crate) async fn push_together(&mut self, site: &Site, hands: &[Hand], address: &str) {
        self.store = None;
        let works = hands.iter().enumerate().map(|(number, hand)| {
            let site = site.of_another();
            let hub = &*self;
            async move {
                let machine = TempDir::new().unwrap();
                let died = Arc::clone(&site.died);
                let work = AssertUnwindSafe(hub.hand(&site, (number, hand), machine.path(), address)).catch_unwind();
                tokio::select! {
                    biased;
                    () = died.notified() => {}
                    done = work => match done {
                        // What was overtaken, or lost its lease, ends, and the next one finishes the work.
                        Ok(Ok(()) | Err(StoreError::LeaseLost { .. })) => {}
                        Ok(Err(error)) => {
                            assert!(error.to_string().contains("another by now"), "{error}");
                        }
                        Err(why) if why.is::<Died>() => {}
                        Err(why) => resume_unwind(why),
                    },
                }
            }
        });
        futures::future::join_all(works).await;
        // Whoever died says no more that it is there, and in time its leases end.
        mishap(address, Mishap::LeasesEnd);
    }

    async fn hand(
        &self,
        site: &Site,
        (number, hand): (usize, &Hand),
        machine: &Path,
        address: &str,
    ) -> Result<(), StoreError> {
        let StorePlace::Server { server, .. } = &self.place else { panic!("it is in a file") };
        let place = StorePlace::Server { server: server.clone(), folder: machine.to_owned() };
        let looks = AtomicU8::new(0);
        let (began, Hand { skew, mishap: awaits }) = (self.began, hand.clone());
        let clock = || {
            let lives = site.world().look_at_the_clock();
            lives.unwrap_or_else(|died| panic_any(died));
            let seen = looks.fetch_add(1, Ordering::Relaxed);
            if let Some((at, what)) = awaits
                && at == seen
            {
                mishap(address, what);
            }
            let now = Timestamp::UNIX_EPOCH.checked_add(began.elapsed()).unwrap();
            now + SignedDuration::from_secs(skew + 10_000)
        };
        let mut store = Store::open_for_change(&place)?;
        let process = Process::begin(&place, &format!("hand-{number}"))?;
        register_lanes(self.config, &mut store, clock())?;
        let garden = SystemName::new("garden").unwrap();
        let lanes: Vec<Leased> = self.config.lanes.keys().map(|lane| Leased::Lane(lane.clone())).collect();
        let holder = Holder { process: &process, who: "simulator", doing: "push" };
        let until = |now: Timestamp| (now, now + SignedDuration::from_secs(60));
        if store.take_leases(&[Leased::System(garden.clone())], holder, until(clock())).is_ok() {
            let sources = vec![PullSource { system: &garden, reader: Ok(Box::new(self.garden.clone())) }];
            let options = PullOptions { allow_gone: Some(100), ..PullOptions::default() };
            pull(&mut store, sources, options, &clock, &mut Silent).await?;
            store.give_up_leases()?;
        }
        let target = |lane| Target { lane, writer: Arc::new(site.clone()), services: Arc::default() };
        let targets: Vec<Target<'_>> = self.config.lanes.values().map(target).collect();
        let author = Author { command: "push", who: "simulator" };
        for _ in 0..LOOKS {
            match store.take_leases(&lanes, holder, until(clock())) {
                Ok(()) => {
                    let mut run = PushRun {
                        store: &mut store,
                        targets: &targets,
                        chosen: None,
                        own: None,
                        clock: &clock,
                        stop: &|| false,
                    };
                    let options =
                        PushOptions { allow_removals: Some(100), allow_adoptions: Some(100), ..PushOptions::default() };
                    let done = run.run(options, author, &mut Silent, &mut |_, _| {}).await;
                    let _ = store.give_up_leases();
                    return done.map(drop);
                }
                Err(StoreError::Leased(_)) => {}
                Err(error) => return Err(error),
            }
            let mut hand = Store::open_for_change(&place)?;
            let own: Vec<Leased> = self.config.lanes.keys().map(|lane| Leased::hand(lane, process.name())).collect();
            hand.take_leases(&own, holder, until(clock()))?;
            let mut run = PushRun {
                store: &mut hand,
                targets: &targets,
                chosen: None,
                own: None,
                clock: &clock,
                stop: &|| false,
            };
            let helped = run.help(author, &mut Silent, &mut |_, _| {}).await;
            let _ = hand.give_up_leases();
            helped?;
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Ok(())
    }
}

fn mishap(address: &str, what: Mishap) {
    let sql = match what {
        Mishap::LeasesEnd => "UPDATE lease SET ends = 1",
        Mishap::ConnectionsBreak => {
            "SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity
                 WHERE datname = current_database() AND pid <> pg_backend_pid()"
        }
    };
    diaporos_peers::ask(address, sql).unwrap();
}
