//! What is to be done for one document, and the order that leads to.

use diaporos_core::lane::Document;
use diaporos_core::plan::{Counterpart, Presence, Step};
use diaporos_core::value::{EntryId, LanguageTag, Record};
use diaporos_store::{CounterpartRow, Delivered};
use diaporos_systems::Order;

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
    pub known: Option<CounterpartRow>,
}

impl DocumentPlan {
    /// What the destination calls the document, where it is there.
    #[must_use]
    pub fn id_there(&self) -> Option<&EntryId> {
        self.known.as_ref().map(|row| &row.counterpart.id).or_else(|| self.step.adopted())
    }

    /// What joins it to its other languages there.
    pub(super) fn item(&self) -> Option<&EntryId> {
        match &self.step {
            Step::Adopt(existing) => existing.item.as_ref(),
            _ => self.known.as_ref().and_then(|row| row.counterpart.item.as_ref()),
        }
    }

    pub(super) fn fields(&self) -> Record {
        match (&self.document, &self.known) {
            (Some(document), _) => document.fields.clone(),
            (None, Some(row)) => row.fields.clone(),
            (None, None) => Record::default(),
        }
    }

    /// Whether anything is to be sent for it.
    #[must_use]
    pub fn has_request(&self) -> bool {
        match (&self.step, &self.document) {
            (Step::Adopt(existing), Some(document)) => {
                !existing.holds(&document.fields) || existing.presence == Presence::Withdrawn
            }
            (Step::Create | Step::Update | Step::PutBack | Step::Withdraw | Step::Delete, _) => true,
            _ => false,
        }
    }

    /// The names of the fields that differ from what was last delivered, or from what was found.
    #[must_use]
    pub fn changes(&self) -> Vec<String> {
        let before = match (&self.step, &self.known) {
            (Step::Adopt(existing), _) => &existing.fields,
            (_, Some(row)) => &row.fields,
            _ => return Vec::new(),
        };
        let Some(document) = &self.document else { return Vec::new() };
        let differs = |name: &String| {
            let (ours, theirs) = (document.fields.get(name), before.get(name));
            ours != theirs && !(ours.is_none_or(|value| value.is_null()) && theirs.is_none_or(|value| value.is_null()))
        };
        document.fields.keys().filter(|name| differs(name)).cloned().collect()
    }

    /// An adopted document that is as it should be already.
    pub(super) fn adopted_as_it_is(&self) -> Option<Delivered> {
        match (&self.step, &self.document) {
            (Step::Adopt(existing), Some(document)) if !self.has_request() => {
                let counterpart = Counterpart {
                    id: existing.id.clone(),
                    item: existing.item.clone(),
                    revision: existing.revision.clone(),
                    fingerprint: document.fingerprint(),
                    presence: Presence::Present,
                };
                Some(Delivered { language: self.language.clone(), counterpart, fields: document.fields.clone() })
            }
            _ => None,
        }
    }
}

/// The order that a document's step leads to; none where nothing is to be sent.
#[must_use]
pub fn order_for(plan: &DocumentPlan, item: Option<&EntryId>) -> Option<Order> {
    if !plan.has_request() {
        return None;
    }
    let known = plan.known.as_ref().map(|row| (&row.counterpart.id, &row.counterpart.revision));
    let fields = plan.fields();
    Some(match (&plan.step, known) {
        (Step::Create, _) => Order::Create { fields, language: plan.language.clone(), item: item.cloned() },
        (Step::Adopt(existing), _) => {
            Order::Update { id: existing.id.clone(), revision: existing.revision.clone(), fields }
        }
        (Step::Update | Step::PutBack, Some((id, revision))) => {
            Order::Update { id: id.clone(), revision: revision.clone(), fields }
        }
        (Step::Withdraw, Some((id, revision))) => Order::Withdraw { id: id.clone(), revision: revision.clone() },
        (Step::Delete, Some((id, revision))) => Order::Delete { id: id.clone(), revision: revision.clone() },
        _ => return None,
    })
}
