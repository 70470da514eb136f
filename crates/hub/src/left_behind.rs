//! What a lane left at its destination that is no longer configured: taken off view.

use diaporos_core::plan::{Counterpart, Order, Presence};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision};
use diaporos_store::{Action, Delivered, IntentRecord, LeftLane, Outcome, OutcomeResult, Store, Was};
use diaporos_systems::Write;
use jiff::Timestamp;

use crate::push::PushError;

/// What became of the documents that a lane left behind.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TakenOff {
    /// Taken off view.
    pub withdrawn: u64,
    /// Left as they are, each with why: somebody changed them, or the destination refused.
    pub left: Vec<(EntryId, String)>,
}

/// The intent to take a document off view.
fn intent(
    entry: i64,
    language: Option<LanguageTag>,
    known: &Counterpart,
    (request, base): (String, Option<Revision>),
) -> IntentRecord {
    IntentRecord {
        entry,
        language,
        action: Action::Withdraw,
        request,
        id_there: Some(known.id.clone()),
        base,
        fingerprint: known.fingerprint,
        was: Some(Was { presence: known.presence, fields: Record::default() }),
        fields: known.fields.clone(),
        item: None,
    }
}

/// Takes what a lane left behind off view, document by document, each in the ledger before it is sent.
/// What somebody changed there since is left.
///
/// # Errors
/// Where the store fails, or the destination for every document.
pub async fn withdraw(
    store: &mut Store,
    lane: &LeftLane,
    writer: &dyn Write,
    (run, clock): (i64, &(dyn Fn() -> Timestamp + Sync)),
) -> Result<TakenOff, PushError> {
    let mut taken_off = TakenOff::default();
    let kind = &lane.to.kind;
    for (entry, row) in store.delivered_on(&lane.name)? {
        let known = row.counterpart;
        let now = match writer.read(kind, &known.id).await {
            Ok(now) => now,
            Err(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
            Err(error) => {
                taken_off.left.push((known.id, error.to_string()));
                continue;
            }
        };
        let changed = now.as_ref().map_or_else(Vec::new, |now| known.changed_in(now));
        if !changed.is_empty() || known.is_undecided() {
            taken_off.left.push((known.id, format!("somebody else changed it there: {}", changed.join(", "))));
            continue;
        }
        let revision = now.as_ref().and_then(|now| now.revision.clone());
        let order = Order::Withdraw { id: known.id.clone(), revision: revision.clone() };
        let request = writer.request(kind, &order)?;
        let request = format!("{} {}", request.method.word(), request.shown_url());
        let record = intent(entry, row.language.clone(), &known, (request, revision));
        let intents = store.intend(run, &lane.name, &[record], clock())?;
        let written = if now.is_some() { writer.write(kind, &order, "withdraw").await.map(Some) } else { Ok(None) };
        let (result, status, message) = match written {
            Ok(written) => (OutcomeResult::Done, written.map(|written| written.status), None),
            // It stays in doubt, and the next time finds out.
            Err(error) if error.kind.leaves_doubt() => {
                taken_off.left.push((known.id, format!("{error}; run this again")));
                drop(intents);
                continue;
            }
            Err(error) => (OutcomeResult::Refused, error.kind.status(), Some(error.to_string())),
        };
        let gone = Counterpart { presence: Presence::Withdrawn, revision: None, ..known.clone() };
        let delivered = message.is_none().then(|| Delivered { language: row.language, counterpart: gone });
        match &message {
            None => taken_off.withdrawn += 1,
            Some(message) => taken_off.left.push((known.id, message.clone())),
        }
        let outcome = Outcome { result, status, message, delivered };
        let outcomes = intents.into_iter().map(|intent| (intent, outcome.clone())).collect();
        store.conclude(&lane.name, outcomes, &[], clock())?;
    }
    Ok(taken_off)
}
