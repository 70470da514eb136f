//! The plan of one entry: what each of its documents needs, and what that comes to.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::expr::Dependencies;
use diaporos_core::lane::{Mapped, describe_faults};
use diaporos_core::plan::{Document, DocumentPlan, Hold, HoldReason, Order, Presence, Step};
use diaporos_core::value::{Address, EntryId, LanguageTag, TypeName};
use diaporos_store::{Action, Delivered, Due, HandEdit, IntentRecord, KeptBack, Standing, Verdict, Was};
use diaporos_systems::{SystemError, Write};

use super::Fate;
use super::listed::Listed;
use super::row::{PushRow, PushTally};
use crate::config::ConfiguredLane;

/// What is to be done for one entry.
#[derive(Debug, Clone, PartialEq)]
pub struct EntryPlan {
    /// The entry's number.
    pub number: i64,
    /// How often it had been made owed a look when it was planned.
    pub(super) touched: i64,
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
    /// Why it was held before.
    pub held_before: Option<HoldReason>,
    /// Whether it was held for what somebody did there: it is read before anything is sent again.
    pub look_first: bool,
    /// Languages that are left as they are there, with the fields they lack.
    pub incomplete: BTreeMap<LanguageTag, Vec<String>>,
    /// The other entries that were looked at.
    pub dependencies: Dependencies,
    /// Why nothing of it is withdrawn or overwritten.
    pub protected: Option<String>,
    /// The entries that it refers to and goes without, each with why.
    pub left_out: Vec<String>,
}

impl EntryPlan {
    /// The plan of an entry before its documents are looked at. What `returns` to the source is read
    /// before anything is sent.
    pub(super) fn of(due: &Due, returns: bool, dependencies: Dependencies, protected: Option<String>) -> EntryPlan {
        let was_changed_there = matches!(due.held, Some(HoldReason::ChangedThere | HoldReason::DeletedThere));
        let is_undecided = due.counterparts.iter().any(|row| row.counterpart.is_undecided());
        EntryPlan {
            number: due.number,
            touched: due.touched,
            address: due.entry.address.clone(),
            documents: Vec::new(),
            hold: None,
            goes: true,
            taken_off: due.taken_off && due.undone.is_none(),
            held_before: due.held,
            look_first: returns || was_changed_there || is_undecided || due.undone.is_some(),
            incomplete: BTreeMap::new(),
            dependencies,
            protected,
            left_out: Vec::new(),
        }
    }

    /// Compares every document that is there, by a look of its own unless `verify` shows it as it is known; the
    /// error where one cannot be read.
    pub(super) async fn compared(
        mut self,
        lane: &ConfiguredLane,
        writer: &dyn Write,
        verify: Option<&Listed>,
    ) -> (EntryPlan, Option<SystemError>) {
        if self.hold.is_some() || !(verify.is_some() || self.look_first) {
            return (self, None);
        }
        let listed = verify.filter(|_| !self.look_first);
        for document in &mut self.documents {
            let Some(known) = document.known.as_ref() else { continue };
            if matches!(document.step, Step::Nothing | Step::Hold(_)) {
                continue;
            }
            if listed.is_some_and(|listed| listed.shows(known, document.language.as_ref())) {
                continue;
            }
            match writer.read(&lane.lane.to.kind, &known.id).await {
                Ok(now) => document.compare_with(now.as_ref(), &lane.lane.changed_there),
                Err(error) => return (self, Some(error)),
            }
        }
        self.settle_holds();
        (self, None)
    }

    /// A document that is held holds the entry.
    pub(super) fn settle_holds(&mut self) {
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
                Step::Update | Step::PutBack | Step::Show => "overwrite",
                Step::Adopt(_) if document.has_request() => "overwrite",
                Step::Withdraw | Step::Delete => "take away",
                _ => continue,
            };
            let message = format!("this would {takes} what is protected: {why}");
            document.step = Step::Hold(Hold::new(HoldReason::Protected, message));
        }
    }

    /// What would be sent waits for the slate that the entry is in.
    pub(super) fn keep_back(&mut self, by: &KeptBack) {
        if self.hold.is_some() || !self.documents.iter().any(DocumentPlan::has_request) {
            return;
        }
        let until = match (by.is_under_way, by.until) {
            (true, _) => format!(
                ", whose launch was broken off: `slate launch {0}` finishes it, and `undo {0}` takes it back",
                by.slate
            ),
            (false, Some(until)) => format!(", which is launched at {}", until.strftime("%Y-%m-%d %H:%M UTC")),
            (false, None) => String::new(),
        };
        self.hold = Some(Hold::new(HoldReason::KeptBack, format!("kept back by the slate `{}`{until}", by.slate)));
    }

    /// Has what is written saved without going on view.
    pub(super) fn save_unseen(&mut self) {
        self.documents.iter_mut().for_each(DocumentPlan::save_unseen);
    }

    /// Whether a document of it is saved, and waits to be put on view, when all goes as planned.
    fn ends_unseen(&self) -> bool {
        self.hold.is_none() && self.documents.iter().any(DocumentPlan::ends_unseen)
    }

    /// What the entry's documents are called at the destination, each with its language.
    pub(super) fn identifiers(&self) -> Vec<(Option<LanguageTag>, EntryId)> {
        let there = |document: &DocumentPlan| {
            let known = document.known.as_ref().filter(|known| known.presence != Presence::Deleted);
            let id = known.map(|known| &known.id).or(document.step.adopted())?;
            Some((document.language.clone(), id.clone()))
        };
        self.documents.iter().filter_map(there).collect()
    }

    /// What joins the entry's documents at the destination, where it has any.
    #[must_use]
    pub fn item(&self) -> Option<EntryId> {
        self.documents.iter().find_map(DocumentPlan::item).cloned()
    }

    /// The documents that the entry becomes, none where it does not go; nothing at all where it cannot.
    pub(super) fn documents_of(&mut self, mapped: Mapped) -> Option<Vec<Document>> {
        match mapped {
            Mapped::Faulty(faults) => {
                let message = describe_faults(&faults).join("; ");
                let fields: BTreeSet<String> = faults.into_iter().map(|fault| fault.field).collect();
                self.hold = Some(Hold::new(HoldReason::Unfit, message).about(fields));
                None
            }
            Mapped::Broken(messages) => {
                self.hold = Some(Hold::new(HoldReason::Rule, messages.join("; ")));
                None
            }
            Mapped::Outside => {
                self.goes = false;
                Some(Vec::new())
            }
            Mapped::Goes { documents, incomplete } => {
                self.incomplete = incomplete;
                Some(documents)
            }
        }
    }

    /// The keys that it makes documents with.
    pub(super) fn new_keys(&self) -> impl Iterator<Item = (&str, Option<&LanguageTag>)> {
        let new = self.documents.iter().filter(|document| document.step == Step::Create);
        new.filter_map(|document| Some((document.document.as_ref()?.key.as_deref()?, document.language.as_ref())))
    }

    /// Whether it takes over documents that were there before and differ, or binds them to the entry.
    pub(super) fn adopts(&self) -> bool {
        self.hold.is_none() && self.documents.iter().any(|document| matches!(document.step, Step::Adopt(_)))
    }

    /// What the documents amount to.
    #[must_use]
    pub fn fate(&self) -> Fate {
        let any = |wanted: fn(&Step) -> bool| self.documents.iter().any(|document| wanted(&document.step));
        if self.hold.is_some() {
            Fate::Held
        } else if any(|step| matches!(step, Step::Adopt(_))) {
            Fate::Adopted
        } else if any(|step| matches!(step, Step::Update | Step::PutBack | Step::Show)) {
            Fate::Updated
        } else if any(|step| matches!(step, Step::Create)) {
            if any(|step| matches!(step, Step::Unchanged | Step::Note)) { Fate::Updated } else { Fate::Created }
        } else if any(|step| matches!(step, Step::Withdraw | Step::Delete)) {
            match self.goes {
                true => Fate::Updated,
                false if any(|step| matches!(step, Step::Delete)) => Fate::Deleted,
                false => Fate::Withdrawn,
            }
        } else if any(|step| matches!(step, Step::Unchanged | Step::Note)) {
            Fate::Unchanged
        } else {
            Fate::Outside
        }
    }

    /// Whether anything of the entry is taken away that nobody took off by hand: all of it, or a language.
    pub(super) fn removes(&self) -> bool {
        let goes = |document: &DocumentPlan| matches!(document.step, Step::Withdraw | Step::Delete);
        self.hold.is_none() && !self.taken_off && self.documents.iter().any(goes)
    }

    /// Where the entry stands when all went as planned.
    pub(super) fn standing(&self) -> Standing {
        let was_withdrawn = self
            .documents
            .iter()
            .any(|document| document.known.as_ref().is_some_and(|known| !known.presence.is_there()));
        match self.fate() {
            Fate::Held => Standing::Held,
            _ if self.ends_unseen() => Standing::Owed,
            Fate::Withdrawn | Fate::Deleted => Standing::Withdrawn,
            Fate::Outside if was_withdrawn => Standing::Withdrawn,
            Fate::Outside if self.goes => Standing::Delivered,
            Fate::Outside => Standing::Outside,
            Fate::Unchanged | Fate::Created | Fate::Updated | Fate::Adopted => Standing::Delivered,
        }
    }

    /// The verdict of a plan that went, or goes, as it was made.
    pub(super) fn verdict(&self) -> Verdict {
        let mut verdict = Verdict::new((self.number, self.touched), self.standing());
        let noted = |document: &DocumentPlan| {
            // Of an entry that is held no more is noted than whose question its documents are.
            let is_held = matches!(document.step, Step::Hold(_));
            let counterpart = document.noted().filter(|_| is_held == self.hold.is_some())?;
            Some(Delivered { language: document.language.clone(), counterpart })
        };
        verdict.delivered = self.documents.iter().filter_map(noted).collect();
        if let Some(hold) = &self.hold {
            verdict = verdict.because(hold.reason.word(), hold.message.clone());
            verdict.fields.clone_from(&hold.fields);
        }
        let edited = |document: &DocumentPlan| HandEdit {
            language: document.language.clone(),
            fields: document.drifted().to_vec(),
        };
        let is_edited = |document: &&DocumentPlan| !document.drifted().is_empty();
        verdict.edited = self.documents.iter().filter(is_edited).map(edited).collect();
        verdict.reads = self.dependencies.reads.clone();
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
                Order::Show { .. } => Action::Show,
                Order::Withdraw { .. } => Action::Withdraw,
                Order::Delete { .. } => Action::Delete,
            };
            let known = document.known.as_ref();
            let none = || diaporos_core::change::fingerprint_texts([]);
            let fingerprint = document.document.as_ref().map(diaporos_core::plan::Document::fingerprint);
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
                was: document.was().map(|(presence, fields)| Was { presence, fields }),
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
            (Standing::Failed, _) => tally.failed += 1,
            (Standing::Owed, _) if !self.ends_unseen() => tally.failed += 1,
            (_, Fate::Created) => tally.created += 1,
            (_, Fate::Updated) => tally.updated += 1,
            (_, Fate::Adopted) => tally.adopted += 1,
            (_, Fate::Withdrawn) => tally.withdrawn += 1,
            (_, Fate::Deleted) => tally.deleted += 1,
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
            is_known: false,
        };
        if let Some(hold) = &self.hold {
            let (reason, message) = (Some(hold.reason.word().to_owned()), Some(hold.message.clone()));
            let is_known = self.held_before == Some(hold.reason);
            return vec![PushRow { reason, message, is_known, ..row(None, "hold") }];
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
