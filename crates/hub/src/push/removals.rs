//! How much a push may take away without being asked.

use diaporos_store::Store;

use super::PushError;
use crate::config::ConfiguredLane;

/// So many entries may always go.
const ALWAYS: u64 = 20;
/// And this part of those that are there.
const PART: u64 = 10;

/// Refuses a push that would take away more entries than go without being asked: a tenth of those
/// that the lane has there, or 20, whichever is more, or as many as are allowed.
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
    if entries <= allowed.unwrap_or(ALWAYS) {
        return Ok(());
    }
    let there = store.entries_there(&lane.lane.name)?;
    let limit = allowed.unwrap_or((there / PART).max(ALWAYS));
    if entries > limit { Err(PushError::Removals { entries, there, limit }) } else { Ok(()) }
}
