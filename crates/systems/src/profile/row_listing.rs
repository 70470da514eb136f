//! How the rows of a database are listed.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, TEXT};
use diaporos_core::settings::{Form, Section, Table, TextForm};

use super::since::Since;
use crate::query::Query;

/// How only the rows that changed are asked for.
pub(super) static SINCE_COLUMN: Table = Table::new(
    "since, by a column",
    &[settings![
        column: TEXT, required, "the column that says when a row changed: a moment, or a number that grows", "updated_at";
        overlap: DURATION, usual "5m", "how far before the newest change it is asked, for a row may be seen later than its moment says", "10m";
        whole_every: Form::Text(&TextForm { name: "a duration, or `never`", pattern: None }), usual "7d", "how often all is listed, for changes alone do not show what went", "30d";
    ]],
);

/// Where rows come from, and what their columns tell.
#[derive(Debug, Clone)]
pub(crate) struct RowListing {
    pub(crate) from: RowsFrom,
    /// The columns that together tell the rows apart.
    pub(crate) key: Vec<String>,
    /// The column that says that a row is deleted.
    pub(crate) deleted: Option<String>,
    /// What stands between a localised field's name and a language's code.
    pub(crate) language_suffix: Option<String>,
}

/// Where rows come from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum RowsFrom {
    /// A table or view.
    Table(String),
    /// A query of a file, by the file's name.
    Query(String),
}

impl RowListing {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<RowListing> {
        let table = section.string("table", report).map(RowsFrom::Table);
        let query = section.string("query", report).map(RowsFrom::Query);
        let key = section.text_or_texts("key", report).iter().map(|item| item.value.as_str().to_owned()).collect();
        let (deleted, language_suffix) = (section.string("deleted", report), section.string("language_suffix", report));
        let from = match (table, query) {
            (Some(from), None) | (None, Some(from)) => Some(from),
            (None, None) => {
                section.missing("table", report);
                None
            }
            (Some(_), Some(_)) => {
                section.refuse("query", section.span(), "`table` and `query` exclude each other", report);
                None
            }
        };
        Some(RowListing { from: from?, key, deleted, language_suffix })
    }

    /// Where the key stands in a row.
    pub(crate) fn id(&self) -> Option<Vec<Query>> {
        self.key.iter().map(|column| at_column(column)).collect()
    }
}

impl Since {
    /// How changes are asked for by a column.
    pub(super) fn by_column(section: &mut Section<'_>, report: &mut Report) -> Option<Since> {
        let column = section.string("column", report)?;
        let at = at_column(&column)?;
        Some(Since::plain(column, at, Since::lengths(section, report)?))
    }
}

/// Where a column stands in a row (RFC 9535 §2.3.1).
fn at_column(column: &str) -> Option<Query> {
    let quoted: String =
        column.chars().flat_map(|c| ['\\'].into_iter().filter(move |_| matches!(c, '\'' | '\\')).chain([c])).collect();
    Query::constant(&format!("$['{quoted}']"))
}
