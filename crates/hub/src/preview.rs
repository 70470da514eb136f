//! Preview: what an entry becomes on a lane, and the very request, without sending it.

use std::collections::{BTreeMap, HashMap};

use diaporos_core::value::Address;
use diaporos_store::Store;
use diaporos_systems::Write;
use diaporos_systems::http::Request;

use crate::config::ConfiguredLane;
use crate::push::{DocumentPlan, EntryPlan, PushError, map, order_for, plan_entry};

/// What an entry becomes, decided by what the hub knows: nothing is asked of the destination, so
/// that what was never delivered is shown as it would be created.
///
/// # Errors
/// Where the store fails.
pub fn preview(store: &Store, lane: &ConfiguredLane, address: &Address) -> Result<Option<EntryPlan>, PushError> {
    let Some(due) = store.look_at(&lane.lane.name, address)? else { return Ok(None) };
    let mapping = map(store, lane, &due);
    plan_entry(store, lane, due, mapping, &BTreeMap::new(), &mut HashMap::new()).map(Some)
}

/// The requests that a push would send for an entry. A document that is as it should be has none.
///
/// # Errors
/// Where the destination cannot do what is wanted.
pub fn requests<'a>(
    plan: &'a EntryPlan,
    lane: &ConfiguredLane,
    writer: &dyn Write,
) -> Result<Vec<(&'a DocumentPlan, Request)>, PushError> {
    let item = plan.item();
    let orders = plan.documents.iter().filter_map(|document| Some((document, order_for(document, item.as_ref())?)));
    orders.map(|(document, order)| Ok((document, writer.request(&lane.lane.to.kind, &order)?))).collect()
}
