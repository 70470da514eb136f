//! Where the documents that were written are listed.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};

use super::paging::PAGING;
use super::search_call::{LISTING, check_parameters};
use super::{ListingForm, Paging, ReadType, SearchCall};
use crate::query::{JSON_PATH, Query};

/// Where the documents that were written are listed.
pub(super) static LISTED: Table = Table::new(
    "listing of documents",
    &[settings![
        list: LISTING, required, "the path of the listing, or a search", "/api/pages";
        items: JSON_PATH, required, "where its documents are", "$.pages[*]";
        paging: Form::Variants(&PAGING), none, "how it goes on; it has one page without it", "{ style = \"page\" }";
    ]],
);

/// Where documents are listed.
#[derive(Debug, Clone)]
pub(crate) struct DocumentListing {
    /// The path of the listing.
    pub(crate) list: String,
    /// What it is asked for with, where it is a call with a body.
    pub(crate) search: Option<SearchCall>,
    /// Where its documents are.
    pub(crate) items: Query,
    /// How it goes on.
    pub(crate) paging: Paging,
}

impl DocumentListing {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<DocumentListing> {
        let list = SearchCall::from_key(section, report);
        let items = Query::from_key(section, "items", report);
        let paging = Paging::from_key(section, ListingForm::Pages, report)?;
        let (list, search) = list?;
        check_parameters(search.as_ref(), paging.parameters(), section, report);
        Some(DocumentListing { list, search, items: items?, paging })
    }

    /// The listing that a type is read from.
    pub(crate) fn of(read: &ReadType) -> DocumentListing {
        let (list, search) = (read.list.clone(), read.search.clone());
        DocumentListing { list, search, items: read.items.clone(), paging: read.paging.clone() }
    }
}
