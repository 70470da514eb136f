//! One change to one document, and what the destination said of it.

use super::{Existing, Presence};
use crate::value::{EntryId, LanguageTag, Record, Revision};

/// One change to one document.
#[derive(Debug, Clone, PartialEq)]
pub enum Order {
    /// Write a new document.
    Create {
        /// Its mapped fields.
        fields: Record,
        /// Its language, where there is a document per language.
        language: Option<LanguageTag>,
        /// What joins it to its other languages, where one is there already.
        item: Option<EntryId>,
        /// The entry's key, which is the document's identifier where that is ours to choose.
        key: Option<String>,
    },
    /// Write mapped fields of a document that is there; what they do not name stays.
    Update {
        /// Which.
        id: EntryId,
        /// The version it is based on.
        revision: Option<Revision>,
        /// Its mapped fields.
        fields: Record,
        /// Its language, where there is a document per language.
        language: Option<LanguageTag>,
    },
    /// Put on view what is saved of it.
    Show {
        /// Which.
        id: EntryId,
        /// The version it is based on.
        revision: Option<Revision>,
    },
    /// Take it off view.
    Withdraw {
        /// Which.
        id: EntryId,
        /// The version it is based on.
        revision: Option<Revision>,
    },
    /// Delete it.
    Delete {
        /// Which.
        id: EntryId,
        /// The version it is based on.
        revision: Option<Revision>,
    },
}

impl Order {
    /// Which document it is about; none where that is yet to be.
    #[must_use]
    pub fn id(&self) -> Option<&EntryId> {
        match self {
            Order::Create { .. } => None,
            Order::Update { id, .. }
            | Order::Show { id, .. }
            | Order::Withdraw { id, .. }
            | Order::Delete { id, .. } => Some(id),
        }
    }

    /// The version it is based on.
    #[must_use]
    pub fn revision(&self) -> Option<&Revision> {
        match self {
            Order::Create { .. } => None,
            Order::Update { revision, .. }
            | Order::Show { revision, .. }
            | Order::Withdraw { revision, .. }
            | Order::Delete { revision, .. } => revision.as_ref(),
        }
    }

    /// What it writes; nothing where it only shows, or takes away.
    #[must_use]
    pub fn fields(&self) -> Option<&Record> {
        match self {
            Order::Create { fields, .. } | Order::Update { fields, .. } => Some(fields),
            Order::Show { .. } | Order::Withdraw { .. } | Order::Delete { .. } => None,
        }
    }

    /// Whether it takes something away.
    #[must_use]
    pub fn removes(&self) -> bool {
        matches!(self, Order::Withdraw { .. } | Order::Delete { .. })
    }

    /// The same order, based on the version that is there now.
    #[must_use]
    pub fn on(mut self, existing: &Existing) -> Order {
        match &mut self {
            Order::Update { revision, .. }
            | Order::Show { revision, .. }
            | Order::Withdraw { revision, .. }
            | Order::Delete { revision, .. } => {
                revision.clone_from(&existing.revision);
            }
            Order::Create { .. } => {}
        }
        self
    }
}

/// What the destination said of a document that it wrote.
#[derive(Debug, Clone, PartialEq)]
pub struct Written {
    /// What it calls the document; none after a deletion, or where it does not say.
    pub id: Option<EntryId>,
    /// What joins it to its other languages.
    pub item: Option<EntryId>,
    /// Its version now.
    pub revision: Option<Revision>,
    /// The document as it is stored, where the answer shows it.
    pub fields: Option<Record>,
    /// Whether it went on view, where saving and putting on view are two calls.
    pub presence: Presence,
    /// The answer's status.
    pub status: u16,
}
