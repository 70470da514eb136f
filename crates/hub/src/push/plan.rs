//! Planning: what every document of an entry needs.

use std::collections::{BTreeMap, HashMap};

use diaporos_core::lane::{Mapped, Mapping};
use diaporos_core::plan::{
    Counterpart, DesiredState, Document, DocumentPlan, FoundDocument, Hold, HoldReason, Presence, Step, decide,
};
use diaporos_core::value::LanguageTag;
use diaporos_store::{Due, Store, StoreError};
use diaporos_systems::{SystemError, Write};
use futures::StreamExt;
use jiff::Timestamp;

use super::assets::{AssetOutcomes, obstacle};
use super::claims::Claims;
use super::entry_plan::EntryPlan;
use super::listed::Listed;
use super::lookup::LookUps;
use super::made_once::{as_made, made_once};
use super::{PushError, Showing, Unplanned};
use crate::config::ConfiguredLane;
use crate::mapping::{map, map_as_it_is, with_itself};

/// So many look-ups that are all forbidden are the credential's fault.
const FORBIDDEN: usize = 5;

/// What was found at the destination under an entry's key, by language.
pub(crate) type FoundByLanguage = BTreeMap<Option<LanguageTag>, FoundDocument>;

/// A lane, and what the store knows of its entries.
#[derive(Clone, Copy)]
pub(crate) struct LaneOf<'a> {
    pub(crate) store: &'a Store,
    pub(crate) lane: &'a ConfiguredLane,
}

/// A window of entries, planned.
pub(super) struct Window {
    pub(super) plans: Vec<EntryPlan>,
    /// Those for which the destination did not answer.
    pub(super) unplanned: Vec<Unplanned>,
}

/// What a window of entries is planned with.
pub(super) struct WindowPlanner<'a> {
    pub(super) of: LaneOf<'a>,
    pub(super) writer: &'a dyn Write,
    pub(super) look_ups: &'a LookUps<'a>,
    /// What became of the files that entries refer to.
    pub(super) assets: &'a AssetOutcomes,
    /// The entries that a service gave nothing for.
    pub(super) ungiven: &'a HashMap<i64, String>,
    /// Where every document that is there is compared: what a listing showed of them, for the others to be read.
    pub(super) verify: Option<&'a Listed>,
    /// When what is written goes on view.
    pub(super) showing: Showing,
    pub(super) now: Timestamp,
}

/// What was found of the keys that were looked up, and where that failed, by an entry's place in its window.
#[derive(Default)]
struct Answers {
    found: HashMap<usize, FoundByLanguage>,
    failed: HashMap<usize, SystemError>,
}

impl WindowPlanner<'_> {
    /// Plans a window of entries. Keys that are not known are looked up at the destination, several at
    /// a time, and with `verify` every document that is there is read; everything else is decided without
    /// asking anybody. An answer that cannot be had fails its entry alone, unless it would meet all of
    /// them.
    pub(super) async fn plan(&self, due: Vec<Due>, claims: &mut Claims) -> Result<Window, PushError> {
        let LaneOf { store, lane } = self.of;
        let due = due.into_iter().map(|due| self.of.as_known(due)).collect::<Result<Vec<_>, _>>()?;
        let mut window = Window { plans: Vec::with_capacity(due.len()), unplanned: Vec::new() };
        let (due, mut unfit) = self.with_their_files(due, &mut window)?;
        let mappings: Vec<Mapping> = due.iter().map(|due| map(store, lane, due, self.now)).collect::<Result<_, _>>()?;
        let Answers { mut found, mut failed } = self.look_up(&due, &mappings).await?;
        for (place, (due, mapping)) in due.into_iter().zip(mappings).enumerate() {
            if let Some(error) = failed.remove(&place) {
                window.unplanned.push(Unplanned {
                    looked: (due.number, due.touched),
                    address: due.entry.address,
                    error,
                });
                continue;
            }
            let own = found.remove(&place).unwrap_or_default();
            let mut plan = self.of.plan_entry(due, mapping, &own, claims)?;
            if let Some(message) = unfit.remove(&plan.number) {
                plan.hold = Some(Hold::new(HoldReason::Unfit, message));
            }
            if let Some(why) = self.ungiven.get(&plan.number).filter(|_| plan.goes) {
                plan.hold = Some(Hold::new(HoldReason::Service, why.clone()));
            }
            if self.showing == Showing::Later {
                plan.save_unseen();
            }
            window.plans.push(plan);
        }
        if self.verify.is_some() || window.plans.iter().any(|plan| plan.look_first) {
            self.compare(window).await
        } else {
            Ok(window)
        }
    }

    /// Leaves out entries whose files could not be had, and tells which have files that do not fit.
    fn with_their_files(
        &self,
        due: Vec<Due>,
        window: &mut Window,
    ) -> Result<(Vec<Due>, HashMap<i64, String>), StoreError> {
        let LaneOf { store, lane } = self.of;
        let mut unfit = HashMap::new();
        if self.assets.values().all(Result::is_ok) {
            return Ok((due, unfit));
        }
        let mut kept = Vec::with_capacity(due.len());
        for due in due {
            match obstacle(lane, &map_as_it_is(store, lane, &due, self.now)?.mapped, self.assets) {
                None => kept.push(due),
                Some((true, error)) => {
                    unfit.insert(due.number, error.to_string());
                    kept.push(due);
                }
                Some((false, error)) => {
                    window.unplanned.push(Unplanned {
                        looked: (due.number, due.touched),
                        address: due.entry.address,
                        error,
                    });
                }
            }
        }
        Ok((kept, unfit))
    }

    /// Looks up the keys that are not known.
    async fn look_up(&self, due: &[Due], mappings: &[Mapping]) -> Result<Answers, PushError> {
        let lane = self.of.lane;
        let mut questions = Vec::new();
        for (place, (due, mapping)) in due.iter().zip(mappings).enumerate() {
            let asked = unknown_keys(lane, due, mapping);
            questions.extend(asked.map(|document| (place, document.language.clone(), document.key.clone())));
        }
        let look_ups = self.look_ups;
        let asked = questions.into_iter().map(|(place, language, key)| async move {
            let key = key.unwrap_or_default();
            (place, language.clone(), look_ups.by_key(&key, language.as_ref()).await)
        });
        let answers: Vec<_> = futures::stream::iter(asked).buffered(self.max_in_flight()).collect().await;
        let Answers { mut found, mut failed } = Answers::default();
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
        Ok(Answers { found, failed })
    }

    /// Reads every document of the window that is there, and lets the plans take it into account.
    async fn compare(&self, window: Window) -> Result<Window, PushError> {
        let Window { plans, mut unplanned } = window;
        let asked: Vec<_> =
            plans.into_iter().map(|plan| plan.compared(self.of.lane, self.writer, self.verify)).collect();
        let compared: Vec<_> = futures::stream::iter(asked).buffered(self.max_in_flight()).collect().await;
        let mut plans = Vec::with_capacity(compared.len());
        for (plan, error) in compared {
            match error {
                None => plans.push(plan),
                Some(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
                Some(error) => {
                    unplanned.push(Unplanned { looked: (plan.number, plan.touched), address: plan.address, error });
                }
            }
        }
        Ok(Window { plans, unplanned })
    }

    fn max_in_flight(&self) -> usize {
        self.writer.max_in_flight(&self.of.lane.lane.to.kind).max(1)
    }
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

impl LaneOf<'_> {
    /// An entry with what is known of it there: by itself, where its translations go back to it; or by what
    /// a lane that is no longer configured delivered of it to the same type.
    fn as_known(self, mut due: Due) -> Result<Due, StoreError> {
        let LaneOf { store, lane } = self;
        if lane.returns.is_some() {
            return with_itself(store, lane, due);
        }
        if due.counterparts.is_empty() {
            due.counterparts = store.left_behind_of(due.number, &lane.lane.name, &lane.siblings)?;
        }
        Ok(due)
    }

    /// Plans one entry from what is known and found.
    pub(crate) fn plan_entry(
        self,
        due: Due,
        mapping: Mapping,
        found: &FoundByLanguage,
        claims: &mut Claims,
    ) -> Result<EntryPlan, PushError> {
        let lane = self.lane;
        let due = self.as_known(due)?;
        let kept_back = due.kept_back.clone();
        let mut plan = EntryPlan::of(&due, lane.returns.is_some(), mapping.dependencies, mapping.protected);
        let Some(documents) = plan.documents_of(mapping.mapped) else { return Ok(plan) };
        let mut known: BTreeMap<Option<LanguageTag>, Counterpart> =
            due.counterparts.into_iter().map(|row| (row.language, row.counterpart)).collect();
        for document in documents {
            let row = known.remove(&document.language).filter(|row| row.presence != Presence::Deleted);
            let mut document = as_made(lane, document, row.as_ref());
            let at_hand = match &document.key {
                Some(key) if row.is_none() || has_new_key(lane, row.as_ref(), key) => {
                    self.what_was_found(&plan, (key, &document.language), found, claims)?
                }
                _ => FoundDocument::NotAsked,
            };
            // A new key must not be another document's.
            let step = match row.as_ref().and_then(|known| taken_from(known, &at_hand)) {
                Some(hold) => Step::Hold(hold),
                None => decide(DesiredState::There(document.fingerprint()), row.as_ref(), at_hand, lane.lane.gone),
            };
            let step = if lane.is_of_words() { made_once(step, &mut document) } else { step };
            match (&step, &document.key) {
                (Step::Create, Some(key)) => claims.take_key(key, document.language.as_ref(), &plan.address),
                (Step::Adopt(existing), _) => {
                    claims.take_document(&existing.id, &plan.address, document.language.as_ref());
                }
                _ => {}
            }
            let language = document.language.clone();
            plan.documents.push(DocumentPlan::new(language, step, Some(document), row, &lane.lane.changed_there));
        }
        for (language, row) in known {
            let is_incomplete = language.as_ref().is_some_and(|language| plan.incomplete.contains_key(language));
            let stays = is_incomplete || lane.is_of_words();
            let wanted = if stays { DesiredState::AsItIs } else { DesiredState::NotThere };
            let step = decide(wanted, Some(&row), FoundDocument::NotAsked, lane.lane.gone);
            plan.documents.push(DocumentPlan::new(language, step, None, Some(row), &lane.lane.changed_there));
        }
        plan.documents.sort_by(|a, b| a.language.cmp(&b.language));
        plan.settle_holds();
        if let Some(kept_back) = kept_back {
            plan.keep_back(&kept_back);
        }
        Ok(plan)
    }

    /// Whose the document is that was found by an entry's key.
    fn what_was_found(
        self,
        plan: &EntryPlan,
        (key, language): (&str, &Option<LanguageTag>),
        found: &FoundByLanguage,
        claims: &Claims,
    ) -> Result<FoundDocument, PushError> {
        let LaneOf { store, lane } = self;
        let address = &plan.address;
        let Some(found) = found.get(language) else { return Ok(FoundDocument::NotAsked) };
        // What was delivered with that key is known, whatever a look-up that lags says.
        if let Some(other) = store.other_with_key(&lane.lane.name, key, language.as_ref(), plan.number)? {
            return Ok(FoundDocument::Taken(other));
        }
        if let Some(other) = claims.other_with_key(store, key, language.as_ref(), address)? {
            return Ok(FoundDocument::Taken(other));
        }
        let FoundDocument::One(existing) = found else { return Ok(found.clone()) };
        match claims.of_document(&existing.id) {
            Some((other, _)) if other != address => return Ok(FoundDocument::Taken(other.clone())),
            Some((_, other)) if other != language => return Ok(FoundDocument::OtherLanguage(existing.id.clone())),
            _ => {}
        }
        match store.owner(&lane.lane.name, &existing.id)? {
            Some(owner) if owner.address != *address => Ok(FoundDocument::Taken(owner.address)),
            Some(owner) if owner.language != *language => Ok(FoundDocument::OtherLanguage(existing.id.clone())),
            _ => Ok(found.clone()),
        }
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
        FoundDocument::OtherLanguage(id) => format!("its new key leads to `{id}`, its document in another language"),
        FoundDocument::Several(count) => format!("{count} documents there have its new key already"),
        _ => return None,
    };
    Some(Hold::new(HoldReason::KeyTaken, message))
}
