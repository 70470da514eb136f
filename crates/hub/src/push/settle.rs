//! Settling what an earlier run left in doubt, by reading the destination.

use std::collections::HashMap;
use std::time::Duration;

use diaporos_core::plan::{Counterpart, FoundDocument, Presence, Settled, settle, settle_new};
use diaporos_core::value::{Address, EntryId, LanguageTag, Value};
use diaporos_store::{Action, Delivered, IntentRecord, OpenIntent, Outcome, OutcomeResult, Owner};
use diaporos_systems::{ErrorKind, SystemError, Write};
use futures::StreamExt;
use tokio::time::Instant;

use super::flow::GROUP;
use super::lookup::LookUps;
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
    let in_doubt = push.store.in_doubt(&name, (push.clock)())?;
    let mut unsettled = HashMap::new();
    let (lane, writer) = (push.lane, push.writer);
    let look_ups = LookUps::new(writer, &lane.lane);
    let look_ups = &look_ups;
    let asked = questions(push, in_doubt)?;
    let mut looks = futures::stream::iter(asked.into_iter().map(|(intent, known, record, settling)| async move {
        let looked = look((look_ups, writer, lane), &record, known.as_ref(), settling).await;
        (intent, record, looked)
    }))
    .buffer_unordered(LOOKED_FOR)
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
            let is_own = |by: Owner| by.entry == record.entry && by.language == record.language;
            let counterpart = counterpart.filter(|_| owner.is_none_or(is_own));
            let message = Some(format!("{} of an interrupted run: {}", record.action.word(), result.word()));
            tally.settled += 1;
            let id_there = counterpart.as_ref().map(|known| known.id.to_string());
            let address = push.store.address(record.entry)?;
            row(settled_row(address, record.language.clone(), id_there, message.clone()));
            let delivered = counterpart.map(|counterpart| Delivered { language: record.language, counterpart });
            outcomes.push((intent, Outcome { result, status: None, message, delivered }));
        }
        push.store.conclude(&name, outcomes, &[], (push.clock)())?;
    }
    Ok(unsettled)
}

/// Documents that are looked for at a time. Most of the time is waiting; how many requests are under way is
/// the client's to say.
const LOOKED_FOR: usize = 64;

/// An intent in doubt, the document as it is known, and what is asked about it.
type Question = (OpenIntent, Option<Counterpart>, IntentRecord, Settling);

/// What is asked about each intent in doubt.
fn questions(push: &Push<'_>, in_doubt: Vec<(OpenIntent, IntentRecord)>) -> Result<Vec<Question>, PushError> {
    let lane = &push.lane.lane;
    let keys_change = match &lane.key {
        Some(field) => push.store.stores_its_own_way(&lane.name, Some(field))?,
        None => false,
    };
    // An intent is noted before its request, which may have waited for its turn till the run was killed, a
    // moment ago: how old the intent is says nothing of how long the destination has had.
    let left = push.writer.settles_within();
    let mut asked = Vec::new();
    for (intent, record) in in_doubt {
        let (own, others): (Vec<_>, Vec<_>) = push
            .store
            .counterparts(record.entry)?
            .into_iter()
            .filter(|row| row.lane == lane.name.as_str())
            .partition(|row| row.language == record.language);
        let others = others.into_iter().map(|row| row.counterpart.id).collect();
        let settling = Settling { left, keys_change, others };
        asked.push((intent, own.into_iter().map(|row| row.counterpart).next(), record, settling));
    }
    Ok(asked)
}

fn settled_row(
    address: Address,
    language: Option<LanguageTag>,
    id_there: Option<String>,
    message: Option<String>,
) -> PushRow {
    PushRow {
        address,
        language,
        step: "settle",
        id_there,
        changes: Vec::new(),
        reason: None,
        message,
        is_drift: false,
        is_known: false,
    }
}

/// What became of a request, and the document; or why nobody can tell.
type Looked = (OutcomeResult, Option<Counterpart>);

/// The first pause before it is looked again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(50);

async fn look(
    to: (&LookUps<'_>, &dyn Write, &ConfiguredLane),
    record: &IntentRecord,
    known: Option<&Counterpart>,
    settling: Settling,
) -> Result<Looked, SystemError> {
    let (look_ups, writer, lane) = to;
    let kind = &lane.lane.to.kind;
    let settled = if let (Some(intended), Some(id)) = (record.intended(), &record.id_there) {
        writer.release_stale_lock(kind, id).await?;
        let now = writer.read(kind, id).await?;
        settle(&intended, id, known, now.as_ref(), &lane.lane.changed_there)
    } else {
        let key = lane.lane.key.as_ref().and_then(|key| record.fields.get(key)).and_then(Value::scalar_text);
        let Some(key) = key else { return Ok((OutcomeResult::Unclear, None)) };
        let found = look_up(look_ups, &key, record.language.as_ref(), settling.left).await?;
        let found = found.apart_from(settling.others.iter());
        // The entry has a document by now; what is known of it is newer than the request that was lost.
        if known.is_some_and(|known| known.presence != Presence::Deleted && !known.is_undecided()) {
            return Ok((OutcomeResult::Unclear, None));
        }
        let doubt = |why: String| writer.failed(ErrorKind::Content(why));
        match &found {
            FoundDocument::OtherKeys(id) => {
                return Err(doubt(format!("the look-up by `{key}` gives `{id}`, which does not show that key")));
            }
            FoundDocument::OtherLanguage(id) => {
                let why = "which is the entry's document in another language";
                return Err(doubt(format!("the look-up by `{key}` gives `{id}`, {why}")));
            }
            FoundDocument::NotAsked | FoundDocument::Nothing if settling.keys_change => {
                let why = "and nothing has its key; this destination gives documents keys of its own";
                return Err(doubt(format!("the answer to its creation was lost, {why}")));
            }
            _ => {}
        }
        settle_new(&record.fields, record.fingerprint, &found)
    };
    let is_write = matches!(record.action, Action::Create | Action::Update);
    let saved = |known: Counterpart| if is_write && writer.shows_apart(kind) { known.found_saved() } else { known };
    Ok(match settled {
        Settled::Done(counterpart) => (OutcomeResult::FoundDone, Some(saved(counterpart))),
        Settled::NotDone => (OutcomeResult::FoundNotDone, None),
        Settled::Partly(counterpart) | Settled::FoundThere(counterpart) => {
            (OutcomeResult::Unclear, Some(saved(counterpart)))
        }
        Settled::Unclear => (OutcomeResult::Unclear, None),
    })
}

/// What decides whether finding nothing proves that nothing is there.
#[derive(Debug, Clone)]
struct Settling {
    /// How long a look-up may still lag behind the request.
    left: Duration,
    /// Whether the destination was seen to give documents other keys than they were sent with.
    keys_change: bool,
    /// What the entry's documents in other languages are called.
    others: Vec<EntryId>,
}

/// Looks by a key, again and again while a look-up may lag behind.
async fn look_up(
    look_ups: &LookUps<'_>,
    key: &str,
    language: Option<&LanguageTag>,
    left: Duration,
) -> Result<FoundDocument, SystemError> {
    let (began, mut pause) = (Instant::now(), FIRST_PAUSE);
    loop {
        let found = look_ups.by_key(key, language).await?;
        if !matches!(found, FoundDocument::Nothing | FoundDocument::NotAsked) || began.elapsed() >= left {
            return Ok(found);
        }
        tokio::time::sleep(pause.min(left.saturating_sub(began.elapsed()))).await;
        pause *= 2;
    }
}
