//! What is out of order. Pure: what is known and the time come in.

use std::collections::BTreeMap;

use diaporos_core::schedule::rhythm::{Hours, Rhythm};
use diaporos_core::value::SystemName;
use diaporos_store::{Condition, Leased, LongHeld, Waiting, WorkRow};
use diaporos_systems::settings::Quiet;
use jiff::{SignedDuration, Timestamp};

use crate::config::Config;

/// What an alert is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum AlertKind {
    /// A source is quieter than it should be.
    Quiet,
    /// Pulls of a source fail in a row.
    PullFails,
    /// Pushes of a lane fail in a row.
    PushFails,
    /// A push stopped to ask a person.
    PushAsks,
    /// Entries are held longer than they should be.
    Held,
    /// Somebody else changed documents at a destination, and nobody has answered whose version is right.
    Drift,
    /// A credential is about to end.
    Credential,
    /// A batch is late.
    BatchLate,
    /// The hour of a slate has come, and something stands against its launch.
    Slate,
    /// A batch is larger than `serve` may send, or making, sending or collecting one fails in a row.
    Batch,
    /// Calls from outside wait.
    CallsWait,
    /// The disk is nearly full.
    Disk,
    /// The configuration is faulty, and the one before goes on.
    Configuration,
}

impl AlertKind {
    /// Every kind with its word.
    pub const WORDS: [(&str, AlertKind); 13] = [
        ("quiet", AlertKind::Quiet),
        ("pull-fails", AlertKind::PullFails),
        ("push-fails", AlertKind::PushFails),
        ("push-asks", AlertKind::PushAsks),
        ("held", AlertKind::Held),
        ("drift", AlertKind::Drift),
        ("credential", AlertKind::Credential),
        ("batch-late", AlertKind::BatchLate),
        ("batch", AlertKind::Batch),
        ("slate", AlertKind::Slate),
        ("calls-wait", AlertKind::CallsWait),
        ("disk", AlertKind::Disk),
        ("configuration", AlertKind::Configuration),
    ];

    /// The kind's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, kind)| *kind == self).map_or("", |(word, _)| word)
    }

    /// What to do about it, of a subject.
    #[must_use]
    pub fn way_out(word: &str, subject: &str) -> String {
        let kind = Self::WORDS.iter().find(|(known, _)| *known == word).map(|(_, kind)| *kind);
        match kind {
            Some(AlertKind::Quiet) => format!("see whether it still publishes: `diaporos probe {subject}`"),
            Some(AlertKind::PullFails) => format!("`diaporos probe {subject}` says what fails"),
            Some(AlertKind::PushFails) => format!("`diaporos push {subject}` shows what fails"),
            Some(AlertKind::PushAsks) => format!("`diaporos push {subject} --dry-run` shows what it would do"),
            Some(AlertKind::Held) => "`diaporos holds` says why, and the way out of each".to_owned(),
            Some(AlertKind::Drift) => format!("`diaporos holds {subject}` lists them, each with the way out"),
            Some(AlertKind::Credential) => {
                format!("have it renewed, and see with `diaporos probe {subject}` that the new one is accepted")
            }
            Some(AlertKind::Slate) => format!("`diaporos slate check {subject}` names every fault, and the way out"),
            Some(AlertKind::Batch) => format!("`diaporos batch make {subject} --dry-run` shows what it would be"),
            Some(AlertKind::BatchLate) => format!("`diaporos batch progress {subject}` says what is missing"),
            Some(AlertKind::CallsWait) => "does the source answer? `diaporos status` says what fails".to_owned(),
            Some(AlertKind::Disk) => "make room, or move the hub to a larger disk".to_owned(),
            Some(AlertKind::Configuration) => "`diaporos check` names every fault".to_owned(),
            None => String::new(),
        }
    }
}

/// What is known of a source.
#[derive(Debug, Clone, Default)]
pub struct SourceFacts {
    /// The hours in which something came in.
    pub hours: Hours,
    /// When something last came in.
    pub last: Option<Timestamp>,
}

/// What is known when alerts are told.
#[derive(Debug, Clone, Default)]
pub struct AlertFacts {
    /// How systems were last pulled and lanes pushed.
    pub work: BTreeMap<String, WorkRow>,
    /// The sources.
    pub sources: BTreeMap<SystemName, SourceFacts>,
    /// What is held too long, by lane.
    pub held: Vec<LongHeld>,
    /// What is held because somebody else changed it at the destination, by lane.
    pub edited: Vec<LongHeld>,
    /// When the first credential of each system ends, where that is known.
    pub credentials: BTreeMap<SystemName, Timestamp>,
    /// Batches that are late, with how many texts are missing, and since when.
    pub late: Vec<(String, u64, Timestamp)>,
    /// Slates that are to be launched.
    pub slates: Vec<String>,
    /// Calls that wait.
    pub calls: Waiting,
    /// Bytes of free disk, where that is known.
    pub free: Option<u64>,
    /// Why the configuration as it is now is not taken over.
    pub fault: Option<String>,
}

/// Everything that is out of order.
#[must_use]
pub fn conditions(config: &Config, facts: &AlertFacts, now: Timestamp) -> Vec<Condition> {
    let mut found = Found(Vec::new());
    found.systems(config, facts, now);
    found.lanes(config, facts);
    found.batches(config, facts);
    found.slates(config, facts);
    found.hub(config, facts, now);
    found.0
}

struct Found(Vec<Condition>);

impl Found {
    fn add(&mut self, kind: AlertKind, subject: &str, message: String) {
        self.0.push(Condition { kind: kind.word(), subject: subject.to_owned(), message });
    }

    fn systems(&mut self, config: &Config, facts: &AlertFacts, now: Timestamp) {
        for (name, system) in &config.systems {
            let last = facts.work.get(&Leased::System(name.clone()).to_string());
            if let Some(message) = last.and_then(|last| failing(last, config.alerting.failures)) {
                self.add(AlertKind::PullFails, name.as_str(), message);
            }
            if let Some(message) = facts.sources.get(name).and_then(|known| silence(known, system.quiet, now)) {
                self.add(AlertKind::Quiet, name.as_str(), message);
            }
            let end = facts.credentials.get(name);
            if let Some(end) = end.filter(|end| end.duration_since(now) < config.alerting.credentials) {
                let ends = if *end > now { "ends" } else { "ended" };
                self.add(AlertKind::Credential, name.as_str(), format!("a credential {ends} on {}", moment(*end)));
            }
        }
    }

    fn lanes(&mut self, config: &Config, facts: &AlertFacts) {
        for name in config.lanes.keys() {
            let Some(last) = facts.work.get(&Leased::Lane(name.clone()).to_string()) else { continue };
            match (last.asks, failing(last, config.alerting.failures)) {
                (true, _) => self.add(AlertKind::PushAsks, name.as_str(), last.problem.clone().unwrap_or_default()),
                (false, Some(message)) => self.add(AlertKind::PushFails, name.as_str(), message),
                (false, None) => {}
            }
        }
        let is_configured = |held: &&LongHeld| config.lanes.contains_key(&held.lane);
        for LongHeld { lane, entries, since } in facts.held.iter().filter(is_configured) {
            let what = if *entries == 1 { "1 entry is".to_owned() } else { format!("{entries} entries are") };
            self.add(AlertKind::Held, lane.as_str(), format!("{what} held, the first since {}", day(*since)));
        }
        for LongHeld { lane, entries, since } in facts.edited.iter().filter(is_configured) {
            let what = if *entries == 1 { "a document was".to_owned() } else { format!("{entries} documents were") };
            let message = format!("{what} changed there by somebody else, the first found {}", day(*since));
            self.add(AlertKind::Drift, lane.as_str(), message);
        }
    }

    fn batches(&mut self, config: &Config, facts: &AlertFacts) {
        for name in config.briefs.keys() {
            let told = [Leased::Brief(name.clone()), Leased::Returns(name.clone())].into_iter().find_map(|what| {
                let last = facts.work.get(&what.to_string())?;
                if last.asks { last.problem.clone() } else { failing(last, config.alerting.failures) }
            });
            told.into_iter().for_each(|message| self.add(AlertKind::Batch, name, message));
        }
        for (batch, texts, due) in &facts.late {
            self.add(AlertKind::BatchLate, batch, format!("{texts} texts are missing, and were due {}", day(*due)));
        }
    }

    fn slates(&mut self, config: &Config, facts: &AlertFacts) {
        for name in &facts.slates {
            let Some(last) = facts.work.get(&Leased::Slate(name.clone()).to_string()) else { continue };
            let message = if last.asks { last.problem.clone() } else { failing(last, config.alerting.failures) };
            message.into_iter().for_each(|message| self.add(AlertKind::Slate, name, message));
        }
    }

    fn hub(&mut self, config: &Config, facts: &AlertFacts, now: Timestamp) {
        let waits_long = |oldest: &Timestamp| now.duration_since(*oldest) > config.alerting.calls;
        if let Some(oldest) = facts.calls.oldest.filter(waits_long) {
            let (events, since) = (facts.calls.events, lasted(now.duration_since(oldest)));
            let message = format!("{events} calls wait to be looked at, the oldest for {since}");
            self.add(AlertKind::CallsWait, "hooks", message);
        }
        if let Some(free) = facts.free.filter(|free| *free < config.alerting.disk) {
            self.add(AlertKind::Disk, "store", format!("{} MB are free where the store lies", free / 1_000_000));
        }
        if let Some(fault) = &facts.fault {
            self.add(AlertKind::Configuration, "diaporos.toml", format!("the one before goes on: {fault}"));
        }
    }
}

/// That something failed too often in a row.
fn failing(last: &WorkRow, most: u32) -> Option<String> {
    let problem = last.problem.as_ref().filter(|_| last.failures >= most)?;
    let well = last
        .well
        .map_or("it never went well".to_owned(), |well| format!("the last that went well was {}", moment(well)));
    Some(format!("{} failures in a row, {well}; the last: {problem}", last.failures))
}

/// That a source is quieter than it should be.
fn silence(known: &SourceFacts, quiet: Quiet, now: Timestamp) -> Option<String> {
    let last = known.last?;
    let lasts = now.duration_since(last);
    let told = format!("nothing came in for {}", lasted(lasts));
    match quiet {
        Quiet::Never => None,
        Quiet::After(most) => (lasts.unsigned_abs() > most).then_some(told),
        Quiet::Learned => {
            let rhythm = Rhythm::learned(&known.hours, last + SignedDuration::from_hours(1))?;
            rhythm.is_broken(last, now).then(|| format!("{told}, which is out of its rhythm"))
        }
    }
}

fn day(at: Timestamp) -> String {
    at.strftime("%Y-%m-%d").to_string()
}

fn moment(at: Timestamp) -> String {
    at.strftime("%Y-%m-%d %H:%M UTC").to_string()
}

/// A length of time in its largest whole unit.
fn lasted(lasts: SignedDuration) -> String {
    match (lasts.as_hours() / 24, lasts.as_hours(), lasts.as_mins()) {
        (days @ 3.., _, _) => format!("{days} days"),
        (_, hours @ 2.., _) => format!("{hours} hours"),
        (_, _, minutes) => format!("{minutes} minutes"),
    }
}

#[cfg(test)]
mod tests;
