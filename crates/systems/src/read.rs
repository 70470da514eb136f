//! Reading from a system.

use async_trait::async_trait;
use diaporos_core::intake::{CacheValidators, Incoming, Listing};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, LanguageTag, TypeName};

use jiff::{SignedDuration, Timestamp};

use crate::SystemError;
use crate::http::{Client, Request};

/// A system that can be read.
#[async_trait]
pub trait Read: Send + Sync {
    /// The types that can be pulled.
    fn types(&self) -> Vec<TypeName>;

    /// What is known of the types' fields.
    fn model(&self) -> &Model;

    /// How a type is listed.
    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities;

    /// A stable name for a page of a listing, under which its mark is kept; without secrets.
    fn page_key(&self, ask: Ask<'_>) -> String;

    /// Its documents, where pages are documents of their own ([`ListingCapabilities::pages_apart`]).
    fn documents(&self) -> Vec<Document> {
        Vec::new()
    }

    /// One page of a listing: the first, or the one the cursor of the page before leads to.
    /// Where the page is as the mark says, its content is not given again.
    ///
    /// # Errors
    /// Where the page cannot be had whole; nothing of it is given then.
    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError>;

    /// What is asked first of each of its addresses, and with what, for a look at whether they
    /// answer; nothing of a system that is not asked over HTTP.
    fn first_requests(&self) -> Vec<Request> {
        Vec::new()
    }

    /// What sends its requests; none of a system that is not asked over HTTP.
    fn client(&self) -> Option<&Client> {
        None
    }

    /// The model that the system describes itself; none where it does not.
    ///
    /// # Errors
    /// Where the description cannot be had.
    async fn described(&self) -> Result<Option<Model>, SystemError> {
        Ok(None)
    }

    /// An entry with all its fields, where a listing leaves some out ([`ListingCapabilities::detail`]); none
    /// where it is no longer there.
    ///
    /// # Errors
    /// Where it cannot be had.
    async fn detail(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        let _ = (kind, id);
        Ok(None)
    }

    /// Whether an entry of a type can be asked for by itself ([`Read::one`]).
    fn reads_one(&self, kind: &TypeName) -> bool {
        let _ = kind;
        false
    }

    /// An entry, asked for by itself, with all its fields; none where the source says that it is not there.
    ///
    /// # Errors
    /// Where it cannot be had, or the answer is another entry.
    async fn one(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        self.detail(kind, id).await
    }

    /// Whether the source is another than the one that gave the moment `since`, made anew or put back
    /// from a copy: what changed since then says nothing of it, and everything is to be listed.
    ///
    /// # Errors
    /// Where it cannot be asked.
    async fn begins_anew(&self, kind: &TypeName, since: &str) -> Result<bool, SystemError> {
        let _ = (kind, since);
        Ok(false)
    }

    /// What the source says was deleted ([`ListingCapabilities::deleted`]), since a moment where one is given.
    ///
    /// # Errors
    /// Where the list cannot be had.
    async fn deleted(&self, kind: &TypeName, since: Option<&str>) -> Result<Vec<EntryId>, SystemError> {
        let _ = (kind, since);
        Ok(Vec::new())
    }
}

/// Which page is asked for.
#[derive(Debug, Clone, Copy)]
pub struct Ask<'a> {
    /// The type.
    pub kind: &'a TypeName,
    /// What the page before gave; none for the first.
    pub cursor: Option<&'a str>,
    /// Only what changed since this moment, as the source writes moments.
    pub since: Option<&'a str>,
    /// The time, against which an age is told.
    pub now: Timestamp,
    /// Where the document moved for good, as it said before.
    pub moved: Option<&'a str>,
}

/// A document that is read apart from others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Document {
    /// What its first page is asked for with.
    pub cursor: Option<String>,
    /// What a message calls it.
    pub called: String,
}

/// How a type is listed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListingCapabilities {
    /// Whether a whole listing holds everything there is.
    pub listing: Listing,
    /// Whether items may move from page to page when others come or go, so that one may be missed:
    /// of any source whose pages are asked for one by one, for a cursor may stand for a place too.
    pub items_move: bool,
    /// Whether pages are documents of their own, such as feeds: each is read whatever becomes of the
    /// others, and always.
    pub pages_apart: bool,
    /// Whether each language of an entry is listed by itself.
    pub parts: Option<PartListing>,
    /// Whether only what changed can be asked for.
    pub since: bool,
    /// How often everything is listed all the same, for what increments cannot show; never where none.
    pub whole_every: Option<SignedDuration>,
    /// Whether an item may hold several entries, or none, so that items and entries are not as many.
    pub items_hold_entries: bool,
    /// Whether pages that only repeat what was shown are the end of the listing, as where a source
    /// gives its last page again when it is asked for more.
    pub repeated_is_end: bool,
    /// Whether the listing ends once as many items were shown as it says that it has.
    pub total_is_end: bool,
    /// Whether a listing leaves fields out, which are asked for entry by entry.
    pub detail: bool,
    /// Whether the source lists what was deleted.
    pub deleted: bool,
}

impl ListingCapabilities {
    /// A plain listing.
    #[must_use]
    pub fn plain(listing: Listing) -> ListingCapabilities {
        ListingCapabilities {
            listing,
            items_move: false,
            pages_apart: false,
            parts: None,
            since: false,
            whole_every: None,
            items_hold_entries: false,
            repeated_is_end: false,
            total_is_end: false,
            detail: false,
            deleted: false,
        }
    }
}

/// How languages that are listed one by one become one entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PartListing {
    /// The language whose values count for fields that have none.
    pub main: Option<LanguageTag>,
}

/// One page of a listing.
#[derive(Debug)]
pub struct Page {
    /// What is on it.
    pub content: PageContent,
    /// Where the listing goes on; none at its end.
    pub next: Option<String>,
    /// What speaks against the listing being whole, as far as this page can tell.
    pub doubt: Option<String>,
    /// The newest change on the page, as the source writes moments.
    pub newest: Option<String>,
    /// What a person should know of it, such as that it has moved for good.
    pub note: Option<String>,
    /// Where it has moved for good.
    pub moved: Option<String>,
}

impl Page {
    /// A page with nothing more to say.
    #[must_use]
    pub fn new(content: PageContent, next: Option<String>) -> Page {
        Page { content, next, doubt: None, newest: None, note: None, moved: None }
    }
}

impl Page {
    /// A page past the last: nothing is on it, and nothing after it.
    #[must_use]
    pub fn nothing() -> Page {
        Page::new(PageContent::Nothing, None)
    }
}

/// What is on a page.
#[derive(Debug)]
pub enum PageContent {
    /// What was on it before.
    Same,
    /// There is no such page.
    Nothing,
    /// These entries.
    Entries {
        /// The entries that could be read.
        entries: Vec<Incoming>,
        /// Those that could not.
        problems: Vec<Problem>,
        /// By what the page is known again.
        mark: CacheValidators,
    },
}

impl Problem {
    /// A problem with an item that does not say which entry it is.
    #[must_use]
    pub fn unnamed(item: impl Into<String>, message: impl Into<String>) -> Problem {
        Problem { item: item.into(), id: None, message: message.into() }
    }

    /// A problem with an entry.
    #[must_use]
    pub fn of(id: &EntryId, message: impl Into<String>) -> Problem {
        Problem { item: id.to_string(), id: Some(id.clone()), message: message.into() }
    }
}

/// An item of a listing that could not be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// The entry's id, or its place on the page.
    pub item: String,
    /// The entry, where the item says which it is: it stays as it is known.
    pub id: Option<EntryId>,
    /// What is wrong with it.
    pub message: String,
}
