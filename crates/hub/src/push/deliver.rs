//! Sending what one entry needs, document after document: the driver carries out the effects of a
//! delivery machine.

use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::time::Duration;

use diaporos_core::change::Divergence;
use diaporos_core::lane::Lane;
use diaporos_core::plan::{
    Counterpart, DeliveryMachine, DocumentPlan, Effect, Ending, HoldReason, Presence, Response, Safeguards,
};
use diaporos_core::value::{EntryId, LanguageTag};
use diaporos_store::{Delivered, OpenIntent, Outcome, OutcomeResult, Standing, Verdict};
use diaporos_systems::{ErrorKind, SystemError, Write};

use tokio::time::Instant;

use super::breaker::Breaker;
use super::entry_plan::EntryPlan;
use super::lookup::LookUps;
use super::row::PushRow;

/// What is said of a document that is owed still.
const NOT_SENT: &str = "not sent, because one before it failed";
/// What is said of one whose answer was lost.
const FOUND: &str = "the answer was lost, and the document was found written";

/// What became of one entry.
pub(super) struct Delivery {
    pub(super) plan: EntryPlan,
    pub(super) outcomes: Vec<(OpenIntent, Outcome)>,
    pub(super) verdict: Verdict,
    pub(super) rows: Vec<PushRow>,
    pub(super) requests: u64,
    /// Whether a document was found written after a lost answer, and is not known to be on view: it is put there
    /// next.
    pub(super) is_to_be_shown: bool,
}

/// How one document ended, with what the destination last said.
struct Ended {
    ending: Ending,
    error: Option<SystemError>,
    status: Option<u16>,
}

/// Carries out an entry's plan. The documents of one entry follow each other, because the first
/// may give what joins the others; the first that fails ends it.
///
/// Once the breaker is open, nothing more is sent, and the entry stays owed.
pub(super) async fn deliver(to: &Destination<'_>, plan: EntryPlan, intents: Vec<OpenIntent>) -> Delivery {
    let Destination { lane, breaker, .. } = *to;
    let mut intents: VecDeque<OpenIntent> = intents.into();
    let mut delivery = Delivery::of(plan);
    let mut item = delivery.plan.item();
    let mut rows = delivery.plan.rows();
    let mut sent = 0;
    let mut own: Vec<(Option<LanguageTag>, EntryId)> = delivery.plan.identifiers();
    let documents = std::mem::take(&mut delivery.plan.documents);
    for document in &documents {
        if breaker.is_open() {
            tell(&mut delivery.verdict, None, Standing::Owed, "owed", NOT_SENT.to_owned());
            break;
        }
        let safeguards = to.safeguards(document);
        let begun = DeliveryMachine::begin(document, item.as_ref(), &lane.changed_there, safeguards);
        let Some((machine, first)) = begun else { continue };
        let Some(intent) = intents.pop_front() else { continue };
        sent += 1;
        let attempt = format!("{}/{}", lane.name, intent.attempt());
        let others = own.iter().filter(|(language, _)| *language != document.language).map(|(_, id)| id.clone());
        let mut driver = Driver { to, document, others: others.collect(), attempt, requests: 0 };
        let ended = driver.carry(machine, first).await;
        delivery.requests += driver.requests;
        breaker.note(ended.error.as_ref());
        to.form.note(&ended.ending);
        let row = row_of(&mut rows, document.language.as_ref());
        let Some(outcome) = outcome(&ended, document.language.clone()) else {
            // Dropped unsettled on purpose: it stands in the ledger as open.
            drop(intent);
            tell(&mut delivery.verdict, row, Standing::Failed, HoldReason::InDoubt.word(), in_doubt(ended.error));
            break;
        };
        let written = outcome.delivered.as_ref().map(|delivered| &delivered.counterpart);
        own.extend(written.map(|known| (document.language.clone(), known.id.clone())));
        let found_unseen = written.is_some_and(|known| known.presence == Presence::Unseen);
        let renamed = written.and_then(|known| other_key(lane, document, known));
        item = item.or_else(|| written.and_then(|known| known.item.clone()));
        let id = written.map(|known| known.id.to_string());
        let error = ended.error.map(|error| error.to_string());
        let held = held_because(ended.ending, error.as_deref());
        let is_done = matches!(outcome.result, OutcomeResult::Done | OutcomeResult::FoundDone);
        let message = renamed.or(outcome.message.clone());
        delivery.outcomes.push((intent, outcome));
        if is_done && held.is_none() {
            tell_done(row, id, message);
            delivery.owes_showing(found_unseen && !document.ends_unseen());
            continue;
        }
        delivery.stop(row, held, error);
        break;
    }
    // Documents after the one that failed were not sent; they are owed still.
    delivery.outcomes.extend(intents.into_iter().map(|intent| (intent, not_sent())));
    tell_owed(&mut rows, documents.iter().filter(|document| document.has_request()).skip(sent));
    delivery.plan.documents = documents;
    delivery.rows = rows;
    delivery
}

fn in_doubt(error: Option<SystemError>) -> String {
    let error = error.map_or_else(String::new, |error| error.to_string());
    format!("{error}; the next push asks the destination what became of it")
}

fn tell_done(row: Option<&mut PushRow>, id: Option<String>, message: Option<String>) {
    if let Some(row) = row {
        row.id_there = id.or(row.id_there.take());
        row.message = message.or(row.message.take());
    }
}

impl Delivery {
    fn of(plan: EntryPlan) -> Delivery {
        let verdict = plan.verdict();
        Delivery { outcomes: Vec::new(), verdict, rows: Vec::new(), requests: 0, is_to_be_shown: false, plan }
    }

    /// Notes whether a document was found written, and is to be put on view next.
    fn owes_showing(&mut self, is_to_be_shown: bool) {
        self.is_to_be_shown |= is_to_be_shown;
        if is_to_be_shown && self.verdict.standing == Standing::Delivered {
            self.verdict.standing = Standing::Owed;
        }
    }

    /// Notes that a document is held, or failed.
    fn stop(&mut self, mut row: Option<&mut PushRow>, held: Option<(HoldReason, String)>, error: Option<String>) {
        match held {
            Some((reason, message)) => {
                if let Some(row) = &mut row {
                    row.is_known = self.plan.held_before == Some(reason);
                }
                tell(&mut self.verdict, row, Standing::Held, reason.word(), message);
            }
            None => tell(&mut self.verdict, row, Standing::Failed, "failed", error.unwrap_or_default()),
        }
    }
}

/// Says of documents that they were not sent.
fn tell_owed<'a>(rows: &mut [PushRow], documents: impl Iterator<Item = &'a DocumentPlan>) {
    for document in documents {
        if let Some(row) = row_of(rows, document.language.as_ref()) {
            row.reason = Some("owed".to_owned());
            row.message = Some(NOT_SENT.to_owned());
        }
    }
}

/// Why a document is held, where it is.
fn held_because(ending: Ending, error: Option<&str>) -> Option<(HoldReason, String)> {
    let message = || error.unwrap_or_default().to_owned();
    match ending {
        Ending::Held(hold, _) => Some((hold.reason, hold.message)),
        Ending::Refused => Some((HoldReason::Refused, message())),
        Ending::Locked => Some((HoldReason::Locked, message())),
        _ => None,
    }
}

fn row_of<'a>(rows: &'a mut [PushRow], language: Option<&LanguageTag>) -> Option<&'a mut PushRow> {
    rows.iter_mut().find(|row| row.language.as_ref() == language)
}

fn tell(verdict: &mut Verdict, row: Option<&mut PushRow>, standing: Standing, reason: &str, message: String) {
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

/// What the ledger says of an ending; nothing while it is in doubt.
fn outcome(ended: &Ended, language: Option<LanguageTag>) -> Option<Outcome> {
    let lost = ended.error.as_ref().is_some_and(|error| error.kind.leaves_doubt());
    let (result, counterpart) = match &ended.ending {
        Ending::InDoubt => return None,
        Ending::Done(counterpart) => (OutcomeResult::Done, counterpart.clone()),
        Ending::Found(counterpart) => (OutcomeResult::FoundDone, counterpart.clone()),
        Ending::Held(_, known) if ended.error.is_none() => (OutcomeResult::NotDone, known.clone()),
        Ending::Held(_, known) if lost => (OutcomeResult::Unclear, known.clone()),
        Ending::Held(_, known) => (OutcomeResult::Refused, known.clone()),
        Ending::Refused | Ending::Locked => (OutcomeResult::Refused, None),
        Ending::NotDone => (OutcomeResult::NotDone, None),
        Ending::FoundNotDone => (OutcomeResult::FoundNotDone, None),
    };
    let message = match (&ended.ending, &ended.error) {
        (Ending::Done(_), _) | (_, None) => None,
        (Ending::Found(_), Some(SystemError { kind: ErrorKind::Content(why), .. })) => {
            Some(format!("{why}; the document was looked at, and is written"))
        }
        (Ending::Found(_), _) => lost.then(|| FOUND.to_owned()),
        (_, Some(error)) => Some(error.to_string()),
    };
    let delivered = counterpart.map(|counterpart| Delivered { language, counterpart });
    Some(Outcome { result, status: ended.status, message, delivered })
}

/// Where entries go, and what watches over it.
pub(super) struct Destination<'a> {
    pub(super) writer: &'a dyn Write,
    pub(super) look_ups: &'a LookUps<'a>,
    pub(super) lane: &'a Lane,
    pub(super) breaker: &'a Breaker<'a>,
    pub(super) form: FormOfTheirs,
}

impl Destination<'_> {
    fn safeguards(&self, document: &DocumentPlan) -> Safeguards {
        let kind = &self.lane.to.kind;
        let order = document.order(None);
        let guarded = order.is_none_or(|order| order.id().is_none() || self.writer.guards(kind, order.revision()));
        Safeguards {
            guarded,
            repeatable: self.writer.repeats(kind),
            read_back: self.form.is_to_be_read_back() || document.ends_unseen(),
            shows_apart: self.writer.shows_apart(kind),
        }
    }
}

/// Whether a destination keeps what it gets in a form of its own. The first writes of a push are read
/// back to learn it, and all of them where it does.
pub(super) struct FormOfTheirs {
    differs: AtomicBool,
    left: AtomicU32,
}

/// So many writes of a pass are read back where nothing is known of the destination.
const READ_BACK: u32 = 3;

impl FormOfTheirs {
    pub(super) fn new(differs: bool) -> Self {
        FormOfTheirs { differs: AtomicBool::new(differs), left: AtomicU32::new(READ_BACK) }
    }

    pub(super) fn differs(&self) -> bool {
        self.differs.load(Ordering::Relaxed)
    }

    fn is_to_be_read_back(&self) -> bool {
        let one_less = |left: u32| left.checked_sub(1);
        self.differs() || self.left.fetch_update(Ordering::Relaxed, Ordering::Relaxed, one_less).is_ok()
    }

    fn note(&self, ending: &Ending) {
        if let Ending::Done(Some(known)) | Ending::Found(Some(known)) = ending
            && known.divergences.values().any(|divergences| matches!(divergences, Divergence::Stored(_)))
        {
            self.differs.store(true, Ordering::Relaxed);
        }
    }
}

/// What is said where the destination gave a document another key than it was sent with.
fn other_key(lane: &Lane, document: &DocumentPlan, known: &Counterpart) -> Option<String> {
    let field = lane.key.as_ref()?;
    let Some(Divergence::Stored(theirs)) = known.divergences.get(field) else { return None };
    let ours = document.document.as_ref()?.key.as_ref()?;
    Some(format!("the destination made `{}` of its key `{ours}`", theirs.scalar_text()?))
}

struct Driver<'a> {
    to: &'a Destination<'a>,
    document: &'a DocumentPlan,
    /// What the entry's documents in other languages are called.
    others: Vec<EntryId>,
    attempt: String,
    requests: u64,
}

/// The first pause before it is looked again for a new document; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(50);

impl Driver<'_> {
    /// Does what the machine says until it ends.
    async fn carry(&mut self, mut machine: DeliveryMachine<'_>, first: Effect) -> Ended {
        let Destination { writer, lane, .. } = *self.to;
        let kind = &lane.to.kind;
        let began = Instant::now();
        let (mut effect, mut error, mut status) = (first, None, None);
        loop {
            effect = match effect {
                Effect::End(ending) => return Ended { ending, error, status },
                Effect::Write(order) => {
                    let sent = match self.document.ends_unseen() {
                        true => writer.save_unseen(kind, &order, &self.attempt).await,
                        false => writer.write(kind, &order, &self.attempt).await,
                    };
                    let response = match sent {
                        Ok(written) => {
                            (status, error) = (Some(written.status), None);
                            Response::Done(written)
                        }
                        Err(failure) => {
                            tracing::debug!(error = %failure, "a write was not answered well");
                            let response = response(&failure.kind);
                            (status, error) = (failure.kind.status(), Some(failure));
                            response
                        }
                    };
                    // Where no connection came about, and no credential was had, nothing was sent.
                    let went = !error.as_ref().is_some_and(|error| error.kind.sends_nothing());
                    self.requests += u64::from(went);
                    machine.wrote(response)
                }
                Effect::Read(id) => match self.read(&id).await {
                    Ok(now) => machine.read(now.as_ref()),
                    Err(failure) => self.unseen(&machine, failure, &mut error),
                },
                Effect::Find(looks) => {
                    let pause = if looks == 0 { Duration::ZERO } else { FIRST_PAUSE * (1 << (looks - 1).min(10)) };
                    let left = writer.settles_within().saturating_sub(began.elapsed());
                    if looks > 0 && left.is_zero() {
                        machine.saw_nothing()
                    } else {
                        tokio::time::sleep(pause.min(left)).await;
                        let key = self.document.document.as_ref().and_then(|document| document.key.clone());
                        let language = self.document.language.as_ref();
                        match self.to.look_ups.by_key(&key.unwrap_or_default(), language).await {
                            Ok(found) => machine.found(&found.apart_from(self.others.iter())),
                            Err(failure) => self.unseen(&machine, failure, &mut error),
                        }
                    }
                }
            };
        }
    }

    async fn read(&self, id: &EntryId) -> Result<Option<diaporos_core::plan::Existing>, SystemError> {
        self.to.writer.read(&self.to.lane.to.kind, id).await
    }

    /// A look that got no answer. Why the write before it failed says more than why the look did.
    fn unseen(&self, machine: &DeliveryMachine<'_>, failure: SystemError, error: &mut Option<SystemError>) -> Effect {
        tracing::debug!(lane = %self.to.lane.name, error = %failure, "a look was not answered");
        error.get_or_insert(failure);
        machine.saw_nothing()
    }
}

fn response(kind: &ErrorKind) -> Response {
    match kind {
        kind if kind.leaves_doubt() => Response::Lost,
        ErrorKind::Differs { .. } => Response::Differs,
        ErrorKind::NotFound | ErrorKind::GoneForGood => Response::Absent,
        ErrorKind::Locked { .. } => Response::Locked,
        // It may be that document alone; whether it is the credential, the breaker tells.
        kind if kind.is_forbidden() => Response::Refused,
        ErrorKind::Status { .. } | ErrorKind::Redirects(_) | ErrorKind::Refused(_) => Response::Refused,
        _ => Response::NotDone,
    }
}
