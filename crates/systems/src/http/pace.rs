//! How fast and how many at once a system is asked.

use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

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

/// Lets requests through one after the other, evenly spaced, and so many at once.
#[derive(Debug, Clone)]
pub(super) struct Pace {
    places: Arc<Semaphore>,
    between: Duration,
    next: Arc<Mutex<Option<Instant>>>,
}

impl Pace {
    pub(super) fn new(rate: Option<Rate>, concurrency: usize) -> Pace {
        let between = rate.map_or(Duration::ZERO, |rate| rate.within / rate.requests);
        Pace { places: Arc::new(Semaphore::new(concurrency.max(1))), between, next: Arc::default() }
    }

    /// Waits for its turn; the place is given back when the permit is dropped.
    pub(super) async fn turn(&self) -> Option<OwnedSemaphorePermit> {
        // Fails only where the semaphore is closed, which nobody does.
        let place = Arc::clone(&self.places).acquire_owned().await.ok();
        if !self.between.is_zero() {
            let turn = self.take_turn(Instant::now());
            tokio::time::sleep_until(turn).await;
        }
        place
    }

    fn take_turn(&self, now: Instant) -> Instant {
        let mut next = self.next.lock().unwrap_or_else(PoisonError::into_inner);
        let turn = next.map_or(now, |next| next.max(now));
        *next = Some(turn + self.between);
        turn
    }
}

#[cfg(test)]
mod tests {
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
}
