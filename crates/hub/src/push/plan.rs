//! Planning: what every document of an entry needs.

use std::collections::{BTreeMap, HashMap};

use diaporos_core::lane::{Mapped, Mapping, describe_faults};
use diaporos_core::plan::{
    Counterpart, DesiredState, Document, DocumentPlan, FoundDocument, Hold, HoldReason, Presence, Step, decide,
};
use diaporos_core::value::{Address, LanguageTag};
use diaporos_store::{Due, Store, StoreError};
use diaporos_systems::{SystemError, Write};
use futures::StreamExt;
use jiff::Timestamp;

use super::assets::{AssetOutcomes, obstacle};
use super::claims::Claims;
use super::entry_plan::EntryPlan;
use super::lookup::LookUps;
use super::{PushError, Unplanned};
use crate::config::ConfiguredLane;
use crate::mapping::{map, map_as_it_is, with_itself};

/// So many look-ups that are all forbidden are the credential's fault.
const FORBIDDEN: usize = 5;

/// What was found at the destination under an entry's key, by language.
pub(crate) type FoundByLanguage = BTreeMap<Option<LanguageTag>, FoundDocument>;

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
    (writer, look_ups): (&dyn Write, &LookUps<'_>),
    (due, now): (Vec<Due>, Timestamp),
    (verify, assets): (bool, &AssetOutcomes),
    claims: &mut Claims,
) -> Result<Window, PushError> {
    let mut due = due.into_iter().map(|due| as_known(store, lane, due)).collect::<Result<Vec<_>, _>>()?;
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
        let asked = unknown_keys(lane, due, mapping);
        questions.extend(asked.map(|document| (place, document.language.clone(), document.key.clone())));
    }
    let max_in_flight = writer.max_in_flight(&lane.lane.to.kind).max(1);
    let answers: Vec<_> = futures::stream::iter(questions.into_iter().map(|(place, language, key)| async move {
        let key = key.unwrap_or_default();
        (place, language.clone(), look_ups.by_key(&key, language.as_ref()).await)
    }))
    .buffered(max_in_flight)
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
    // One document may be forbidden; where all are, it is the credential.
    if found.is_empty()
        && failed.len() >= FORBIDDEN
        && failed.values().all(|error| error.kind.is_forbidden())
        && let Some((_, error)) = failed.drain().next()
    {
        return Err(error.into());
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
        compare(window, lane, writer, (verify, max_in_flight)).await
    } else {
        Ok(window)
    }
}

/// Reads every document of the window that is there, and lets the plans take it into account.
async fn compare(
    window: Window,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    (verify, max_in_flight): (bool, usize),
) -> Result<Window, PushError> {
    let Window { plans, mut unplanned } = window;
    let asked: Vec<_> = plans.into_iter().map(|plan| plan.compared(lane, writer, verify)).collect();
    let compared: Vec<_> = futures::stream::iter(asked).buffered(max_in_flight).collect().await;
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

/// The documents that are to be there, and of which no counterpart is known, or one with another key.
fn unknown_keys<'a>(
    lane: &'a ConfiguredLane,
    due: &'a Due,
    mapping: &'a Mapping,
) -> impl Iterator<Item = &'a Document> {
    let documents: &[Document] = match &mapping.mapped {
        Mapped::Goes { documents, .. } => documents,
        _ => &[],
    };
    let is_asked = |document: &&Document| {
        let own = due.counterparts.iter().find(|row| row.language == document.language);
        let known = own.map(|row| &row.counterpart).filter(|known| known.presence != Presence::Deleted);
        known.is_none() || document.key.as_ref().is_some_and(|key| has_new_key(lane, known, key))
    };
    documents.iter().filter(move |document| is_asked(document))
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
    let due = as_known(store, lane, due)?;
    let mut plan = EntryPlan {
        number: due.number,
        address: due.entry.address.clone(),
        documents: Vec::new(),
        hold: None,
        goes: true,
        taken_off: due.taken_off,
        held_before: due.held,
        look_first: lane.returns.is_some()
            || matches!(due.held, Some(HoldReason::ChangedThere | HoldReason::DeletedThere))
            || due.counterparts.iter().any(|row| row.counterpart.is_undecided()),
        incomplete: BTreeMap::new(),
        dependencies: mapping.dependencies,
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
        let at_hand = match &document.key {
            Some(key) if row.is_none() || has_new_key(lane, row.as_ref(), key) => {
                let entry = (plan.number, &plan.address);
                what_was_found(store, lane, entry, (key, &document.language), found, claims)?
            }
            _ => FoundDocument::NotAsked,
        };
        let step = match (&row, at_hand) {
            // A new key must not be another document's.
            (Some(known), found) => match taken_from(known, &found) {
                Some(hold) => Step::Hold(hold),
                None => decide(DesiredState::There(document.fingerprint()), Some(known), found, lane.lane.gone),
            },
            (None, found) => decide(DesiredState::There(document.fingerprint()), None, found, lane.lane.gone),
        };
        match (&step, &document.key) {
            (Step::Create, Some(key)) => claims.take_key(key, document.language.as_ref(), &plan.address),
            (Step::Adopt(existing), _) => claims.take_document(&existing.id, &plan.address),
            _ => {}
        }
        plan.documents.push(DocumentPlan::new(document.language.clone(), step, Some(document), row, policies));
    }
    for (language, row) in known {
        let is_incomplete = language.as_ref().is_some_and(|language| plan.incomplete.contains_key(language));
        let wanted = if is_incomplete { DesiredState::AsItIs } else { DesiredState::NotThere };
        let step = decide(wanted, Some(&row), FoundDocument::NotAsked, lane.lane.gone);
        plan.documents.push(DocumentPlan::new(language, step, None, Some(row), policies));
    }
    plan.documents.sort_by(|a, b| a.language.cmp(&b.language));
    plan.settle_holds();
    Ok(plan)
}

/// Whose the document is that was found by an entry's key.
fn what_was_found(
    store: &Store,
    lane: &ConfiguredLane,
    (number, address): (i64, &Address),
    (key, language): (&str, &Option<LanguageTag>),
    found: &FoundByLanguage,
    claims: &Claims,
) -> Result<FoundDocument, PushError> {
    let Some(found) = found.get(language) else { return Ok(FoundDocument::NotAsked) };
    // What was delivered with that key is known, whatever a look-up that lags says.
    if let Some(other) = store.other_with_key(&lane.lane.name, key, language.as_ref(), number)? {
        return Ok(FoundDocument::Taken(other));
    }
    if let Some(other) = claims.other_with_key(store, key, language.as_ref(), address)? {
        return Ok(FoundDocument::Taken(other));
    }
    let FoundDocument::One(existing) = found else { return Ok(found.clone()) };
    if let Some(other) = claims.other_with_document(&existing.id, address) {
        return Ok(FoundDocument::Taken(other));
    }
    match store.owner(&lane.lane.name, &existing.id)? {
        Some((_, owner)) if owner != *address => Ok(FoundDocument::Taken(owner)),
        _ => Ok(found.clone()),
    }
}

/// Whether a document was delivered with another key than it is to have.
fn has_new_key(lane: &ConfiguredLane, known: Option<&Counterpart>, key: &str) -> bool {
    let was = known.filter(|known| !known.is_undecided()).zip(lane.lane.key.as_ref());
    let was = was.and_then(|(known, field)| known.fields.get(field)?.scalar_text());
    was.is_some_and(|was| was != key)
}

/// Why a document cannot have its new key: another has it.
fn taken_from(known: &Counterpart, found: &FoundDocument) -> Option<Hold> {
    let message = match found {
        FoundDocument::Taken(by) => format!("`{by}` has the same key there"),
        FoundDocument::One(other) if other.id != known.id => format!("`{}` there has its new key already", other.id),
        FoundDocument::Several(count) => format!("{count} documents there have its new key already"),
        _ => return None,
    };
    Some(Hold { reason: HoldReason::KeyTaken, message })
}

/// An entry with what is known of it there: by itself, where its translations go back to it; or by what a
/// lane that is no longer configured delivered of it to the same type.
fn as_known(store: &Store, lane: &ConfiguredLane, mut due: Due) -> Result<Due, StoreError> {
    if lane.returns.is_some() {
        return with_itself(store, lane, due);
    }
    if due.counterparts.is_empty() {
        due.counterparts = store.left_behind_of(due.number, &lane.lane.name, &lane.siblings)?;
    }
    Ok(due)
}
