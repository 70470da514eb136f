//! How long changes take from their source to a destination. Pure.

use std::collections::BTreeMap;

use diaporos_store::Passage;
use jiff::{SignedDuration, Timestamp};
use serde::Serialize;

use super::Spread;

/// A revision that is older than this when it is taken in tells when an entry was first written, and not when it
/// changed: a source whose past was loaded.
const LONGEST: SignedDuration = SignedDuration::from_hours(24);

/// How long changes took on a lane.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Latency {
    /// The lane.
    pub lane: String,
    /// How many changes there were.
    pub changes: u64,
    /// Within how many seconds half of them were live.
    pub p50: f64,
    /// Within how many seconds 95 of 100 were.
    pub p95: f64,
    /// How many seconds the slowest took.
    pub worst: f64,
}

const STEPS: [(i64, &str); 9] = [
    (1_000, "1 s"),
    (5_000, "5 s"),
    (30_000, "30 s"),
    (120_000, "2 min"),
    (600_000, "10 min"),
    (3_600_000, "1 h"),
    (21_600_000, "6 h"),
    (86_400_000, "1 day"),
    (i64::MAX, "longer"),
];

/// How long changes took, in milliseconds, by lane.
#[derive(Debug, Default)]
pub(super) struct Latencies(BTreeMap<String, Vec<i64>>);

impl Latencies {
    pub(super) fn add(&mut self, passage: &Passage) {
        let lasted = passage.live.duration_since(changed(passage));
        let lasted = i64::try_from(lasted.as_millis()).unwrap_or(i64::MAX).max(0);
        match self.0.get_mut(&passage.lane) {
            Some(all) => all.push(lasted),
            None => {
                self.0.insert(passage.lane.clone(), vec![lasted]);
            }
        }
    }

    pub(super) fn spread(&self) -> Vec<Spread> {
        let mut spread = STEPS.map(|(_, within)| Spread { within, changes: 0 });
        for lasted in self.0.values().flatten() {
            let step = STEPS.iter().position(|(most, _)| lasted <= most).unwrap_or(STEPS.len() - 1);
            spread[step].changes += 1;
        }
        spread.into()
    }

    pub(super) fn by_lane(self) -> Vec<Latency> {
        let mut rows = Vec::new();
        for (lane, mut all) in self.0 {
            all.sort_unstable();
            let at = |percent: usize| all.get((all.len() * percent).div_ceil(100).max(1) - 1).copied();
            let (Some(p50), Some(p95), Some(worst)) = (at(50), at(95), at(100)) else { continue };
            let changes = all.len() as u64;
            rows.push(Latency { lane, changes, p50: seconds(p50), p95: seconds(p95), worst: seconds(worst) });
        }
        rows
    }
}

/// When the source changed: where its name for the version is a moment, then; where it is none, or one that
/// cannot be that of the change, when it was taken in.
fn changed(passage: &Passage) -> Timestamp {
    let said: Option<Timestamp> = passage.revision.as_ref().and_then(|revision| revision.parse().ok());
    let can_be = |said: &Timestamp| *said <= passage.taken && passage.taken.duration_since(*said) < LONGEST;
    said.filter(can_be).unwrap_or(passage.taken)
}

#[expect(clippy::cast_precision_loss, reason = "nobody measures 300,000 years to the millisecond")]
fn seconds(millis: i64) -> f64 {
    millis as f64 / 1_000.0
}
