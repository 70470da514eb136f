//! What a hub that runs by itself does next, and when. Pure: what is known and the time come in.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::schedule::{Schedule, Times};
use diaporos_core::value::{LaneName, SystemName};
use diaporos_store::{Leased, Pause, Paused, WorkRow};
use jiff::{SignedDuration, Timestamp};

use crate::config::{Brief, Config, ConfiguredLane, Pushed};

/// What is known of a hub when its next work is told.
#[derive(Debug, Clone, Default)]
pub struct Facts {
    /// How systems were last pulled and lanes pushed.
    pub work: BTreeMap<String, WorkRow>,
    /// What is left alone.
    pub pauses: BTreeMap<String, Pause>,
    /// The lanes that are known as they are configured.
    pub lanes: BTreeMap<LaneName, LaneFacts>,
    /// Briefs of which a batch is with the translators.
    pub out: BTreeSet<String>,
    /// Slates that are launched by themselves, each with when.
    pub slates: Vec<(String, Timestamp)>,
    /// Since when `serve` runs.
    pub started: Timestamp,
}

/// What is known of a lane.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct LaneFacts {
    /// Entries that are owed a look.
    pub owed: u64,
    /// Entries that are held, or failed: they are looked at again with each pull.
    pub waiting: u64,
    /// Whether it was ever pushed.
    pub has_run: bool,
}

/// What is done to a system, a lane or a brief next.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Planned {
    /// The system, the lane or the brief.
    pub what: Leased,
    /// When, or why not.
    pub when: When,
}

/// When something is done by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum When {
    /// At this moment.
    At {
        /// The moment; a past one means at once.
        moment: Timestamp,
        /// By which rule.
        why: Why,
    },
    /// When there is something to do: after its source was pulled.
    AfterPull,
    /// When a person resumes it, or the pause ends.
    Paused(Pause),
    /// When a person has started its first load.
    FirstLoad,
    /// While a batch is with the translators.
    NothingOut,
    /// Never by itself: a person does it.
    ByHand,
    /// Never by itself: no times are set.
    NoTimes,
}

/// By which rule something is due.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// Its times say so.
    Times,
    /// It is tried again after a failure.
    Again,
    /// Something is owed.
    Owed,
    /// Its source was pulled, and something is held or failed.
    Pulled,
}

impl Why {
    /// The rule in words.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Why::Times => "its times",
            Why::Again => "tried again",
            Why::Owed => "owed",
            Why::Pulled => "held or failed, and its source was pulled",
        }
    }
}

/// How soon what failed at times of the day is tried again; twice as long after each further failure.
const FIRST_RETRY: SignedDuration = SignedDuration::from_secs(60);
/// How soon after its last push a lane is pushed that owes something again.
const SOON: SignedDuration = SignedDuration::from_millis(50);
/// How soon a lane is pushed again after a failure; twice as long after each further one.
const FIRST_REPEAT: SignedDuration = SignedDuration::from_secs(1);
/// The longest such pause.
const LONGEST_RETRY: SignedDuration = SignedDuration::from_mins(30);
const LONGEST_REPEAT: SignedDuration = SignedDuration::from_mins(5);

/// What is done next to each system that can be read, to each lane and to each brief, in the order of the
/// configuration.
#[must_use]
pub fn agenda(config: &Config, facts: &Facts) -> Vec<Planned> {
    let systems = config.systems.iter().filter(|(_, system)| system.can_be_read());
    let pulls = systems.map(|(name, system)| {
        let what = Leased::System(name.clone());
        let when = facts.paused(&what).unwrap_or_else(|| facts.pull(name, system.pulled.as_ref()));
        Planned { what, when }
    });
    let pushes = config.lanes.values().map(|lane| {
        let what = Leased::Lane(lane.lane.name.clone());
        let when = facts.paused(&what).unwrap_or_else(|| facts.push(lane));
        Planned { what, when }
    });
    let slates = facts.slates.iter().map(|(name, at)| facts.launch(name, *at));
    pulls.chain(pushes).chain(config.briefs.values().flat_map(|brief| facts.batches(brief))).chain(slates).collect()
}

impl Facts {
    fn paused(&self, what: &Leased) -> Option<When> {
        let all = self.pauses.get(&Paused::All.to_string());
        all.or_else(|| self.pauses.get(&what.to_string())).cloned().map(When::Paused)
    }

    fn pull(&self, name: &SystemName, schedule: Option<&Schedule>) -> When {
        let Some(schedule) = schedule else { return When::NoTimes };
        let last = self.work.get(&Leased::System(name.clone()).to_string());
        self.by_times(schedule, last, name.as_str())
    }

    /// What is done for a brief, where anything is by itself.
    fn batches(&self, brief: &Brief) -> Vec<Planned> {
        let (name, times) = (&brief.name, &brief.times);
        let made = times.made.as_ref().map(|schedule| (Leased::Brief(name.clone()), schedule, true));
        let is_out = self.out.contains(name);
        let collected = times.collected.as_ref().map(|schedule| (Leased::Returns(name.clone()), schedule, is_out));
        let planned = made.into_iter().chain(collected).map(|(what, schedule, has_something)| {
            let last = self.work.get(&what.to_string());
            let when = match has_something {
                true => self.by_times(schedule, last, name),
                false => When::NothingOut,
            };
            Planned { when: self.paused(&what).unwrap_or(when), what }
        });
        planned.collect()
    }

    /// When a slate is launched, or launched again after a failure.
    fn launch(&self, name: &str, at: Timestamp) -> Planned {
        let what = Leased::Slate(name.to_owned());
        let failed = self.work.get(&what.to_string()).filter(|last| last.failures > 0 && last.began >= at);
        let when = match failed {
            Some(last) => When::At { moment: after(last, FIRST_RETRY, LONGEST_RETRY), why: Why::Again },
            None => When::At { moment: at, why: Why::Times },
        };
        Planned { when: self.paused(&what).unwrap_or(when), what }
    }

    /// When something with times of its own is due; what failed at a time of the day is not left till the next.
    fn by_times(&self, schedule: &Schedule, last: Option<&WorkRow>, name: &str) -> When {
        let due = schedule.due(last.map(|last| last.began), self.started, name);
        let again = last.filter(|last| last.failures > 0 && !matches!(schedule.times, Times::Every(_)));
        let again = again.map(|last| after(last, FIRST_RETRY, LONGEST_RETRY));
        match (due, again) {
            (Some(due), Some(again)) if again < due => When::At { moment: again, why: Why::Again },
            (None, Some(again)) => When::At { moment: again, why: Why::Again },
            (Some(due), _) => When::At { moment: due, why: Why::Times },
            (None, None) => When::NoTimes,
        }
    }

    fn push(&self, lane: &ConfiguredLane) -> When {
        let name = &lane.lane.name;
        let known = self.lanes.get(name).copied().unwrap_or_default();
        let last = self.work.get(&Leased::Lane(name.clone()).to_string());
        match &lane.pushing.when {
            Pushed::ByHand => When::ByHand,
            _ if !known.has_run => When::FirstLoad,
            Pushed::At(schedule) => self.by_times(schedule, last, name.as_str()),
            Pushed::AfterPull if known.owed > 0 => match last {
                Some(last) if last.failures > 0 => {
                    When::At { moment: after(last, FIRST_REPEAT, LONGEST_REPEAT), why: Why::Again }
                }
                Some(last) => When::At { moment: last.ended.checked_add(SOON).unwrap_or(last.ended), why: Why::Owed },
                None => When::At { moment: self.started, why: Why::Owed },
            },
            Pushed::AfterPull => {
                let pulled = self.work.get(&Leased::System(lane.lane.from.system.clone()).to_string());
                let is_newer = pulled.filter(|pulled| last.is_none_or(|last| pulled.ended > last.began));
                match is_newer {
                    Some(pulled) if known.waiting > 0 => When::At { moment: pulled.ended, why: Why::Pulled },
                    _ => When::AfterPull,
                }
            }
        }
    }
}

/// A moment after something ended, the later the more often it failed.
fn after(last: &WorkRow, first: SignedDuration, longest: SignedDuration) -> Timestamp {
    let doubled = 1_i32.checked_shl(last.failures.saturating_sub(1).min(20)).unwrap_or(i32::MAX);
    let pause = first.checked_mul(doubled).unwrap_or(longest).min(longest);
    last.ended.checked_add(pause).unwrap_or(last.ended)
}

#[cfg(test)]
mod tests;
