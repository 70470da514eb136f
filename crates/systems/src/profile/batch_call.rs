//! How several documents are written in one call.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings::Section;

use super::{Call, Query};

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
        if !section.has("call") {
            section.missing("call", report);
        }
        let size = section.count("size", 1, report).map_or(50, |count| count.value.min(1_000));
        let text = |section: &mut Section<'_>, key, report: &mut Report| {
            section.text(key, report).map(|item| item.value.as_str().to_owned())
        };
        let items = section.required_text("items", report).map(|item| item.value.as_str().to_owned());
        let id = text(section, "id", report).unwrap_or_else(|| "id".to_owned());
        let revision = text(section, "revision", report);
        let results = Query::required(section, "results", report);
        let status = Query::required(section, "status", report);
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
