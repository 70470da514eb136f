//! What is to be done for one document, and the order that leads to.

use super::{Counterpart, Document, Existing, Hold, HoldReason, Order, Presence, Step};
use crate::change::{Divergence, Merge, MergePolicies, merge, merge_found};
use crate::value::{EntryId, LanguageTag, Record, Value};

/// What is to be done for one document.
#[derive(Debug, Clone, PartialEq)]
pub struct DocumentPlan {
    /// Its language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// What is to be done.
    pub step: Step,
    /// What it is to be; none where it is to go.
    pub document: Option<Document>,
    /// What is known of it there.
    pub known: Option<Counterpart>,
    /// What is to be written, and what stays somebody else's.
    merge: Merge,
    /// The document as it was read there, where it was.
    seen: Option<Existing>,
    /// Whether what is written goes on view.
    lands: Landing,
}

/// Whether what is written goes on view.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Landing {
    /// It does.
    OnView,
    /// It is saved, and put on view later.
    Unseen,
    /// Nothing is written: it is taken away later.
    Waits,
}

impl DocumentPlan {
    /// A plan from a step that was decided. Where what is there is known to be partly somebody
    /// else's, and ours has changed there too, the step becomes a hold.
    #[must_use]
    pub fn new(
        language: Option<LanguageTag>,
        step: Step,
        document: Option<Document>,
        known: Option<Counterpart>,
        policies: &MergePolicies,
    ) -> Self {
        let (none, lands) = (Merge::default(), Landing::OnView);
        let mut plan = DocumentPlan { language, step, document, known, merge: none, seen: None, lands };
        plan.merge = match (&plan.step, &plan.document, &plan.known) {
            (Step::Adopt(existing), Some(document), _) => merge_found(&document.fields, &existing.fields, policies),
            (Step::Update | Step::PutBack | Step::Show, Some(document), Some(known)) => {
                merge(known.base(), &document.fields, &known.there(), true, policies)
            }
            (_, Some(document), _) => Merge { fields: document.fields.clone(), ..Merge::default() },
            _ => Merge::default(),
        };
        if matches!(plan.step, Step::Update | Step::PutBack | Step::Show) && !plan.merge.conflicts.is_empty() {
            plan.step = Step::Hold(changed_there(plan.known.as_ref().map(|known| &known.id), &plan.merge.conflicts));
        }
        if let Step::Adopt(existing) = &plan.step
            && !plan.merge.conflicts.is_empty()
        {
            let existing = existing.as_ref().clone();
            plan.step = Step::Hold(found_there(&existing.id, &plan.merge.conflicts));
            plan.seen = Some(existing);
        }
        plan
    }

    /// Has what is written saved without going on view. What is saved so already needs no request, and what is to
    /// be taken away waits.
    pub fn save_unseen(&mut self) {
        self.lands = Landing::Unseen;
        match self.step {
            Step::Show => self.step = Step::Unchanged,
            Step::Withdraw | Step::Delete => (self.step, self.lands) = (Step::Unchanged, Landing::Waits),
            _ => {}
        }
    }

    /// Whether the document waits for a later push when all goes as planned: to be put on view, or taken off.
    #[must_use]
    pub fn ends_unseen(&self) -> bool {
        let is_unseen = self.known.as_ref().is_some_and(|known| known.presence == Presence::Unseen);
        match self.lands {
            Landing::OnView => false,
            Landing::Unseen => self.has_request() || is_unseen,
            Landing::Waits => true,
        }
    }

    /// Takes into account what was read at the destination, where nobody asked for a change of it.
    /// What only they changed is noted and stays; what a policy makes ours is written; what cannot
    /// be decided is held.
    pub fn compare_with(&mut self, now: Option<&Existing>, policies: &MergePolicies) {
        let Some(known) = &self.known else { return };
        if matches!(self.step, Step::Withdraw | Step::Delete) {
            // What is not there needs no request, which sending it will find.
            let Some(now) = now else { return };
            let changed = known.changed_in(now);
            if !changed.is_empty() {
                self.step = Step::Hold(changed_there(Some(&known.id), &changed));
            }
            self.seen = Some(now.clone());
            return;
        }
        let (Some(document), Step::Unchanged | Step::Update | Step::PutBack | Step::Show) =
            (&self.document, &self.step)
        else {
            return;
        };
        let Some(now) = now else {
            self.step = Step::Hold(deleted_there(&known.id));
            return;
        };
        let was_on_view = known.presence != Presence::Unseen && self.step != Step::PutBack;
        if now.presence != Presence::Present && was_on_view {
            let message = format!("`{}` was taken off view there by somebody else", known.id);
            self.step = Step::Hold(Hold::new(HoldReason::ChangedThere, message));
            return;
        }
        self.merge = known.merge(&document.fields, now, policies);
        self.step = if !self.merge.conflicts.is_empty() {
            let hold =
                if known.is_undecided() { found_there } else { |id: &_, fields: &_| changed_there(Some(id), fields) };
            Step::Hold(hold(&known.id, &self.merge.conflicts))
        } else if self.step == Step::PutBack {
            Step::PutBack
        } else if self.merge.owes {
            Step::Update
        } else if self.step == Step::Show {
            Step::Show
        } else if self.merge.divergences != known.divergences || now.revision != known.revision {
            Step::Note
        } else {
            Step::Unchanged
        };
        self.seen = Some(now.clone());
    }

    /// What the destination calls the document, where it is there.
    #[must_use]
    pub fn id_there(&self) -> Option<&EntryId> {
        self.known.as_ref().map(|known| &known.id).or_else(|| self.step.adopted())
    }

    /// What joins it to its other languages there.
    #[must_use]
    pub fn item(&self) -> Option<&EntryId> {
        match &self.step {
            Step::Adopt(existing) => existing.item.as_ref(),
            _ => self.known.as_ref().and_then(|known| known.item.as_ref()),
        }
    }

    /// Fields that somebody else changed there, as far as was read.
    #[must_use]
    pub fn drifted(&self) -> &[String] {
        &self.merge.drifted
    }

    /// What becomes of what somebody else changed there, in a sentence; none where nobody did.
    #[must_use]
    pub fn says_of_them(&self) -> Option<String> {
        let kept = |name: &&String| matches!(self.merge.divergences.get(*name), Some(Divergence::Kept(_)));
        let (stays, goes): (Vec<&String>, Vec<&String>) = self.merge.drifted.iter().partition(kept);
        let joined = |names: &[&String]| names.iter().map(|name| name.as_str()).collect::<Vec<_>>().join(", ");
        match (stays.is_empty(), goes.is_empty()) {
            (true, true) => None,
            (false, true) => Some(format!("changed there by somebody else, and stays: {}", joined(&stays))),
            (true, false) => Some(format!("changed there by somebody else, and is written over: {}", joined(&goes))),
            (false, false) => Some(format!(
                "changed there by somebody else: {} stays, {} is written over",
                joined(&stays),
                joined(&goes)
            )),
        }
    }

    /// Whether anything is to be sent for it.
    #[must_use]
    pub fn has_request(&self) -> bool {
        match (&self.step, &self.document) {
            (Step::Adopt(existing), Some(_)) => self.merge.owes || existing.presence != Presence::Present,
            (Step::Create | Step::Update | Step::PutBack | Step::Show | Step::Withdraw | Step::Delete, _) => true,
            _ => false,
        }
    }

    /// The names of the fields that differ from what was last delivered, or from what was found.
    #[must_use]
    pub fn changes(&self) -> Vec<String> {
        let before = match (&self.step, &self.seen, &self.known) {
            (Step::Adopt(existing), ..) => &existing.fields,
            (_, Some(seen), _) => &seen.fields,
            (_, None, Some(known)) => &known.fields,
            _ => return Vec::new(),
        };
        if self.document.is_none() {
            return Vec::new();
        }
        let ours = if self.has_request() {
            &self.merge.fields
        } else {
            self.document.as_ref().map_or(before, |document| &document.fields)
        };
        let differs = |name: &String| {
            let (ours, theirs) = (ours.get(name), before.get(name));
            ours != theirs && !(ours.is_none_or(|value| value.is_null()) && theirs.is_none_or(|value| value.is_null()))
        };
        ours.keys().filter(|name| differs(name)).cloned().collect()
    }

    /// What the request changes, as it was before: whether the document was on view, and the fields that differ;
    /// none where nothing was there.
    #[must_use]
    pub fn was(&self) -> Option<(Presence, Record)> {
        let (presence, before) = match (&self.step, &self.seen, &self.known) {
            (Step::Create, ..) => return None,
            (Step::Adopt(existing), ..) => (existing.presence, &existing.fields),
            (_, Some(seen), _) => (seen.presence, &seen.fields),
            (_, None, Some(known)) => (known.presence, &known.fields),
            _ => return None,
        };
        let old = |name: String| {
            let value = before.get(&name).cloned().unwrap_or(Value::Null);
            (name, value)
        };
        Some((presence, self.changes().into_iter().map(old).collect()))
    }

    /// What there is to note of a document that is as it should be without anything being sent.
    #[must_use]
    pub fn noted(&self) -> Option<Counterpart> {
        let document = self.document.as_ref()?;
        let existing = match (&self.step, &self.seen) {
            // It is known from now on whose question it is; what is in it stays somebody else's.
            (Step::Hold(_), Some(found)) if self.known.is_none() => {
                return Some(Counterpart::undecided(found, &document.fields));
            }
            (Step::Adopt(existing), _) if !self.has_request() => existing.as_ref(),
            (Step::Note, Some(seen)) => seen,
            _ => return None,
        };
        Some(self.counterpart(
            existing.id.clone(),
            existing.item.clone(),
            existing.revision.clone(),
            document,
            &self.merge,
        ))
    }

    /// The order that the step leads to; none where nothing is to be sent. `item` joins documents
    /// of one entry.
    #[must_use]
    pub fn order(&self, item: Option<&EntryId>) -> Option<Order> {
        if !self.has_request() {
            return None;
        }
        let known = self.known.as_ref().map(|known| {
            let seen = self.seen.as_ref().map_or(&known.revision, |seen| &seen.revision);
            (known.id.clone(), seen.clone())
        });
        let fields = self.merge.fields.clone();
        Some(match (&self.step, known) {
            (Step::Create, _) => Order::Create {
                fields,
                language: self.language.clone(),
                item: item.cloned(),
                key: self.document.as_ref().and_then(|document| document.key.clone()),
            },
            (Step::Adopt(existing), _) => {
                let (id, revision) = (existing.id.clone(), existing.revision.clone());
                Order::Update { id, revision, fields, language: self.language.clone() }
            }
            (Step::Update | Step::PutBack, Some((id, revision))) => {
                Order::Update { id, revision, fields, language: self.language.clone() }
            }
            (Step::Show, Some((id, revision))) => Order::Show { id, revision },
            (Step::Withdraw, Some((id, revision))) => Order::Withdraw { id, revision },
            (Step::Delete, Some((id, revision))) => Order::Delete { id, revision },
            _ => return None,
        })
    }

    /// The merge that the plan was made with.
    pub(super) fn merge(&self) -> &Merge {
        &self.merge
    }

    /// Merges with what is there now, read again after the plan was made.
    pub(super) fn merge_with(&self, now: &Existing, policies: &MergePolicies) -> Option<Merge> {
        let document = self.document.as_ref()?;
        Some(match &self.known {
            Some(known) => known.merge(&document.fields, now, policies),
            None => merge_found(&document.fields, &now.fields, policies),
        })
    }

    /// The counterpart that a document became.
    pub(super) fn counterpart(
        &self,
        id: EntryId,
        item: Option<EntryId>,
        revision: Option<crate::value::Revision>,
        document: &Document,
        merge: &Merge,
    ) -> Counterpart {
        Counterpart {
            id,
            item: item.or_else(|| self.item().cloned()),
            revision,
            fingerprint: document.fingerprint(),
            presence: if self.ends_unseen() { Presence::Unseen } else { Presence::Present },
            fields: document.fields.clone(),
            divergences: merge.divergences.clone(),
            past: self.known.as_ref().map(Counterpart::past_with_this).unwrap_or_default(),
        }
    }
}

pub(super) fn changed_there(id: Option<&EntryId>, fields: &[String]) -> Hold {
    let id = id.map_or_else(|| "it".to_owned(), |id| format!("`{id}`"));
    let message = format!("{id} was changed there by somebody else since we wrote it: {}", fields.join(", "));
    Hold::new(HoldReason::ChangedThere, message).about(fields.iter().cloned())
}

pub(super) fn found_there(id: &EntryId, fields: &[String]) -> Hold {
    let message = format!("`{id}` was there before us with this key, and differs: {}", fields.join(", "));
    Hold::new(HoldReason::ChangedThere, message).about(fields.iter().cloned())
}

pub(super) fn deleted_there(id: &EntryId) -> Hold {
    let message = format!("`{id}` is not there any more; somebody else deleted it");
    Hold::new(HoldReason::DeletedThere, message)
}
