//! Where rows come from, as a statement has it.

use indexmap::IndexMap;

use super::statement::table;
use crate::profile::RowsFrom;

/// A table, or a query in brackets.
pub(super) fn source(from: &RowsFrom, queries: &IndexMap<String, String>) -> String {
    match from {
        RowsFrom::Table(name) => table(name),
        RowsFrom::Query(name) => {
            let text = queries.get(name).map(String::as_str).unwrap_or_default();
            // A comment at its end takes no bracket with it.
            format!("({}\n)", ended(text))
        }
    }
}

/// A query without the semicolon that ends it, and what comments say after that.
fn ended(text: &str) -> &str {
    let mut text = text.trim_end();
    loop {
        let last = text.rfind('\n').map_or(0, |at| at + 1);
        match text[last..].trim_start() {
            line if last > 0 && (line.is_empty() || line.starts_with("--")) => text = text[..last].trim_end(),
            _ => return text.trim_end_matches(';'),
        }
    }
}
