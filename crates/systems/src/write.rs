//! Writing to a system.

use std::time::Duration;

use async_trait::async_trait;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::{Existing, HasThere, Lack, Order, Written};
use diaporos_core::value::{EntryId, LanguageTag, Revision, TypeName};

use crate::asset::{Asset, Fetcher};
use crate::http::Request;
use crate::{ErrorKind, SystemError};

/// A page of what a destination lists.
#[derive(Debug, Clone, PartialEq)]
pub struct ListedPage {
    /// The documents on it that can be told.
    pub documents: Vec<Existing>,
    /// What leads to the page after it; none at the end.
    pub next: Option<String>,
}

/// A system that can be written to.
#[async_trait]
pub trait Write: Send + Sync {
    /// How languages go into documents of the type; none where the type cannot be written.
    fn documents(&self, kind: &TypeName) -> Option<Documents>;

    /// Whether a look-up by key asks for one language, where there is a document for each.
    fn finds_by_language(&self, kind: &TypeName) -> bool {
        let _ = kind;
        true
    }

    /// The type's fields, where they are known.
    fn fields(&self, kind: &TypeName) -> Option<&EntryType>;

    /// How many writes of the type may be under way at once.
    fn max_in_flight(&self, kind: &TypeName) -> usize;

    /// How many writes of the type may be handed over at once: more than are under way where those that are too many
    /// wait for their turn here, so that none of these is without one while whoever hands them over is busy.
    fn max_handed_over(&self, kind: &TypeName) -> usize {
        self.max_in_flight(kind)
    }

    /// After how many failures in a row that are the system's fault a push stops.
    fn failure_limit(&self) -> u32;

    /// Where the destination is, as it is told a person.
    fn place(&self) -> String;

    /// An error of this destination.
    fn failed(&self, kind: ErrorKind) -> SystemError;

    /// How long it may take until a look-up sees what was written.
    fn settles_within(&self) -> Duration;

    /// Whether a write that is based on that version is refused over another.
    fn guards(&self, kind: &TypeName, revision: Option<&Revision>) -> bool;

    /// Whether a new document that is sent twice is made once.
    fn repeats(&self, kind: &TypeName) -> bool {
        let _ = kind;
        false
    }

    /// Whether a document's key tells its place, so that what is found there has that key whatever is
    /// in it.
    fn key_is_place(&self, kind: &TypeName) -> bool {
        let _ = kind;
        false
    }

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

    /// A page of the documents that the destination lists of the type, from where the page before it led; none where
    /// its listing is not known. What a listing shows may be old, short, or not all.
    ///
    /// # Errors
    /// Where the answer cannot be had.
    async fn listed(&self, kind: &TypeName, cursor: Option<&str>) -> Result<Option<ListedPage>, SystemError> {
        let _ = (kind, cursor);
        Ok(None)
    }

    /// The very request that an order leads to, secrets by name.
    ///
    /// # Errors
    /// Where the system cannot do this.
    fn request(&self, kind: &TypeName, order: &Order) -> Result<Request, SystemError>;

    /// Carries out an order, once. `attempt` is the same where the same order is sent again, and goes
    /// into the request where the system knows repeated ones by a key.
    ///
    /// # Errors
    /// Where no good answer came; [`crate::ErrorKind::leaves_doubt`] tells whether it may have
    /// been carried out all the same.
    async fn write(&self, kind: &TypeName, order: &Order, attempt: &str) -> Result<Written, SystemError>;

    /// Whether documents of the type can be saved without going on view: saving and putting on view are two calls.
    fn shows_apart(&self, kind: &TypeName) -> bool {
        let _ = kind;
        false
    }

    /// Carries out an order, once, and leaves what it saves unseen; asked of types alone that show apart.
    ///
    /// # Errors
    /// As of [`Write::write`].
    async fn save_unseen(&self, kind: &TypeName, order: &Order, attempt: &str) -> Result<Written, SystemError> {
        self.write(kind, order, attempt).await
    }

    /// What fetches the files that documents of the type refer to; none where the system takes no
    /// files.
    fn asset_fetcher(&self, kind: &TypeName) -> Option<Result<Fetcher, SystemError>> {
        let _ = kind;
        None
    }

    /// Delivers a file, unless one with its content is there; gives what the system calls it.
    ///
    /// # Errors
    /// Where it is refused, or the system takes no files.
    async fn deliver_asset(&self, kind: &TypeName, asset: &Asset) -> Result<EntryId, SystemError>;

    /// What is in a file that was delivered; none where there is none, or the system does not give files back.
    ///
    /// # Errors
    /// Where it cannot be had.
    async fn kept_asset(&self, id: &EntryId) -> Result<Option<Vec<u8>>, SystemError> {
        let _ = id;
        Ok(None)
    }

    /// What the system says it has of the type and its languages; none where it does not say.
    ///
    /// # Errors
    /// Where the answer cannot be had.
    async fn has(&self, kind: &TypeName) -> Result<Option<HasThere>, SystemError> {
        let _ = kind;
        Ok(None)
    }

    /// The request that makes what the system lacks; none where it cannot be told to.
    ///
    /// # Errors
    /// Where the request cannot be made up.
    fn creation_request(&self, kind: &TypeName, lack: &Lack) -> Result<Option<Request>, SystemError> {
        let _ = (kind, lack);
        Ok(None)
    }

    /// Makes what the system lacks.
    ///
    /// # Errors
    /// Where it refuses, or cannot be told to.
    async fn make(&self, kind: &TypeName, lack: &Lack) -> Result<(), SystemError>;

    /// Who else has a document open, and since when, as far as the system tells.
    ///
    /// # Errors
    /// Where it cannot be asked.
    async fn locked_by(&self, kind: &TypeName, id: &EntryId) -> Result<Option<String>, SystemError> {
        let _ = (kind, id);
        Ok(None)
    }

    /// Gives back what a run that died may have left behind on a document: a lock of ours.
    ///
    /// # Errors
    /// Where it cannot be told, or given back.
    async fn release_stale_lock(&self, kind: &TypeName, id: &EntryId) -> Result<(), SystemError> {
        let _ = (kind, id);
        Ok(())
    }
}
