//! How much a push may take away without being asked.

use diaporos_core::intake::removal_limit;
use diaporos_store::Store;

use super::PushError;
use crate::config::ConfiguredLane;

/// Refuses a push that would take away more entries than go without being asked
/// ([`removal_limit`] of those that the lane has there), or than are allowed.
///
/// # Errors
/// Where the store fails, or too many would go.
pub(super) fn ask_first(
    store: &Store,
    lane: &ConfiguredLane,
    entries: u64,
    allowed: Option<u64>,
) -> Result<(), PushError> {
    // Nearly every push ends here, and has counted nothing.
    if entries <= allowed.unwrap_or(1) {
        return Ok(());
    }
    let there = store.entries_there(&lane.lane.name)?;
    let limit = allowed.unwrap_or(removal_limit(there));
    if entries > limit { Err(PushError::Removals { entries, there, limit }) } else { Ok(()) }
}
