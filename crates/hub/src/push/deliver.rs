//! Sending what one entry needs, document after document.

use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, Ordering};

use diaporos_core::lane::Lane;
use diaporos_core::plan::{Counterpart, Existing, HoldReason, Presence, Settled, Step, settle};
use diaporos_core::value::{EntryId, TypeName};
use diaporos_store::{Delivered, OpenIntent, Outcome, OutcomeResult, Standing, Verdict};
use diaporos_systems::{ErrorKind, Order, SystemError, Write, Written};

use super::document::{DocumentPlan, order_for};
use super::plan::EntryPlan;
use super::{PushRow, found_word};

/// How often one document is tried in a run.
const TRIES: u32 = 3;
/// What is said of a document that is owed still.
const NOT_SENT: &str = "not sent, because one before it failed";

/// What became of one entry.
pub(super) struct Delivery {
    pub(super) plan: EntryPlan,
    pub(super) outcomes: Vec<(OpenIntent, Outcome)>,
    pub(super) verdict: Verdict,
    pub(super) rows: Vec<PushRow>,
    pub(super) requests: u64,
    /// An error that will meet every other entry too.
    pub(super) stop: Option<SystemError>,
}

/// How one document ended.
enum Ended {
    /// As it should be; noted so.
    Done(Outcome),
    /// Kept back.
    Held(HoldReason, String, Outcome),
    /// Not carried out.
    Failed(SystemError, Outcome),
    /// Nobody knows: the intent stays open, and the next push settles it.
    InDoubt(SystemError),
}

/// Carries out an entry's plan. The documents of one entry follow each other, because the first
/// may give what joins the others; the first that fails ends it.
///
/// Once `stopped` is set, nothing more is sent, and the entry stays owed.
pub(super) async fn deliver(
    writer: &dyn Write,
    lane: &Lane,
    plan: EntryPlan,
    intents: Vec<OpenIntent>,
    stopped: &AtomicBool,
) -> Delivery {
    let mut intents: VecDeque<OpenIntent> = intents.into();
    let mut delivery =
        Delivery { outcomes: Vec::new(), verdict: plan.verdict(), rows: Vec::new(), requests: 0, stop: None, plan };
    let mut item = delivery.plan.item();
    let mut rows = delivery.plan.rows().into_iter().map(|row| (row.language.clone(), row)).collect::<Vec<_>>();
    let mut sent = 0;
    let documents = delivery.plan.documents.clone();
    for document in &documents {
        if stopped.load(Ordering::Relaxed) {
            note(None, &mut delivery.verdict, Standing::Owed, "owed", NOT_SENT.to_owned());
            break;
        }
        let Some(order) = order_for(document, item.as_ref()) else { continue };
        let Some(intent) = intents.pop_front() else { continue };
        sent += 1;
        let mut courier = Courier { writer, lane, kind: &lane.to.kind, document, requests: 0 };
        let ended = courier.carry(order).await;
        delivery.requests += courier.requests;
        let row = rows.iter_mut().find(|(language, _)| *language == document.language).map(|(_, row)| row);
        match ended {
            Ended::Done(outcome) => {
                let written = outcome.delivered.as_ref().map(|delivered| &delivered.counterpart);
                item = item.or_else(|| written.and_then(|known| known.item.clone()));
                if let Some(row) = row {
                    row.id_there = written.map(|known| known.id.to_string()).or(row.id_there.take());
                    row.message = found_word(outcome.result);
                }
                delivery.outcomes.push((intent, outcome));
                continue;
            }
            Ended::Held(reason, message, outcome) => {
                delivery.outcomes.push((intent, outcome));
                note(row, &mut delivery.verdict, Standing::Held, reason.word(), message);
            }
            Ended::Failed(error, outcome) => {
                delivery.outcomes.push((intent, outcome));
                note(row, &mut delivery.verdict, Standing::Failed, "failed", error.to_string());
                stopped.fetch_or(error.kind.is_of_the_whole_system(), Ordering::Relaxed);
                delivery.stop = error.kind.is_of_the_whole_system().then_some(error);
            }
            Ended::InDoubt(error) => {
                // Dropped unsettled on purpose: it stands in the ledger as open.
                drop(intent);
                let message = format!("{error}; the next push asks the destination what became of it");
                note(row, &mut delivery.verdict, Standing::Failed, HoldReason::InDoubt.word(), message);
            }
        }
        break;
    }
    // Documents after the one that failed were not sent; they are owed still.
    delivery.outcomes.extend(intents.into_iter().map(|intent| (intent, not_sent())));
    for document in documents.iter().filter(|document| document.has_request()).skip(sent) {
        if let Some((_, row)) = rows.iter_mut().find(|(language, _)| *language == document.language) {
            row.reason = Some("owed".to_owned());
            row.message = Some(NOT_SENT.to_owned());
        }
    }
    delivery.rows = rows.into_iter().map(|(_, row)| row).collect();
    delivery
}

fn note(row: Option<&mut PushRow>, verdict: &mut Verdict, standing: Standing, reason: &str, message: String) {
    if let Some(row) = row {
        row.reason = Some(reason.to_owned());
        row.message = Some(message.clone());
    }
    verdict.standing = standing;
    verdict.reason = Some(reason.to_owned());
    verdict.message = Some(message);
}

fn not_sent() -> Outcome {
    Outcome { result: OutcomeResult::NotDone, status: None, message: Some(NOT_SENT.to_owned()), delivered: None }
}

struct Courier<'a> {
    writer: &'a dyn Write,
    lane: &'a Lane,
    kind: &'a TypeName,
    document: &'a DocumentPlan,
    requests: u64,
}

impl Courier<'_> {
    /// Sends an order until it is known what became of it, or the tries are used up.
    async fn carry(&mut self, mut order: Order) -> Ended {
        let mut tries = 0;
        loop {
            tries += 1;
            self.requests += 1;
            let error = match self.writer.write(self.kind, &order).await {
                Ok(written) => return Ended::Done(self.done(&order, written)),
                Err(error) => error,
            };
            tracing::debug!(%error, tries, "a write was not answered well");
            match &error.kind {
                kind if kind.leaves_doubt() => match self.look(&order).await {
                    Err(_) => return Ended::InDoubt(error),
                    Ok(Look::Done(existing)) => return Ended::Done(self.found(OutcomeResult::FoundDone, &existing)),
                    Ok(Look::Removed) => return Ended::Done(self.removed(&order, OutcomeResult::FoundDone)),
                    Ok(Look::Held(reason, message)) => return Ended::Held(reason, message, refused(&error)),
                    Ok(Look::NotDone(next)) if tries < TRIES => order = next,
                    Ok(Look::NotDone(_)) => {
                        return Ended::Failed(error.clone(), outcome(OutcomeResult::FoundNotDone, &error));
                    }
                },
                ErrorKind::RevisionDiffers { .. } => match self.after_their_change(&order, &error).await {
                    Err(ended) => return *ended,
                    Ok(_) if tries >= TRIES => return Ended::Failed(error.clone(), refused(&error)),
                    Ok(next) => order = next,
                },
                ErrorKind::NotFound => match &order {
                    Order::Withdraw { .. } | Order::Delete { .. } => {
                        return Ended::Done(self.removed(&order, OutcomeResult::Done));
                    }
                    Order::Update { id, .. } => {
                        let message = format!("`{id}` is not there any more; somebody else deleted it");
                        return Ended::Held(HoldReason::DeletedThere, message, refused(&error));
                    }
                    Order::Create { .. } => {
                        return Ended::Held(HoldReason::Refused, error.to_string(), refused(&error));
                    }
                },
                ErrorKind::Status { .. } | ErrorKind::Redirects(_) => {
                    return Ended::Held(HoldReason::Refused, error.to_string(), refused(&error));
                }
                _ => return Ended::Failed(error.clone(), outcome(OutcomeResult::NotDone, &error)),
            }
        }
    }

    /// Asks the destination what became of an order whose answer was lost.
    async fn look(&self, order: &Order) -> Result<Look, SystemError> {
        let Some(id) = order_id(order) else {
            let key = self.document.document.as_ref().and_then(|document| document.key.clone()).unwrap_or_default();
            let found = self.writer.find(self.kind, &key, self.document.language.as_ref()).await?;
            return Ok(match found.as_slice() {
                [] => Look::NotDone(order.clone()),
                [existing] if self.holds(existing) => Look::Done(existing.clone()),
                // It has our key, and the destination may spell what it stores its own way: it is
                // ours to update, as any document with our key is.
                [existing] => Look::NotDone(Order::Update {
                    id: existing.id.clone(),
                    revision: existing.revision.clone(),
                    fields: order_fields(order),
                }),
                several => {
                    Look::Held(HoldReason::Ambiguous, format!("{} documents there have the key `{key}`", several.len()))
                }
            });
        };
        let now = self.writer.read(self.kind, id).await?;
        Ok(match (settle(&intended(order), now.as_ref()), now) {
            (Settled::Done, Some(existing)) if !matches!(order, Order::Withdraw { .. }) => Look::Done(existing),
            (Settled::Done, _) => Look::Removed,
            (Settled::NotDone, _) => Look::NotDone(order.clone()),
            (Settled::ChangedThere, _) => {
                Look::Held(HoldReason::ChangedThere, format!("`{id}` was changed there while ours was on its way"))
            }
            (Settled::DeletedThere, _) => Look::Held(HoldReason::DeletedThere, format!("`{id}` is not there any more")),
        })
    }

    fn holds(&self, existing: &Existing) -> bool {
        self.document.document.as_ref().is_some_and(|document| existing.holds(&document.fields))
            && existing.presence == Presence::Present
    }

    /// The destination's version moved on. Where our fields are there as we left them, only others
    /// changed, and ours are sent on the new version; else somebody changed what we would overwrite.
    async fn after_their_change(&self, order: &Order, error: &SystemError) -> Result<Order, Box<Ended>> {
        let Some(id) = order_id(order) else {
            return Err(Box::new(Ended::Held(HoldReason::Refused, error.to_string(), refused(error))));
        };
        let existing = match self.writer.read(self.kind, id).await {
            Ok(Some(existing)) => existing,
            Ok(None) => {
                let message = format!("`{id}` is not there any more; somebody else deleted it");
                return Err(Box::new(Ended::Held(HoldReason::DeletedThere, message, refused(error))));
            }
            Err(failed) => return Err(Box::new(Ended::Failed(failed, refused(error)))),
        };
        if self.holds(&existing) && matches!(order, Order::Update { .. }) {
            return Err(Box::new(Ended::Done(self.found(OutcomeResult::FoundDone, &existing))));
        }
        let base = match (&self.document.step, &self.document.known) {
            (Step::Adopt(seen), _) => Some(&seen.fields),
            (_, Some(row)) => Some(&row.fields),
            _ => None,
        };
        let changed = |(name, value): &(&String, &diaporos_core::value::Value)| {
            existing.fields.get(*name).is_some_and(|now| now != *value)
        };
        let theirs: Vec<&str> =
            base.map_or(Vec::new(), |base| base.iter().filter(changed).map(|(name, _)| name.as_str()).collect());
        if theirs.is_empty() {
            return Ok(on_revision(order, &existing));
        }
        let message = format!("`{id}` was changed there by somebody else since we wrote it: {}", theirs.join(", "));
        Err(Box::new(Ended::Held(HoldReason::ChangedThere, message, refused(error))))
    }

    fn done(&self, order: &Order, written: Written) -> Outcome {
        let status = Some(written.status);
        let is_removal = matches!(order, Order::Withdraw { .. } | Order::Delete { .. });
        let id = written.id.or_else(|| order_id(order).cloned());
        let delivered = id.and_then(|id| {
            let presence = if is_removal { Presence::Withdrawn } else { Presence::Present };
            self.delivered(id, written.item, written.revision, presence)
        });
        Outcome { result: OutcomeResult::Done, status, message: None, delivered }
    }

    fn found(&self, result: OutcomeResult, existing: &Existing) -> Outcome {
        let delivered =
            self.delivered(existing.id.clone(), existing.item.clone(), existing.revision.clone(), existing.presence);
        Outcome { result, status: None, message: found_word(result), delivered }
    }

    fn removed(&self, order: &Order, result: OutcomeResult) -> Outcome {
        let delivered = order_id(order).and_then(|id| self.delivered(id.clone(), None, None, Presence::Withdrawn));
        Outcome { result, status: None, message: None, delivered }
    }

    /// The counterpart as it is now, with what was delivered.
    fn delivered(
        &self,
        id: EntryId,
        item: Option<EntryId>,
        revision: Option<diaporos_core::value::Revision>,
        presence: Presence,
    ) -> Option<Delivered> {
        let known = self.document.known.as_ref();
        let item = item.or_else(|| known.and_then(|row| row.counterpart.item.clone()));
        let (fields, fingerprint) = match (&self.document.document, known) {
            (Some(document), _) => (document.fields.clone(), document.fingerprint()),
            (None, Some(row)) => (row.fields.clone(), row.counterpart.fingerprint),
            (None, None) => return None,
        };
        tracing::trace!(lane = %self.lane.name, %id, "delivered");
        let counterpart = Counterpart { id, item, revision, fingerprint, presence };
        Some(Delivered { language: self.document.language.clone(), counterpart, fields })
    }
}

/// What the destination shows of an order whose answer was lost.
enum Look {
    Done(Existing),
    Removed,
    NotDone(Order),
    Held(HoldReason, String),
}

fn order_id(order: &Order) -> Option<&EntryId> {
    match order {
        Order::Create { .. } => None,
        Order::Update { id, .. } | Order::Withdraw { id, .. } | Order::Delete { id, .. } => Some(id),
    }
}

fn order_fields(order: &Order) -> diaporos_core::value::Record {
    match order {
        Order::Create { fields, .. } | Order::Update { fields, .. } => fields.clone(),
        _ => diaporos_core::value::Record::default(),
    }
}

fn intended(order: &Order) -> diaporos_core::plan::Intended {
    use diaporos_core::plan::Intended;
    match order {
        Order::Create { fields, .. } => Intended::Write { fields: fields.clone(), base: None },
        Order::Update { fields, revision, .. } => Intended::Write { fields: fields.clone(), base: revision.clone() },
        Order::Withdraw { .. } => Intended::Withdraw,
        Order::Delete { .. } => Intended::Delete,
    }
}

/// The same order, based on the version that is there now.
fn on_revision(order: &Order, existing: &Existing) -> Order {
    let revision = existing.revision.clone();
    let mut order = order.clone();
    match &mut order {
        Order::Update { revision: base, .. }
        | Order::Withdraw { revision: base, .. }
        | Order::Delete { revision: base, .. } => {
            *base = revision;
        }
        Order::Create { .. } => {}
    }
    order
}

fn outcome(result: OutcomeResult, error: &SystemError) -> Outcome {
    let status = match &error.kind {
        ErrorKind::Status { status, .. }
        | ErrorKind::Unauthorised { status }
        | ErrorKind::RevisionDiffers { status } => Some(*status),
        ErrorKind::NotFound => Some(404),
        ErrorKind::Throttled { .. } => Some(429),
        _ => None,
    };
    Outcome { result, status, message: Some(error.to_string()), delivered: None }
}

fn refused(error: &SystemError) -> Outcome {
    outcome(OutcomeResult::Refused, error)
}
