//! Where the documents that were written are listed.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Table};

use super::paging::PAGING;
use super::read_type::check_path;
use super::{ListingForm, Paging, ReadType};
use crate::query::{JSON_PATH, Query};

/// Where the documents that were written are listed.
pub(super) static LISTED: Table = Table::new(
    "listing of documents",
    &[settings![
        list: TEXT, required, "the path of the listing", "/api/pages";
        items: JSON_PATH, required, "where its documents are", "$.pages[*]";
        paging: Form::Variants(&PAGING), none, "how it goes on; it has one page without it", "{ style = \"page\" }";
    ]],
);

/// Where documents are listed.
#[derive(Debug, Clone)]
pub(crate) struct DocumentListing {
    /// The path of the listing.
    pub(crate) list: String,
    /// Where its documents are.
    pub(crate) items: Query,
    /// How it goes on.
    pub(crate) paging: Paging,
}

impl DocumentListing {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<DocumentListing> {
        let list = section.text("list", report)?;
        let items = Query::from_key(section, "items", report);
        let paging = Paging::from_key(section, ListingForm::Pages, report)?;
        let checked = check_path(list.value.as_str());
        checked.map_err(|why| report.add(Diagnostic::error(Code::BadValue, list.span.clone(), why))).ok()?;
        Some(DocumentListing { list: list.value.as_str().to_owned(), items: items?, paging })
    }

    /// The listing that a type is read from.
    pub(crate) fn of(read: &ReadType) -> DocumentListing {
        DocumentListing { list: read.list.clone(), items: read.items.clone(), paging: read.paging.clone() }
    }
}
