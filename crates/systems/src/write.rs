//! Writing to a system.

use async_trait::async_trait;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::Existing;
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, TypeName};

use crate::SystemError;
use crate::http::Request;

/// A system that can be written to.
#[async_trait]
pub trait Write: Send + Sync {
    /// How languages go into documents of the type; none where the type cannot be written.
    fn documents(&self, kind: &TypeName) -> Option<&Documents>;

    /// The type's fields, where they are known.
    fn fields(&self, kind: &TypeName) -> Option<&EntryType>;

    /// The documents that have the key, in a language where there is one per language.
    ///
    /// # Errors
    /// Where the answer cannot be had.
    async fn find(
        &self,
        kind: &TypeName,
        key: &str,
        language: Option<&LanguageTag>,
    ) -> Result<Vec<Existing>, SystemError>;

    /// The document of that id, or none.
    ///
    /// # Errors
    /// Where the answer cannot be had.
    async fn read(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError>;

    /// The very request that an order leads to, secrets by name.
    ///
    /// # Errors
    /// Where the system cannot do this.
    fn request(&self, kind: &TypeName, order: &Order) -> Result<Request, SystemError>;

    /// Carries out an order, once.
    ///
    /// # Errors
    /// Where no good answer came; [`crate::ErrorKind::leaves_doubt`] tells whether it may have
    /// been carried out all the same.
    async fn write(&self, kind: &TypeName, order: &Order) -> Result<Written, SystemError>;
}

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
    },
    /// Write mapped fields of a document that is there; what they do not name stays.
    Update {
        /// Which.
        id: EntryId,
        /// The version it is based on.
        revision: Option<Revision>,
        /// Its mapped fields.
        fields: Record,
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

/// What the destination said of a document it wrote.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// What it calls the document; none after a deletion, or where it does not say.
    pub id: Option<EntryId>,
    /// What joins it to its other languages.
    pub item: Option<EntryId>,
    /// Its version now.
    pub revision: Option<Revision>,
    /// The answer's status.
    pub status: u16,
}
