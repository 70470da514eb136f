//! How several documents are written in one call.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Table};

use super::Call;
use super::call::CALL;
use crate::query::{JSON_PATH, Query};

/// How several documents are written in one call.
pub(super) static BATCH: Table = Table::new(
    "batch",
    &[settings![
        call: CALL, required, "creates or changes the documents that are written at the same moment", "POST /api/pages/batch";
        size: Form::Count(1), usual "50", "how many documents go in one call; at most 1000", "20";
        items: TEXT, required, "the member of the body that is the list of documents", "pages";
        id: TEXT, usual "id", "the member of a document that names the one it changes", "number";
        revision: TEXT, none, "the member of a document that says which version it is based on", "version";
        results: JSON_PATH, required, "where the answer has a result for each document, in their order", "$.results[*]";
        status: JSON_PATH, required, "where a result has its status", "$.status";
        document: JSON_PATH, none, "where a result has the document as it is now", "$.page";
    ]],
);

/// How several documents are written in one call.
#[derive(Debug, Clone)]
pub(crate) struct BatchCall {
    /// The call.
    pub(crate) call: Call,
    /// Documents in one call, at most.
    pub(crate) size: usize,
    /// The member of the body that is the list of documents.
    pub(crate) items: String,
    /// The members of a document that name the one it changes, and the version it is based on.
    pub(crate) id: String,
    pub(crate) revision: Option<String>,
    /// Where the answer has a result for each document, in their order.
    pub(crate) results: Query,
    /// Where a result has its status, and the document as it is now.
    pub(crate) status: Query,
    pub(crate) document: Option<Query>,
}

impl BatchCall {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<BatchCall> {
        let call = Call::from_key(section, "call", &[], report);
        let size = section.count("size", report).map_or(1, |count| count.value.min(1_000));
        let text = |section: &mut Section<'_>, key, report: &mut Report| section.string(key, report);
        let items = section.string("items", report);
        let id = text(section, "id", report)?;
        let revision = text(section, "revision", report);
        let results = Query::from_key(section, "results", report);
        let status = Query::from_key(section, "status", report);
        let document = Query::from_key(section, "document", report);
        Some(BatchCall {
            call: call?,
            size: usize::try_from(size).unwrap_or(50),
            items: items?,
            id,
            revision,
            results: results?,
            status: status?,
            document,
        })
    }
}
