//! What alerts are told from, gathered from the store and the machine.

use std::collections::BTreeMap;

use diaporos_core::value::SystemName;
use diaporos_store::{BatchStanding, Store, StoreError, UnitStanding};
use diaporos_systems::settings::Quiet;
use jiff::{SignedDuration, Timestamp};

use super::conditions::{AlertFacts, SourceFacts};
use crate::Connector;
use crate::config::Config;

/// How far back a rhythm is looked at.
const LOOKED_BACK: SignedDuration = SignedDuration::from_hours(24 * 7 * 14);

/// What is known of the machine and the run, and not of the hub.
#[derive(Debug, Clone, Default)]
pub struct Surroundings {
    /// Bytes of free disk where the store lies, where that is known.
    pub free: Option<u64>,
    /// When the first credential of each system ends, where that is known.
    pub credentials: BTreeMap<SystemName, Timestamp>,
    /// Why the configuration as it is now is not taken over.
    pub fault: Option<String>,
}

impl Surroundings {
    /// What is known of the machine and its variables.
    #[must_use]
    pub fn of(config: &Config, connector: &Connector<'_>) -> Surroundings {
        let ends = config.systems.keys().filter_map(|name| Some((name.clone(), connector.credentials_end(name)?)));
        Surroundings { free: free(config), credentials: ends.collect(), fault: None }
    }
}

#[cfg(unix)]
fn free(config: &Config) -> Option<u64> {
    let found = rustix::fs::statvfs(config.own_folder()).ok()?;
    Some(found.f_bavail.saturating_mul(found.f_frsize))
}

#[cfg(not(unix))]
fn free(_: &Config) -> Option<u64> {
    None
}

/// Gathers what alerts are told from.
///
/// # Errors
/// Where the store fails.
pub fn gather(config: &Config, store: &Store, around: &Surroundings, now: Timestamp) -> Result<AlertFacts, StoreError> {
    let mut facts = AlertFacts {
        work: store.work()?,
        held: store.long_held(now - config.alerting.held)?,
        calls: store.waiting()?,
        free: around.free,
        credentials: around.credentials.clone(),
        edited: store.edited_there()?,
        slates: store
            .slates()?
            .into_iter()
            .filter(|slate| slate.standing.is_pending())
            .map(|slate| slate.name)
            .collect(),
        fault: around.fault.clone(),
        ..AlertFacts::default()
    };
    let sources = config.systems.iter().filter(|(_, system)| system.can_be_read() && system.quiet != Quiet::Never);
    for (name, _) in sources {
        let hours = store.arrival_hours(name, now - LOOKED_BACK)?;
        let last = store.last_arrival(name)?;
        facts.sources.insert(name.clone(), SourceFacts { hours, last });
    }
    for batch in store.batches()? {
        let Some(due) = batch.due.filter(|due| *due < now && batch.standing == BatchStanding::Sent) else { continue };
        let counts = store.batch_counts(batch.number)?;
        let missing = counts.iter().filter(|count| {
            matches!(count.standing, UnitStanding::Out | UnitStanding::Pending | UnitStanding::Rejected)
        });
        let missing: u64 = missing.map(|count| count.units).sum();
        if missing > 0 {
            facts.late.push((batch.name, missing, due));
        }
    }
    Ok(facts)
}
