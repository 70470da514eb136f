//! Explain: for each lane of an entry's type, whether it goes and why.

use std::collections::BTreeSet;

use diaporos_core::change::Divergence;
use diaporos_core::lane::{Explanation, Mapped, explain as of_lane};
use diaporos_core::plan::Hold;
use diaporos_core::value::Address;
use diaporos_store::{Standing, Store, StoreError, Undone};
use jiff::Timestamp;

use crate::config::{Config, ConfiguredLane};
use crate::mapping::{LaneWorld, map, previous, seen_by};
use crate::preview::preview;
use crate::push::PushError;

/// What a lane says of an entry.
#[derive(Debug)]
pub struct LaneSays<'a> {
    /// The lane.
    pub lane: &'a ConfiguredLane,
    /// What its conditions come to.
    pub explanation: Explanation,
    /// What keeps the entry back, as far as that is known without asking the destination.
    pub hold: Option<Hold>,
    /// Since when a person keeps the entry off.
    pub taken_off: Option<Timestamp>,
    /// How it is kept, where it is kept as it was before a run.
    pub undone: Option<Undone>,
    /// Where the entry stood after the last push.
    pub standing: Option<Standing>,
    /// The fields that the destination keeps in a form of its own.
    pub own_form: BTreeSet<String>,
}

/// Explains what every lane of the entry's type says of it; none where there is no such entry.
///
/// # Errors
/// Where the store fails.
pub fn explain<'a>(
    config: &'a Config,
    store: &Store,
    address: &Address,
    now: Timestamp,
) -> Result<Option<Vec<LaneSays<'a>>>, PushError> {
    if store.entry(address)?.is_none() {
        return Ok(None);
    }
    let own = config
        .lanes
        .values()
        .filter(|lane| (&lane.lane.from.system, &lane.lane.from.kind) == (&address.system, &address.kind));
    let mut said = Vec::new();
    for lane in own {
        let Some(due) = store.look_at(&lane.lane.name, address)? else { return Ok(None) };
        // Nothing of it has a translation to go back.
        if lane.returns.is_some() && matches!(map(store, lane, &due, now)?.mapped, Mapped::Outside) {
            continue;
        }
        let before = previous(&due.counterparts);
        let world = LaneWorld { store, lane };
        let explained =
            seen_by((store, lane), &due, before.as_ref(), |subject| of_lane(&lane.lane, subject, &world, now))?;
        let explanation = explained.map_err(StoreError::from)?;
        let hold = preview(store, lane, address, now)?.and_then(|plan| plan.hold);
        let standing = store.standing(&lane.lane.name, due.number)?.map(|(standing, _)| standing);
        let taken_off = store.taken_off(&lane.lane.name, due.number)?;
        let divergences = due.counterparts.iter().flat_map(|row| &row.counterpart.divergences);
        let stored = divergences.filter(|(_, divergences)| matches!(divergences, Divergence::Stored(_)));
        let own_form = stored.map(|(field, _)| field.clone()).collect();
        said.push(LaneSays { lane, explanation, hold, taken_off, undone: due.undone, standing, own_form });
    }
    Ok(Some(said))
}
