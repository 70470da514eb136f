//! What is known of a table that is written.

use super::columns::Column;
use super::suffixes::Suffixes;
use crate::profile::{ListTarget, RowTarget};

/// What is known of a type's table.
pub(super) struct Table {
    pub(super) target: RowTarget,
    /// The columns that documents of the type have, with those that tell them apart.
    pub(super) columns: Vec<Column>,
    /// The lists that documents have, each with its columns.
    pub(super) lists: Vec<ListTable>,
    pub(super) suffixes: Suffixes,
}

/// The table of a list.
pub(super) struct ListTable {
    /// The field that it is.
    pub(super) field: String,
    pub(super) target: ListTarget,
    pub(super) columns: Vec<Column>,
}
