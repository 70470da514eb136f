//! How much a push may take away, or take over, without being asked.

use diaporos_core::intake::removal_limit;
use diaporos_store::Store;

use super::PushError;
use crate::config::ConfiguredLane;

/// Refuses a push that would take away more entries than go without being asked
/// ([`removal_limit`] of those that the lane has there), or than are allowed.
///
/// # Errors
/// Where the store fails, or too many would go.
pub(super) fn ask_before_removing(
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

/// So many documents that were there before may always be taken over.
const ADOPTED: u64 = 10;

/// Refuses a push that would take over more documents that were there before than go without being
/// asked: ten, or a tenth of what the lane has there, or as many as are allowed. A look-up that answers
/// with the wrong documents would otherwise write over all of them.
///
/// # Errors
/// Where the store fails, or too many would be taken over.
pub(super) fn ask_before_adopting(
    store: &Store,
    lane: &ConfiguredLane,
    entries: u64,
    allowed: Option<u64>,
) -> Result<(), PushError> {
    if entries <= allowed.unwrap_or(ADOPTED) {
        return Ok(());
    }
    let limit = match allowed {
        Some(limit) => limit,
        None => (store.entries_there(&lane.lane.name)? / 10).max(ADOPTED),
    };
    if entries > limit { Err(PushError::Adoptions { entries, limit }) } else { Ok(()) }
}
