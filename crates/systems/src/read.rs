//! Reading from a system.

use async_trait::async_trait;
use diaporos_core::intake::{Incoming, Listing, PageMark};
use diaporos_core::model::Model;
use diaporos_core::value::TypeName;

use crate::SystemError;

/// A system that can be read.
#[async_trait]
pub trait Read: Send + Sync {
    /// The types that can be pulled.
    fn types(&self) -> Vec<TypeName>;

    /// What is known of the types' fields.
    fn model(&self) -> &Model;

    /// Whether a whole listing holds everything there is.
    fn listing(&self, kind: &TypeName) -> Listing;

    /// A stable name for a page of a listing, under which its mark is kept; without secrets.
    fn place(&self, kind: &TypeName, cursor: Option<&str>) -> String;

    /// Where a listing goes on after a page that could not be had; none where only the page itself
    /// could tell.
    fn after(&self, cursor: Option<&str>) -> Option<String> {
        let _ = cursor;
        None
    }

    /// One page of a listing: the first, or the one the cursor of the page before leads to.
    /// Where the page is as the mark says, its content is not given again.
    ///
    /// # Errors
    /// Where the page cannot be had whole; nothing of it is given then.
    async fn page(&self, kind: &TypeName, cursor: Option<&str>, known: Option<&PageMark>) -> Result<Page, SystemError>;
}

/// One page of a listing.
#[derive(Debug)]
pub struct Page {
    /// What is on it.
    pub content: PageContent,
    /// Where the listing goes on; none at its end.
    pub next: Option<String>,
}

/// What is on a page.
#[derive(Debug)]
pub enum PageContent {
    /// What was on it before.
    Same,
    /// These entries.
    Entries {
        /// The entries that could be read.
        entries: Vec<Incoming>,
        /// Those that could not.
        problems: Vec<Problem>,
        /// By what the page is known again.
        mark: PageMark,
    },
}

/// An item of a listing that could not be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Problem {
    /// The entry's id, or its place on the page.
    pub item: String,
    /// What is wrong with it.
    pub message: String,
}
