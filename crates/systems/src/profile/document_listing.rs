//! Where the documents that were written are listed.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::{ANY_VALUES, FILE};
use diaporos_core::settings::{Form, Section, Table};
use serde_json::{Map, Value as Json};

use super::filled::constants;
use super::paging::{PAGING, QUERY_PAGING};
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

/// The query by which the documents that were written are listed.
pub(super) static LISTED_BY_QUERY: Table = Table::new(
    "query for documents",
    &[settings![
        query: FILE, required, "the file with the query", "pages.graphql";
        items: JSON_PATH, required, "where its documents are", "$.data.pages.nodes[*]";
        variables: ANY_VALUES, none, "variables that are sent with it", "{ shelf = \"north\" }";
        paging: Form::Variants(&QUERY_PAGING), none, "how the listing goes on; it has one page without it", "{ style = \"connection\", at = \"$.data.pages.pageInfo\" }";
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
    /// The query that it is, of a system that is asked by queries.
    pub(crate) query: Option<ListingQuery>,
}

/// A query that lists documents.
#[derive(Debug, Clone)]
pub(crate) struct ListingQuery {
    /// Its text, once the file is read.
    pub(crate) text: String,
    /// The variables that are sent with it.
    pub(crate) variables: Map<String, Json>,
}

impl DocumentListing {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<DocumentListing> {
        let list = SearchCall::from_key(section, report);
        let items = Query::from_key(section, "items", report);
        let paging = Paging::from_key(section, ListingForm::Pages, report)?;
        let (list, search) = list?;
        check_parameters(search.as_ref(), paging.parameters(), section, report);
        Some(DocumentListing { list, search, items: items?, paging, query: None })
    }

    /// Reads a query that lists documents.
    pub(super) fn of_query(section: &mut Section<'_>, report: &mut Report) -> Option<DocumentListing> {
        let file = section.text("query", report).map(|item| item.value.as_str().to_owned());
        let items = Query::from_key(section, "items", report);
        let variables = section.section("variables", report).map(|mut table| constants(&mut table));
        let paging = Paging::from_key(section, ListingForm::Query, report)?;
        let query = ListingQuery { text: String::new(), variables: variables.unwrap_or_default() };
        Some(DocumentListing { list: file?, search: None, items: items?, paging, query: Some(query) })
    }

    /// The query that a type is read by.
    pub(super) fn of_read_query(read: &ReadType) -> DocumentListing {
        let query = ListingQuery { text: String::new(), variables: read.variables.clone() };
        DocumentListing { query: Some(query), ..DocumentListing::of(read) }
    }

    /// The listing that a type is read from.
    pub(crate) fn of(read: &ReadType) -> DocumentListing {
        let (list, search) = (read.list.clone(), read.search.clone());
        DocumentListing { list, search, items: read.items.clone(), paging: read.paging.clone(), query: None }
    }
}
