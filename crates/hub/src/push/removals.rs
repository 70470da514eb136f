//! How much a push would take away, found out before anything is sent.

use diaporos_core::lane::{GonePolicy, Mapped};
use diaporos_core::plan::Presence;
use diaporos_store::{Due, Looking, Store};
use jiff::Timestamp;

use super::{PushError, WINDOW, map};
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
    allowed: Option<u64>,
    now: Timestamp,
) -> Result<(), PushError> {
    let name = &lane.lane.name;
    // Nearly every push ends here, and has counted no more than what is due.
    if lane.lane.gone == GonePolicy::Keep || store.due_and_there(name)? <= ALWAYS {
        return Ok(());
    }
    let there = store.entries_there(name)?;
    let limit = allowed.unwrap_or((there / PART).max(ALWAYS));
    let mut entries = 0;
    let mut after = 0;
    loop {
        let due = store.due(name, Looking::All, after, WINDOW)?;
        let Some(last) = due.last() else { break };
        after = last.number;
        entries += due.iter().filter(|due| is_there(due) && goes_away(store, lane, due, now)).count() as u64;
    }
    if entries > limit { Err(PushError::Removals { entries, there, limit }) } else { Ok(()) }
}

fn is_there(due: &Due) -> bool {
    due.counterparts.iter().any(|row| row.counterpart.presence == Presence::Present)
}

/// What a person takes off is no slip.
fn goes_away(store: &Store, lane: &ConfiguredLane, due: &Due, now: Timestamp) -> bool {
    if due.taken_off {
        return false;
    }
    let mapping = map(store, lane, due, now);
    mapping.mapped == Mapped::Outside && mapping.protected.is_none()
}
