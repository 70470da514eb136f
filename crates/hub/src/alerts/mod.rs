//! What a person should know: alerts that open once, and close when what they tell of is over.

mod conditions;
mod gather;

pub use conditions::{AlertFacts, AlertKind, SourceFacts, conditions};
pub use gather::{Surroundings, gather};

use diaporos_store::{AlertChanges, Store, StoreError};
use jiff::{SignedDuration, Timestamp};

use crate::config::Config;

/// How often people are reminded of an alert that is open.
const REMINDED_EVERY: SignedDuration = SignedDuration::from_hours(24);

/// Holds what is so now against the alerts that are open.
///
/// # Errors
/// Where the store fails.
pub fn look(
    config: &Config,
    store: &mut Store,
    around: &Surroundings,
    now: Timestamp,
) -> Result<AlertChanges, StoreError> {
    let facts = gather(config, store, around, now)?;
    store.take_alerts(&conditions(config, &facts, now), now - REMINDED_EVERY, now)
}
