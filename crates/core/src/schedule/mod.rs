//! When something is due: at intervals, at times of the day, or by a cron expression, in a time zone.

mod cron;
pub mod rhythm;

use std::fmt;

use jiff::civil::Time;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp, ToSpan};

pub use cron::{Cron, CronError};

use crate::change::fingerprint_texts;

/// The times at which something is due.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Times {
    /// So long after it last began.
    Every(SignedDuration),
    /// At these times of each day, in order. One that a clock skips comes as much later as the clock moved;
    /// one that comes twice counts the first time.
    At(Vec<Time>),
    /// When a cron expression says so.
    Cron(Box<Cron>),
}

/// The times at which something is due, in a zone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Schedule {
    /// The times.
    pub times: Times,
    /// The zone in which times of the day are meant.
    pub zone: TimeZone,
}

/// How far what is due at the same time is spread at most.
const MOST_SPREAD: SignedDuration = SignedDuration::from_secs(30);

impl Schedule {
    /// The first moment after another at which it is due; none where no such moment comes.
    #[must_use]
    pub fn next(&self, after: Timestamp) -> Option<Timestamp> {
        match &self.times {
            Times::Every(interval) => after.checked_add(*interval).ok(),
            Times::At(times) => self.next_of_day(times, after),
            Times::Cron(cron) => cron.next(after, &self.zone),
        }
    }

    /// The same, a little later by the name of what is due, so that what has the same times does not begin in
    /// the same second. The same name always comes at the same moment.
    #[must_use]
    pub fn next_spread(&self, after: Timestamp, name: &str) -> Option<Timestamp> {
        let next = self.next(after)?;
        let gap = match &self.times {
            Times::Every(interval) => *interval,
            Times::At(_) | Times::Cron(_) => self.next(next)?.duration_since(next),
        };
        let most = (gap / 10).min(MOST_SPREAD);
        next.checked_add(spread(most, name)).ok()
    }

    /// The first moment at which it is due, where it last began at a moment or never did. What was missed while
    /// nothing ran is due once.
    #[must_use]
    pub fn due(&self, last: Option<Timestamp>, started: Timestamp, name: &str) -> Option<Timestamp> {
        match (last, &self.times) {
            (None, Times::Every(_)) => started.checked_add(spread(SignedDuration::from_secs(2), name)).ok(),
            // The moment that it last began was a little later than it was due.
            (Some(last), Times::At(_) | Times::Cron(_)) => self.next_spread(last, name),
            (Some(last), Times::Every(interval)) => last.checked_add(*interval).ok(),
            (None, _) => self.next_spread(started, name),
        }
    }

    fn next_of_day(&self, times: &[Time], after: Timestamp) -> Option<Timestamp> {
        let mut day = after.to_zoned_datetime(self.zone.clone()).date().yesterday().ok()?;
        // Yesterday too: a time that the clock skipped at midnight comes on the day after.
        for _ in 0..4 {
            let moments = times.iter().filter_map(|time| {
                let zoned = self.zone.to_ambiguous_zoned_datetime(day.to_datetime(*time)).compatible().ok()?;
                Some(zoned.timestamp())
            });
            if let Some(next) = moments.filter(|moment| *moment > after).min() {
                return Some(next);
            }
            day = day.checked_add(1.day()).ok()?;
        }
        None
    }
}

/// A part of a duration that a name always gets.
fn spread(most: SignedDuration, name: &str) -> SignedDuration {
    let hash = fingerprint_texts([name]);
    let share = hash.as_bytes().first_chunk().map_or(0, |bytes: &[u8; 4]| u32::from_be_bytes(*bytes));
    let millis = most.as_millis().max(0) * i128::from(share) / i128::from(u32::MAX);
    SignedDuration::from_millis(i64::try_from(millis).unwrap_or_default())
}

impl fmt::Display for Schedule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let zone = self.zone.iana_name().unwrap_or("UTC");
        match &self.times {
            Times::Every(interval) => write!(f, "every {interval:#}"),
            Times::At(times) => {
                let times: Vec<String> = times.iter().map(|time| time.strftime("%H:%M").to_string()).collect();
                write!(f, "at {} {zone}", times.join(", "))
            }
            Times::Cron(cron) => write!(f, "cron {cron} {zone}"),
        }
    }
}

#[cfg(test)]
mod tests;
