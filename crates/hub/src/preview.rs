//! Preview: what an entry becomes on a lane, step by step, beside what the destination holds, and
//! the very request, without sending it.

use std::collections::BTreeMap;

use diaporos_core::expr::Sight;
use diaporos_core::lane;
use diaporos_core::plan::{DocumentPlan, Existing, FoundDocument};
use diaporos_core::value::{Address, Record, Value};
use diaporos_store::{Store, StoreError};
use diaporos_systems::Write;
use diaporos_systems::http::Request;
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::mapping::{LaneWorld, map, previous, seen_by};
use crate::push::{Claims, EntryPlan, LaneOf, LookUps, PushError};

/// What an entry becomes, decided by what the hub knows: nothing is asked of the destination, so
/// that what was never delivered is shown as it would be created.
///
/// # Errors
/// Where the store fails.
pub fn preview(
    store: &Store,
    lane: &ConfiguredLane,
    address: &Address,
    now: Timestamp,
) -> Result<Option<EntryPlan>, PushError> {
    preview_with(store, lane, address, now, &|_| {})
}

/// As [`preview`], of an entry whose fields are otherwise: with translations that nobody has accepted yet.
///
/// # Errors
/// As there.
pub fn preview_with(
    store: &Store,
    lane: &ConfiguredLane,
    address: &Address,
    now: Timestamp,
    change: &dyn Fn(&mut Record),
) -> Result<Option<EntryPlan>, PushError> {
    let Some(mut due) = store.look_at(&lane.lane.name, address)? else { return Ok(None) };
    change(&mut due.entry.fields);
    let mapping = map(store, lane, &due, now)?;
    LaneOf { store, lane }.plan_entry(due, mapping, &BTreeMap::new(), &mut Claims::default()).map(Some)
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
    let orders = plan.documents.iter().filter_map(|document| Some((document, document.order(item.as_ref())?)));
    orders.map(|(document, order)| Ok((document, writer.request(&lane.lane.to.kind, &order)?))).collect()
}

/// The steps of one field's expression for an entry.
#[derive(Debug, Clone, PartialEq)]
pub struct FieldSteps {
    /// The destination field.
    pub field: String,
    /// What each step is, and what it gives; nothing where it was not reached.
    pub steps: Vec<(String, Option<Value>)>,
    /// Why it goes no further.
    pub error: Option<String>,
}

/// The value after every step of every field of a lane; none where there is no such entry.
///
/// # Errors
/// Where the store fails.
pub fn steps(store: &Store, lane: &ConfiguredLane, address: &Address) -> Result<Option<Vec<FieldSteps>>, PushError> {
    let Some(due) = store.look_at(&lane.lane.name, address)? else { return Ok(None) };
    let before = previous(&due.counterparts);
    let world = LaneWorld { store, lane };
    let fields = lane.lane.fields.iter();
    let found: Result<_, StoreError> = seen_by((store, lane), &due, before.as_ref(), |subject| {
        let sight = Sight { subject, world: &world, library: &lane.lane.library };
        let of = |(field, expression): (&String, &lane::FieldExpression)| -> Result<FieldSteps, StoreError> {
            let (steps, error) = lane::steps(expression, sight)?;
            Ok(FieldSteps { field: field.clone(), steps, error })
        };
        fields.map(of).collect()
    })?;
    Ok(Some(found?))
}

/// What the destination holds now of each document of a plan: by its counterpart, or by its key;
/// none where it holds nothing.
///
/// # Errors
/// Where the destination does not answer.
pub async fn held_there<'a>(
    plan: &'a EntryPlan,
    lane: &ConfiguredLane,
    writer: &dyn Write,
) -> Result<Vec<(&'a DocumentPlan, Option<Existing>)>, PushError> {
    let kind = &lane.lane.to.kind;
    let look_ups = LookUps::new(writer, &lane.lane);
    let mut found = Vec::new();
    for document in &plan.documents {
        let existing = match (document.id_there(), document.document.as_ref().and_then(|ours| ours.key.as_ref())) {
            (Some(id), _) => writer.read(kind, id).await?,
            (None, Some(key)) => match look_ups.by_key(key, document.language.as_ref()).await? {
                FoundDocument::One(existing) => Some(*existing),
                _ => None,
            },
            (None, None) => None,
        };
        found.push((document, existing));
    }
    Ok(found)
}
