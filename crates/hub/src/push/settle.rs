//! Settling what an earlier run left in doubt, by reading the destination.

use std::collections::HashMap;

use diaporos_core::change::Aparts;
use diaporos_core::plan::{Counterpart, Existing, Presence, Settled, settle};
use diaporos_core::value::Value;
use diaporos_store::{Action, Delivered, IntentRecord, Outcome, OutcomeResult};
use diaporos_systems::SystemError;

use super::row::{PushRow, PushTally};
use super::{Push, PushError};

/// Settles every intent of the lane that has no outcome. What is found done becomes a counterpart;
/// what is not is planned anew, like any entry that is owed. Entries of which the destination does
/// not tell are given back with its error; they stay in doubt.
pub(super) async fn settle_in_doubt(
    push: &mut Push<'_>,
    tally: &mut PushTally,
    row: &mut (dyn FnMut(PushRow) + Send),
) -> Result<HashMap<i64, SystemError>, PushError> {
    let name = push.lane.lane.name.clone();
    let mut unsettled = HashMap::new();
    for (intent, record) in push.store.in_doubt(&name)? {
        let (result, existing) = match look(push, &record).await {
            Ok(looked) => looked,
            Err(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
            Err(error) => {
                // Left open on purpose: the next push asks again.
                drop(intent);
                unsettled.insert(record.entry, error);
                continue;
            }
        };
        let delivered = (result == OutcomeResult::FoundDone).then(|| delivered(&record, existing.as_ref())).flatten();
        let message = Some(format!("{} of an interrupted run: {}", record.action.word(), result.word()));
        tally.settled += 1;
        row(PushRow {
            address: push.store.address(record.entry)?,
            language: record.language.clone(),
            step: "settle",
            id_there: delivered.as_ref().map(|delivered| delivered.counterpart.id.to_string()),
            changes: Vec::new(),
            reason: None,
            message: message.clone(),
            is_drift: false,
        });
        push.store.conclude(
            &name,
            vec![(intent, Outcome { result, status: None, message, delivered })],
            &[],
            (push.clock)(),
        )?;
    }
    Ok(unsettled)
}

async fn look(push: &Push<'_>, record: &IntentRecord) -> Result<(OutcomeResult, Option<Existing>), SystemError> {
    let kind = &push.lane.lane.to.kind;
    let (Some(intended), Some(id)) = (record.intended(), &record.id_there) else {
        let key = push.lane.lane.key.as_ref().and_then(|key| record.fields.get(key));
        let key = match key {
            Some(Value::Text(text)) => text.clone(),
            Some(Value::Integer(whole)) => whole.to_string(),
            _ => return Ok((OutcomeResult::Unclear, None)),
        };
        let mut found = push.writer.find(kind, &key, record.language.as_ref()).await?;
        return Ok(match (found.pop(), found.len()) {
            (None, _) => (OutcomeResult::FoundNotDone, None),
            (Some(existing), 0) if existing.holds(&record.fields) => (OutcomeResult::FoundDone, Some(existing)),
            // One with our key and other content is adopted by the plan that follows.
            _ => (OutcomeResult::Unclear, None),
        });
    };
    let now = push.writer.read(kind, id).await?;
    Ok(match settle(&intended, now.as_ref()) {
        Settled::Done => (OutcomeResult::FoundDone, now),
        Settled::NotDone => (OutcomeResult::FoundNotDone, None),
        Settled::ChangedThere | Settled::DeletedThere => (OutcomeResult::Unclear, None),
    })
}

fn delivered(record: &IntentRecord, existing: Option<&Existing>) -> Option<Delivered> {
    let removed = matches!(record.action, Action::Withdraw | Action::Delete);
    let id = existing.map(|existing| existing.id.clone()).or_else(|| record.id_there.clone())?;
    let counterpart = Counterpart {
        id,
        item: existing.and_then(|existing| existing.item.clone()),
        revision: existing.and_then(|existing| existing.revision.clone()),
        fingerprint: record.fingerprint,
        presence: if removed { Presence::Withdrawn } else { Presence::Present },
        fields: record.fields.clone(),
        apart: Aparts::new(),
    };
    Some(Delivered { language: record.language.clone(), counterpart })
}
