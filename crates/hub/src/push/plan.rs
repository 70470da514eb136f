//! Planning: what every document of an entry needs.

use std::collections::{BTreeMap, HashMap};

use diaporos_core::expr::{Looks, Referenced, Subject, World, WorldError};
use diaporos_core::lane::{Document, Mapped, Mapping, describe_faults, map_entry};
use diaporos_core::plan::{
    Counterpart, DocumentPlan, Existing, Found as FoundThere, Hold, HoldReason, Order, Presence, Step, Wanted, decide,
};
use diaporos_core::value::{Address, EntryId, LaneName, LanguageTag, Localised, Record, TypeName, Value};
use diaporos_store::{
    Action, CounterpartRow, Delivered, Due, EntryRow, IntentRecord, Standing, Store, StoreError, Verdict,
};
use diaporos_systems::{SystemError, Write};
use futures::StreamExt;
use jiff::Timestamp;

use super::assets::{Found, name_assets, obstacle};
use super::returned::{map_returned, with_itself};
use super::row::{PushRow, PushTally};
use super::{Fate, PushError, Unplanned};
use crate::config::ConfiguredLane;

/// What is to be done for one entry.
#[derive(Debug, Clone, PartialEq)]
pub struct EntryPlan {
    /// The entry's number.
    pub number: i64,
    /// The entry.
    pub address: Address,
    /// What is to be done for each document.
    pub documents: Vec<DocumentPlan>,
    /// Why the whole entry is kept back.
    pub hold: Option<Hold>,
    /// Whether the entry goes on the lane at all.
    pub goes: bool,
    /// Whether a person keeps it off.
    pub taken_off: bool,
    /// Whether it was held for what somebody did there: it is read before anything is sent again.
    pub look_first: bool,
    /// Languages that are left as they are there, with the fields they lack.
    pub incomplete: BTreeMap<LanguageTag, Vec<String>>,
    /// The other entries that were looked at.
    pub looks: Looks,
    /// Why nothing of it is withdrawn or overwritten.
    pub protected: Option<String>,
    /// The entries that it refers to and goes without, each with why.
    pub left_out: Vec<String>,
}

/// Keys that entries of this run are going to create, so that two never create the same.
pub(super) type Claims = HashMap<(String, Option<LanguageTag>), Address>;

/// What was found at the destination under an entry's key, by language.
pub(crate) type FoundByLanguage = BTreeMap<Option<LanguageTag>, Vec<Existing>>;

/// Other entries, as a lane sees them: their counterparts are those at its destination.
pub(crate) struct LaneWorld<'a> {
    pub(crate) store: &'a Store,
    pub(crate) lane: &'a ConfiguredLane,
}

impl World for LaneWorld<'_> {
    fn follow(&self, address: &Address) -> Result<Option<Referenced>, WorldError> {
        self.store.follow(address)
    }

    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, WorldError> {
        let called = self.store.called(address, |by| match lane {
            Some(lane) => by == lane.as_str(),
            None => self.lane.siblings.iter().any(|sibling| by == sibling.as_str()),
        });
        called.map_err(|error| WorldError(error.to_string()))
    }
}

/// Maps an entry on a lane.
///
/// # Errors
/// Where the store fails: what cannot be looked up is not absent.
pub(crate) fn map(store: &Store, lane: &ConfiguredLane, due: &Due, now: Timestamp) -> Result<Mapping, StoreError> {
    if due.taken_off {
        return Ok(Mapping { mapped: Mapped::Outside, looks: Looks::default(), protected: None });
    }
    if let Some(languages) = &lane.returns {
        return map_returned(store, lane, languages, due);
    }
    let mut mapping = map_as_it_is(store, lane, due, now)?;
    name_assets(store, lane, &mut mapping.mapped)?;
    Ok(mapping)
}

/// Maps an entry, with the addresses of files as they are.
pub(super) fn map_as_it_is(
    store: &Store,
    lane: &ConfiguredLane,
    due: &Due,
    now: Timestamp,
) -> Result<Mapping, StoreError> {
    let previous = previous(&due.counterparts);
    let mapping = seen_by(lane, due, previous.as_ref(), |subject| {
        map_entry(&lane.lane, &lane.target, subject, &LaneWorld { store, lane }, now)
    });
    Ok(mapping?)
}

/// Hands over an entry as its lane's expressions see it; `now` is when it last changed.
pub(crate) fn seen_by<T>(
    lane: &ConfiguredLane,
    due: &Due,
    previous: Option<&Record>,
    then: impl FnOnce(Subject<'_>) -> T,
) -> T {
    let EntryRow { address, state, fields, changed, .. } = &due.entry;
    let values = lane.lane.slots.resolve(fields);
    then(Subject { address, state: *state, values: &values, now: *changed, previous })
}

/// What was last delivered of an entry: a value for each language where there is a document for
/// each.
pub(crate) fn previous(counterparts: &[CounterpartRow]) -> Option<Record> {
    let mut whole = Record::default();
    for row in counterparts {
        let Some(language) = &row.language else { return Some(row.counterpart.fields.clone()) };
        for (name, value) in &row.counterpart.fields {
            let known = whole.entry(name.clone()).or_insert_with(|| Value::Localised(Localised::new()));
            if let (Value::Localised(by_language), false) = (known, value.is_null()) {
                by_language.insert(language.clone(), value.clone());
            }
        }
    }
    (!counterparts.is_empty()).then_some(whole)
}

/// A window of entries, planned.
pub(super) struct Window {
    pub(super) plans: Vec<EntryPlan>,
    /// Those for which the destination did not answer.
    pub(super) unplanned: Vec<Unplanned>,
}

/// Plans a window of entries. Keys that are not known are looked up at the destination, several at
/// a time, and with `verify` every document that is there is read; everything else is decided without
/// asking anybody. An answer that cannot be had fails its entry alone, unless it would meet all of
/// them.
pub(super) async fn plan_window(
    store: &Store,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    (due, now): (Vec<Due>, Timestamp),
    (verify, assets): (bool, &Found),
    claims: &mut Claims,
) -> Result<Window, PushError> {
    let mut due = due.into_iter().map(|due| with_itself(store, lane, due)).collect::<Result<Vec<_>, _>>()?;
    let mut window = Window { plans: Vec::with_capacity(due.len()), unplanned: Vec::new() };
    let mut unfit = HashMap::new();
    if assets.values().any(Result::is_err) {
        let mut kept = Vec::with_capacity(due.len());
        for due in due {
            match obstacle(lane, &map_as_it_is(store, lane, &due, now)?.mapped, assets) {
                None => kept.push(due),
                Some((true, error)) => {
                    unfit.insert(due.number, error.to_string());
                    kept.push(due);
                }
                Some((false, error)) => {
                    window.unplanned.push(Unplanned { number: due.number, address: due.entry.address, error });
                }
            }
        }
        due = kept;
    }
    let mappings: Vec<Mapping> = due.iter().map(|due| map(store, lane, due, now)).collect::<Result<_, _>>()?;
    let mut questions = Vec::new();
    for (place, (due, mapping)) in due.iter().zip(&mappings).enumerate() {
        questions.extend(
            unknown_keys(due, mapping).map(|document| (place, document.language.clone(), document.key.clone())),
        );
    }
    let kind = &lane.lane.to.kind;
    let at_once = writer.at_once(kind).max(1);
    let answers: Vec<_> = futures::stream::iter(questions.into_iter().map(|(place, language, key)| async move {
        let key = key.unwrap_or_default();
        (place, language.clone(), writer.find(kind, &key, language.as_ref()).await)
    }))
    .buffered(at_once)
    .collect()
    .await;
    let mut found: HashMap<usize, FoundByLanguage> = HashMap::new();
    let mut failed: HashMap<usize, SystemError> = HashMap::new();
    for (place, language, answer) in answers {
        match answer {
            Ok(existing) => drop(found.entry(place).or_default().insert(language, existing)),
            Err(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
            Err(error) => drop(failed.insert(place, error)),
        }
    }
    for (place, (due, mapping)) in due.into_iter().zip(mappings).enumerate() {
        if let Some(error) = failed.remove(&place) {
            window.unplanned.push(Unplanned { number: due.number, address: due.entry.address, error });
            continue;
        }
        let own = found.remove(&place).unwrap_or_default();
        let mut plan = plan_entry(store, lane, due, mapping, &own, claims)?;
        if let Some(message) = unfit.remove(&plan.number) {
            plan.hold = Some(Hold { reason: HoldReason::Unfit, message });
        }
        window.plans.push(plan);
    }
    if verify || window.plans.iter().any(|plan| plan.look_first) {
        compare(window, lane, writer, (verify, at_once)).await
    } else {
        Ok(window)
    }
}

/// Reads every document of the window that is there, and lets the plans take it into account.
async fn compare(
    window: Window,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    (verify, at_once): (bool, usize),
) -> Result<Window, PushError> {
    let Window { plans, mut unplanned } = window;
    let asked: Vec<_> = plans.into_iter().map(|plan| plan.compared(lane, writer, verify)).collect();
    let compared: Vec<_> = futures::stream::iter(asked).buffered(at_once).collect().await;
    let mut plans = Vec::with_capacity(compared.len());
    for (plan, error) in compared {
        match error {
            None => plans.push(plan),
            Some(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
            Some(error) => unplanned.push(Unplanned { number: plan.number, address: plan.address, error }),
        }
    }
    Ok(Window { plans, unplanned })
}

/// The documents that are to be there, and of which no counterpart is known.
fn unknown_keys<'a>(due: &'a Due, mapping: &'a Mapping) -> impl Iterator<Item = &'a Document> {
    let documents: &[Document] = match &mapping.mapped {
        Mapped::Goes { documents, .. } => documents,
        _ => &[],
    };
    let is_known = |document: &&Document| {
        let own = due.counterparts.iter().find(|row| row.language == document.language);
        own.is_some_and(|row| row.counterpart.presence != Presence::Deleted)
    };
    documents.iter().filter(move |document| !is_known(document))
}

/// Plans one entry from what is known and found.
pub(crate) fn plan_entry(
    store: &Store,
    lane: &ConfiguredLane,
    due: Due,
    mapping: Mapping,
    found: &FoundByLanguage,
    claims: &mut Claims,
) -> Result<EntryPlan, PushError> {
    let due = with_itself(store, lane, due)?;
    let mut plan = EntryPlan {
        number: due.number,
        address: due.entry.address.clone(),
        documents: Vec::new(),
        hold: None,
        goes: true,
        taken_off: due.taken_off,
        look_first: lane.returns.is_some()
            || matches!(due.held, Some(HoldReason::ChangedThere | HoldReason::DeletedThere)),
        incomplete: BTreeMap::new(),
        looks: mapping.looks,
        protected: mapping.protected,
        left_out: Vec::new(),
    };
    let policies = &lane.lane.changed_there;
    let mut known: BTreeMap<Option<LanguageTag>, Counterpart> =
        due.counterparts.into_iter().map(|row| (row.language, row.counterpart)).collect();
    let documents = match mapping.mapped {
        Mapped::Faulty(faults) => {
            let message = describe_faults(&faults).join("; ");
            plan.hold = Some(Hold { reason: HoldReason::Unfit, message });
            return Ok(plan);
        }
        Mapped::Broken(messages) => {
            plan.hold = Some(Hold { reason: HoldReason::Rule, message: messages.join("; ") });
            return Ok(plan);
        }
        Mapped::Outside => {
            plan.goes = false;
            Vec::new()
        }
        Mapped::Goes { documents, incomplete } => {
            plan.incomplete = incomplete;
            documents
        }
    };
    for document in documents {
        let row = known.remove(&document.language).filter(|row| row.presence != Presence::Deleted);
        let at_hand = match (&row, &document.key) {
            (None, Some(key)) => what_was_found(store, lane, &plan.address, key, &document.language, found, claims)?,
            _ => FoundThere::NotAsked,
        };
        let step = decide(Wanted::There(document.fingerprint()), row.as_ref(), at_hand, lane.lane.gone);
        if let (Step::Create, Some(key)) = (&step, &document.key) {
            claims.insert((key.clone(), document.language.clone()), plan.address.clone());
        }
        plan.documents.push(DocumentPlan::new(document.language.clone(), step, Some(document), row, policies));
    }
    for (language, row) in known {
        let is_incomplete = language.as_ref().is_some_and(|language| plan.incomplete.contains_key(language));
        let wanted = if is_incomplete { Wanted::AsItIs } else { Wanted::NotThere };
        let step = decide(wanted, Some(&row), FoundThere::NotAsked, lane.lane.gone);
        plan.documents.push(DocumentPlan::new(language, step, None, Some(row), policies));
    }
    plan.documents.sort_by(|a, b| a.language.cmp(&b.language));
    plan.settle_holds();
    Ok(plan)
}

fn what_was_found(
    store: &Store,
    lane: &ConfiguredLane,
    address: &Address,
    key: &str,
    language: &Option<LanguageTag>,
    found: &FoundByLanguage,
    claims: &Claims,
) -> Result<FoundThere, PushError> {
    let existing = match found.get(language).map(Vec::as_slice) {
        None => return Ok(FoundThere::NotAsked),
        Some([]) => {
            let other = claims.get(&(key.to_owned(), language.clone())).filter(|by| *by != address);
            return Ok(other.map_or(FoundThere::Nothing, |by| FoundThere::Taken(by.clone())));
        }
        Some([one]) => one,
        Some(several) => return Ok(FoundThere::Several(several.len())),
    };
    match store.owner(&lane.lane.name, &existing.id)? {
        Some((_, owner)) if owner != *address => Ok(FoundThere::Taken(owner)),
        _ => Ok(FoundThere::One(Box::new(existing.clone()))),
    }
}

impl EntryPlan {
    /// Reads every document that is there and compares it; the error where one cannot be read.
    async fn compared(
        mut self,
        lane: &ConfiguredLane,
        writer: &dyn Write,
        verify: bool,
    ) -> (EntryPlan, Option<SystemError>) {
        if self.hold.is_some() || !(verify || self.look_first) {
            return (self, None);
        }
        for document in &mut self.documents {
            let Some(id) = document.known.as_ref().map(|known| known.id.clone()) else { continue };
            if matches!(document.step, Step::Nothing | Step::Hold(_)) {
                continue;
            }
            match writer.read(&lane.lane.to.kind, &id).await {
                Ok(now) => document.compare_with(now.as_ref(), &lane.lane.changed_there),
                Err(error) => return (self, Some(error)),
            }
        }
        self.settle_holds();
        (self, None)
    }

    /// A document that is held holds the entry.
    fn settle_holds(&mut self) {
        self.protect();
        self.hold = self.documents.iter().find_map(|document| match &document.step {
            Step::Hold(hold) => Some(hold.clone()),
            _ => None,
        });
    }

    /// What a rule protects is neither overwritten nor taken away: where it would be, the entry is
    /// held, also the languages of it that would be new.
    fn protect(&mut self) {
        let Some(why) = &self.protected else { return };
        for document in &mut self.documents {
            let takes = match &document.step {
                Step::Update | Step::PutBack => "overwrite",
                Step::Adopt(_) if document.has_request() => "overwrite",
                Step::Withdraw | Step::Delete => "take away",
                _ => continue,
            };
            let message = format!("this would {takes} what is protected: {why}");
            document.step = Step::Hold(Hold { reason: HoldReason::Protected, message });
        }
    }

    /// What joins the entry's documents at the destination, where it has any.
    #[must_use]
    pub fn item(&self) -> Option<EntryId> {
        self.documents.iter().find_map(DocumentPlan::item).cloned()
    }

    /// What the documents amount to.
    #[must_use]
    pub fn fate(&self) -> Fate {
        let any = |wanted: fn(&Step) -> bool| self.documents.iter().any(|document| wanted(&document.step));
        if self.hold.is_some() {
            Fate::Held
        } else if any(|step| matches!(step, Step::Adopt(_))) {
            Fate::Adopted
        } else if any(|step| matches!(step, Step::Update | Step::PutBack)) {
            Fate::Updated
        } else if any(|step| matches!(step, Step::Create)) {
            if any(|step| matches!(step, Step::Unchanged | Step::Note)) { Fate::Updated } else { Fate::Created }
        } else if any(|step| matches!(step, Step::Withdraw | Step::Delete)) {
            if self.goes { Fate::Updated } else { Fate::Withdrawn }
        } else if any(|step| matches!(step, Step::Unchanged | Step::Note)) {
            Fate::Unchanged
        } else {
            Fate::Outside
        }
    }

    /// Where the entry stands when all went as planned.
    pub(super) fn standing(&self) -> Standing {
        let was_withdrawn = self
            .documents
            .iter()
            .any(|document| document.known.as_ref().is_some_and(|known| known.presence != Presence::Present));
        match self.fate() {
            Fate::Held => Standing::Held,
            Fate::Withdrawn => Standing::Withdrawn,
            Fate::Outside if was_withdrawn => Standing::Withdrawn,
            Fate::Outside if self.goes => Standing::Delivered,
            Fate::Outside => Standing::Outside,
            Fate::Unchanged | Fate::Created | Fate::Updated | Fate::Adopted => Standing::Delivered,
        }
    }

    /// The verdict of a plan that went, or goes, as it was made.
    pub(super) fn verdict(&self) -> Verdict {
        let mut verdict = Verdict::new(self.number, self.standing());
        if let Some(hold) = &self.hold {
            verdict = verdict.because(hold.reason.word(), hold.message.clone());
        } else {
            let noted = |document: &DocumentPlan| {
                let counterpart = document.noted()?;
                Some(Delivered { language: document.language.clone(), counterpart })
            };
            verdict.delivered = self.documents.iter().filter_map(noted).collect();
        }
        verdict.reads = self.looks.reads.clone();
        verdict
    }

    /// The intents of all requests, in the order in which they are sent.
    pub(super) fn intents(&self, writer: &dyn Write, kind: &TypeName) -> Result<Vec<IntentRecord>, SystemError> {
        let item = self.item();
        let mut records = Vec::new();
        if self.hold.is_some() {
            return Ok(records);
        }
        for document in &self.documents {
            let Some(order) = document.order(item.as_ref()) else { continue };
            let request = writer.request(kind, &order)?;
            let action = match &order {
                Order::Create { .. } => Action::Create,
                Order::Update { .. } => Action::Update,
                Order::Withdraw { .. } => Action::Withdraw,
                Order::Delete { .. } => Action::Delete,
            };
            let known = document.known.as_ref();
            let none = || diaporos_core::change::fingerprint_texts([]);
            let fingerprint = document.document.as_ref().map(diaporos_core::lane::Document::fingerprint);
            records.push(IntentRecord {
                entry: self.number,
                language: document.language.clone(),
                action,
                request: format!("{} {}", request.method.word(), request.shown_url()),
                id_there: order.id().cloned(),
                base: order.revision().cloned(),
                fingerprint: fingerprint.or(known.map(|known| known.fingerprint)).unwrap_or_else(none),
                fields: order.fields().cloned().or_else(|| Some(known?.fields.clone())).unwrap_or_default(),
                item: if matches!(order, Order::Create { .. }) { item.clone() } else { None },
            });
        }
        Ok(records)
    }

    /// Adds the plan to a tally as if all went well.
    pub(super) fn count(&self, tally: &mut PushTally) {
        tally.requests +=
            self.documents.iter().filter(|document| self.hold.is_none() && document.has_request()).count() as u64;
        self.count_as(self.standing(), tally);
    }

    /// Adds the entry to a tally by where it stands now.
    pub(super) fn count_as(&self, standing: Standing, tally: &mut PushTally) {
        match (standing, self.fate()) {
            (Standing::Held, _) => tally.held += 1,
            (Standing::Failed | Standing::Owed, _) => tally.failed += 1,
            (_, Fate::Created) => tally.created += 1,
            (_, Fate::Updated) => tally.updated += 1,
            (_, Fate::Adopted) => tally.adopted += 1,
            (_, Fate::Withdrawn) => tally.withdrawn += 1,
            (_, Fate::Unchanged) => tally.unchanged += 1,
            (_, Fate::Outside | Fate::Held) => {}
        }
    }

    /// A row per document for which something is to be done, or one for the entry's hold.
    #[must_use]
    pub fn rows(&self) -> Vec<PushRow> {
        let row = |language: Option<LanguageTag>, step: &'static str| PushRow {
            address: self.address.clone(),
            language,
            step,
            id_there: None,
            changes: Vec::new(),
            reason: None,
            message: None,
            is_drift: false,
        };
        if let Some(hold) = &self.hold {
            let (reason, message) = (Some(hold.reason.word().to_owned()), Some(hold.message.clone()));
            return vec![PushRow { reason, message, ..row(None, "hold") }];
        }
        let acted = self.documents.iter().filter(|document| !matches!(document.step, Step::Nothing | Step::Unchanged));
        let left_out = (!self.left_out.is_empty()).then(|| self.left_out.join("; "));
        acted
            .map(|document| {
                let is_noted = document.step == Step::Note;
                PushRow {
                    id_there: document.id_there().map(ToString::to_string),
                    changes: if is_noted { document.drifted().to_vec() } else { document.changes() },
                    message: document.says_of_them().or_else(|| left_out.clone()),
                    is_drift: !document.drifted().is_empty(),
                    ..row(document.language.clone(), document.step.word())
                }
            })
            .collect()
    }
}
