//! How fast and how many at once a system is asked.

use std::collections::VecDeque;
use std::fmt;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use diaporos_core::value::SystemName;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio::time::Instant;

/// At most so many requests in a time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Rate {
    /// How many.
    pub requests: u32,
    /// In what time.
    pub within: Duration,
}

impl Rate {
    /// Reads `10/s`, `600/min` or `1000/h`.
    #[must_use]
    pub fn read(text: &str) -> Option<Rate> {
        let (count, unit) = text.split_once('/')?;
        let within = match unit.trim() {
            "s" => Duration::from_secs(1),
            "min" => Duration::from_secs(60),
            "h" => Duration::from_secs(3_600),
            _ => return None,
        };
        let requests = count.trim().parse().ok().filter(|count| *count > 0)?;
        Some(Rate { requests, within })
    }
}

/// What several processes ask of a system together, on whatever machines. Where it cannot be told, each keeps to itself.
pub trait Together: Send + Sync + fmt::Debug {
    /// Reserves so many turns, one `between` after the other; gives how long it is till the first.
    fn reserve(&self, system: &SystemName, many: u32, between: Duration) -> Option<Duration>;

    /// Shares `limit` requests that are under way at once. `by` has `held` of them and needs `idle` of those not now;
    /// gives how many it has from here on, of which it loses none but idle ones.
    fn share(&self, system: &SystemName, by: u64, limit: usize, held: usize, idle: usize) -> Option<usize>;
}

/// Lets requests through one after the other, evenly spaced, and so many at once.
#[derive(Debug, Clone)]
pub(crate) struct Pace {
    places: Arc<Semaphore>,
    between: Duration,
    next: Arc<Mutex<Option<Instant>>>,
    /// Nothing is asked before, for an answer said that nothing was left.
    rests_until: Arc<Mutex<Option<Instant>>>,
    shared: Option<Arc<Shared>>,
}

/// What is asked together with other processes.
#[derive(Debug)]
struct Shared {
    by: Arc<dyn Together>,
    system: SystemName,
    limit: usize,
    /// What this one is called in this process.
    own: u64,
    state: Mutex<Share>,
}

#[derive(Debug, Default)]
struct Share {
    held: usize,
    looked: Option<Instant>,
    turns: VecDeque<Instant>,
}

/// How often it is looked how many others there are.
const LOOKED_EVERY: Duration = Duration::from_millis(250);
/// For how long turns are reserved at a time.
const RESERVED_FOR: Duration = Duration::from_millis(100);
const MOST_RESERVED: u32 = 64;

impl Pace {
    pub(super) fn new(rate: Option<Rate>, concurrency: usize) -> Pace {
        let between = rate.map_or(Duration::ZERO, |rate| rate.within / rate.requests);
        let places = Arc::new(Semaphore::new(concurrency.max(1)));
        Pace { places, between, next: Arc::default(), rests_until: Arc::default(), shared: None }
    }

    /// The same, together with other processes.
    pub(super) fn together(system: &SystemName, by: Arc<dyn Together>, rate: Option<Rate>, concurrency: usize) -> Pace {
        static PACES: AtomicU64 = AtomicU64::new(0);
        let own = PACES.fetch_add(1, Ordering::Relaxed);
        let shared = Shared { by, system: system.clone(), limit: concurrency.max(1), own, state: Mutex::default() };
        // Nobody has a place before it is shared out.
        let places = Arc::new(Semaphore::new(0));
        Pace { places, shared: Some(Arc::new(shared)), ..Pace::new(rate, concurrency) }
    }

    /// Waits for its turn; the place is given back when the permit is dropped.
    pub(crate) async fn turn(&self) -> Option<OwnedSemaphorePermit> {
        let place = match &self.shared {
            // Fails only where the semaphore is closed, which nobody does.
            None => Arc::clone(&self.places).acquire_owned().await.ok(),
            Some(shared) => self.shared_place(shared).await,
        };
        if !self.between.is_zero() {
            let turn = self.take_turn(Instant::now());
            tokio::time::sleep_until(turn).await;
        }
        // Whoever waits here may meet another answer that says so.
        while let Some(until) = self.rest() {
            tokio::time::sleep_until(until).await;
        }
        place
    }

    /// Till when nothing is asked.
    fn rest(&self) -> Option<Instant> {
        let until = *self.rests_until.lock().unwrap_or_else(PoisonError::into_inner);
        until.filter(|until| *until > Instant::now())
    }

    /// Asks nothing for so long, for an answer said that nothing was left.
    pub(super) fn rest_for(&self, pause: Duration) {
        let until = Instant::now() + pause;
        let mut rests = self.rests_until.lock().unwrap_or_else(PoisonError::into_inner);
        *rests = Some(rests.map_or(until, |known| known.max(until)));
    }

    async fn shared_place(&self, shared: &Shared) -> Option<OwnedSemaphorePermit> {
        loop {
            shared.look(&self.places);
            let place = Arc::clone(&self.places).acquire_owned();
            if let Ok(place) = tokio::time::timeout(LOOKED_EVERY, place).await {
                return place.ok();
            }
        }
    }

    fn take_turn(&self, now: Instant) -> Instant {
        if let Some(turn) = self.shared.as_ref().and_then(|shared| shared.take_turn(self.between, now)) {
            return turn;
        }
        let mut next = self.next.lock().unwrap_or_else(PoisonError::into_inner);
        let turn = next.map_or(now, |next| next.max(now));
        *next = Some(turn + self.between);
        turn
    }
}

impl Shared {
    /// Takes its share of the places, now and then.
    fn look(&self, places: &Arc<Semaphore>) {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        if state.held > 0 && state.looked.is_some_and(|looked| looked.elapsed() < LOOKED_EVERY) {
            return;
        }
        // What is given to others is free before they have it.
        let idle = u32::try_from(places.available_permits()).unwrap_or(u32::MAX);
        let idle = Arc::clone(places).try_acquire_many_owned(idle).ok();
        let free = idle.as_ref().map_or(0, OwnedSemaphorePermit::num_permits);
        let held = match self.by.share(&self.system, self.own, self.limit, state.held, free) {
            Some(held) => held,
            None if state.held == 0 => self.limit,
            None => state.held,
        };
        if held >= state.held {
            places.add_permits(held - state.held);
        } else if let Some(mut idle) = idle {
            idle.split(state.held - held).into_iter().for_each(OwnedSemaphorePermit::forget);
        }
        (state.held, state.looked) = (held, Some(Instant::now()));
    }

    fn take_turn(&self, between: Duration, now: Instant) -> Option<Instant> {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        if state.turns.is_empty() {
            let many = RESERVED_FOR.as_micros() / between.as_micros().max(1);
            let many = u32::try_from(many).unwrap_or(MOST_RESERVED).clamp(1, MOST_RESERVED);
            let first = now + self.by.reserve(&self.system, many, between)?;
            state.turns.extend((0..many).map(|turn| first + between * turn));
        }
        state.turns.pop_front()
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use super::*;

    #[test]
    fn rates_as_written() {
        let rate = |requests, seconds| Some(Rate { requests, within: Duration::from_secs(seconds) });
        assert_eq!(Rate::read("10/s"), rate(10, 1));
        assert_eq!(Rate::read("600 / min"), rate(600, 60));
        for bad in ["", "10", "0/s", "-1/s", "10/day", "x/s"] {
            assert_eq!(Rate::read(bad), None, "{bad}");
        }
    }

    #[test]
    fn turns_are_evenly_spaced_and_a_pause_saves_none_up() {
        let pace = Pace::new(Rate::read("10/s"), 4);
        let start = Instant::now();
        let turns: Vec<Duration> = (0..3).map(|_| pace.take_turn(start) - start).collect();
        assert_eq!(turns, [0, 100, 200].map(Duration::from_millis));
        let later = start + Duration::from_secs(60);
        assert_eq!(pace.take_turn(later), later);
        assert_eq!(pace.take_turn(later), later + Duration::from_millis(100));
    }

    #[tokio::test]
    async fn nothing_is_asked_while_nothing_is_left() {
        let (pace, start) = (Pace::new(None, 4), Instant::now());
        drop(pace.turn().await);
        pace.rest_for(Duration::from_millis(90));
        pace.rest_for(Duration::from_millis(10));
        let turns = futures::future::join_all((0..3).map(|_| pace.turn())).await;
        assert!(turns.len() == 3 && start.elapsed() >= Duration::from_millis(90), "{:?}", start.elapsed());
    }

    /// Gives each of two the half of a limit, as far as the other lets go of it.
    #[derive(Debug, Default)]
    struct Halves(Mutex<HashMap<u64, usize>>);

    impl Together for Halves {
        fn reserve(&self, _: &SystemName, _: u32, _: Duration) -> Option<Duration> {
            None
        }

        fn share(&self, _: &SystemName, by: u64, limit: usize, held: usize, idle: usize) -> Option<usize> {
            let mut all = self.0.lock().unwrap();
            all.entry(by).or_default();
            let (many, taken) =
                (all.len(), all.iter().filter(|(other, _)| **other != by).map(|(_, held)| held).sum::<usize>());
            let fair = limit / many;
            let places = if fair < held { fair.max(held - idle) } else { fair.min(limit - taken).max(held) };
            all.insert(by, places);
            Some(places)
        }
    }

    #[tokio::test]
    async fn places_are_shared_and_never_more_than_there_are() {
        let (by, system) = (Arc::new(Halves::default()), SystemName::new("site").unwrap());
        let pace = || Pace::together(&system, by.clone(), None, 4);
        let (first, second) = (pace(), pace());
        let mut held: Vec<_> = Vec::new();
        for _ in 0..4 {
            held.push(first.turn().await.unwrap());
        }
        // The second waits till the first lets go of something, and looks again how many there are.
        assert!(tokio::time::timeout(2 * LOOKED_EVERY, second.turn()).await.is_err());
        held.truncate(2);
        tokio::time::sleep(LOOKED_EVERY).await;
        assert!(tokio::time::timeout(2 * LOOKED_EVERY, first.turn()).await.is_err(), "it keeps its half");
        let (one, other) = (second.turn().await.unwrap(), second.turn().await.unwrap());
        assert!(tokio::time::timeout(2 * LOOKED_EVERY, second.turn()).await.is_err());
        drop((one, other));
    }
}
