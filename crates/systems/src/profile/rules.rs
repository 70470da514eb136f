//! What profiles of a kind of system say, and how it is taken.

use diaporos_core::settings::Table;

/// What profiles of a kind say.
#[derive(Debug, Clone, Copy)]
pub struct ProfileRules {
    /// Its settings.
    pub settings: &'static Table,
    /// How a type is listed.
    pub listing: ListingForm,
    /// How its documents are written.
    pub writing: WritingForm,
    /// Whether members of documents may be properties of a file (RFC 4918 §4).
    pub properties: bool,
    /// Whether a system may describe and extend its own model, and take texts for translation.
    pub services: bool,
}

/// How the types of a kind are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ListingForm {
    /// `list`: pages of JSON at a path.
    Pages,
    /// `query`: the answers to a query of a file, as connections.
    Query,
    /// `files`: the files that match a pattern.
    Files,
    /// All types are in one listing of changes.
    Changes,
    /// `table` or `query`: rows of a database, in the order of their key.
    Rows,
}

impl ListingForm {
    /// The key that says where a listing is; none where there is one listing for all types.
    pub(super) fn key(self) -> Option<&'static str> {
        match self {
            ListingForm::Pages => Some("list"),
            ListingForm::Files => Some("files"),
            ListingForm::Query => Some("query"),
            ListingForm::Changes | ListingForm::Rows => None,
        }
    }

    /// Whether a listing is asked for page by page.
    pub(super) fn has_pages(self) -> bool {
        matches!(self, ListingForm::Pages | ListingForm::Query)
    }

    /// The member that holds an item's id, and the one that holds its revision, where all items have them.
    pub(super) fn own_members(self) -> Option<(&'static str, &'static str)> {
        match self {
            ListingForm::Changes => Some(("$._id", "$._rev")),
            _ => None,
        }
    }
}

/// How the documents of a kind are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WritingForm {
    /// Not at all.
    None,
    /// By calls.
    Calls,
    /// By operations of files.
    Operations,
    /// As files at places of our choosing.
    Files,
    /// As documents of a database at places of our choosing.
    Documents,
    /// As rows of a table, by their key.
    Rows,
}
