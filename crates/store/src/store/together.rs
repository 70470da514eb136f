//! Rows that one statement adds.

use rusqlite::types::{ToSql, Value};

use super::StoreError;
use super::database::Connection;

/// So many values one statement takes.
const MOST_VALUES: usize = 2_000;

/// Adds rows to a table, many with each statement; `then` is what becomes of those that are there already.
pub(super) fn add_rows(
    connection: &Connection,
    (table, columns): (&str, &[&str]),
    rows: &[Vec<Value>],
    then: &str,
) -> Result<(), StoreError> {
    let together = (MOST_VALUES / columns.len()).max(1);
    // Few statements, which are kept: whole groups, and a rest by powers of two.
    let mut rest = rows;
    while !rest.is_empty() {
        let many = if rest.len() >= together { together } else { 1 << rest.len().ilog2() };
        let (group, after) = rest.split_at(many.min(together));
        let one = |row: usize| {
            let places: Vec<String> =
                (1..=columns.len()).map(|column| format!("?{}", row * columns.len() + column)).collect();
            format!("({})", places.join(", "))
        };
        let places: Vec<String> = (0..group.len()).map(one).collect();
        let sql = format!("INSERT INTO {table} ({}) VALUES {} {then}", columns.join(", "), places.join(", "));
        let values: Vec<&dyn ToSql> = group.iter().flatten().map(|value| value as &dyn ToSql).collect();
        connection.prepare_cached(&sql)?.execute_soon(values.as_slice())?;
        rest = after;
    }
    Ok(())
}

/// A text as a value.
pub(super) fn text(text: impl Into<String>) -> Value {
    Value::Text(text.into())
}

/// A text that may be missing, as a value.
pub(super) fn perhaps(text: Option<impl Into<String>>) -> Value {
    text.map_or(Value::Null, |text| Value::Text(text.into()))
}
