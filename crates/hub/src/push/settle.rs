//! Settling what an earlier run left in doubt, by reading the destination.

use std::collections::HashMap;

use diaporos_core::plan::{Counterpart, Settled, settle, settle_new};
use diaporos_core::value::Value;
use diaporos_store::{Delivered, IntentRecord, Outcome, OutcomeResult};
use diaporos_systems::{SystemError, Write};
use futures::StreamExt;

use super::flow::GROUP;
use super::row::{PushRow, PushTally};
use super::{Push, PushError};
use crate::config::ConfiguredLane;

/// Settles every intent of the lane that has no outcome. What is found done becomes a counterpart;
/// what is not is planned anew, like any entry that is owed. Entries of which the destination does
/// not tell are given back with its error; they stay in doubt.
pub(super) async fn settle_in_doubt(
    push: &mut Push<'_>,
    tally: &mut PushTally,
    row: &mut (dyn FnMut(PushRow) + Send),
) -> Result<HashMap<i64, SystemError>, PushError> {
    let name = push.lane.lane.name.clone();
    let in_doubt = push.store.in_doubt(&name)?;
    let mut unsettled = HashMap::new();
    let at_once = push.writer.at_once(&push.lane.lane.to.kind).max(1);
    let (lane, writer) = (push.lane, push.writer);
    let mut asked = Vec::new();
    for (intent, record) in in_doubt {
        let known = push.store.counterparts(record.entry)?.into_iter();
        let known = known.filter(|row| row.lane == name.as_str() && row.language == record.language);
        asked.push((intent, known.map(|row| row.counterpart).next(), record));
    }
    let mut looks = futures::stream::iter(asked.into_iter().map(|(intent, known, record)| async move {
        let looked = look(lane, writer, &record, known.as_ref()).await;
        (intent, record, looked)
    }))
    .buffered(at_once)
    .ready_chunks(GROUP);
    while let Some(group) = looks.next().await {
        let mut outcomes = Vec::new();
        for (intent, record, looked) in group {
            let (result, counterpart) = match looked {
                Ok(looked) => looked,
                Err(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
                Err(error) => {
                    // Left open on purpose: the next push asks again.
                    drop(intent);
                    unsettled.insert(record.entry, error);
                    continue;
                }
            };
            let owner = counterpart.as_ref().map(|known| push.store.owner(&name, &known.id)).transpose()?.flatten();
            let counterpart = counterpart.filter(|_| owner.is_none_or(|(by, _)| by == record.entry));
            let message = Some(format!("{} of an interrupted run: {}", record.action.word(), result.word()));
            tally.settled += 1;
            row(PushRow {
                address: push.store.address(record.entry)?,
                language: record.language.clone(),
                step: "settle",
                id_there: counterpart.as_ref().map(|known| known.id.to_string()),
                changes: Vec::new(),
                reason: None,
                message: message.clone(),
                is_drift: false,
            });
            let delivered = counterpart.map(|counterpart| Delivered { language: record.language, counterpart });
            outcomes.push((intent, Outcome { result, status: None, message, delivered }));
        }
        push.store.conclude(&name, outcomes, &[], (push.clock)())?;
    }
    Ok(unsettled)
}

type Looked = (OutcomeResult, Option<Counterpart>);

async fn look(
    lane: &ConfiguredLane,
    writer: &dyn Write,
    record: &IntentRecord,
    known: Option<&Counterpart>,
) -> Result<Looked, SystemError> {
    let kind = &lane.lane.to.kind;
    let settled = if let (Some(intended), Some(id)) = (record.intended(), &record.id_there) {
        writer.let_go(kind, id).await?;
        settle(&intended, id, known, writer.read(kind, id).await?.as_ref())
    } else {
        let key = lane.lane.key.as_ref().and_then(|key| record.fields.get(key)).and_then(Value::scalar_text);
        let Some(key) = key else { return Ok((OutcomeResult::Unclear, None)) };
        settle_new(&record.fields, record.fingerprint, &writer.find(kind, &key, record.language.as_ref()).await?)
    };
    Ok(match settled {
        Settled::Done(counterpart) => (OutcomeResult::FoundDone, Some(counterpart)),
        Settled::NotDone => (OutcomeResult::FoundNotDone, None),
        Settled::Partly(counterpart) | Settled::TakenOver(counterpart) => (OutcomeResult::Unclear, Some(counterpart)),
        Settled::Unclear => (OutcomeResult::Unclear, None),
    })
}
