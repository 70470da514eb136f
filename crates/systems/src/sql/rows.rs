//! Rows as a database gives them.

use serde_json::{Map, Value as Json};

use super::columns::{Column, ColumnForm};
use super::statement::{Statement, quoted};
use crate::ErrorKind;

/// A row: its columns as members, and its key.
#[derive(Debug)]
pub(super) struct Row {
    pub(super) members: Map<String, Json>,
    pub(super) key: Vec<Json>,
    /// The row as it came, as one document.
    pub(super) text: String,
}

/// Rows of a table or a query, as they are asked for.
#[derive(Debug, Clone)]
pub(super) struct Selection {
    /// The table, or the query in brackets.
    pub(super) source: String,
    /// What is wanted of them, and in which order: all that follows the source, which is called `r`.
    pub(super) rest: Statement,
    /// The columns of the key.
    pub(super) key: Vec<String>,
    /// Bytes after which no more rows are taken.
    pub(super) most_bytes: usize,
}

/// As many digits as a number holds exactly, whatever they are (IEEE 754, binary64).
const EXACT_DIGITS: usize = 15;

impl Selection {
    /// The statement for PostgreSQL: a row as one document, then what cannot be in it, as texts.
    pub(super) fn of_documents(&self, columns: &[Column]) -> Statement {
        let mut select = Statement::new("SELECT to_json(r)::text");
        for name in self.key.iter().map(String::as_str).chain(decimals(columns)) {
            select.say(", r.").say(&quoted(name)).say("::text");
        }
        self.with_source(select)
    }

    /// The statement for SQLite: the columns by themselves.
    pub(super) fn of_columns(&self) -> Statement {
        let mut select = Statement::new("SELECT r.*");
        for name in &self.key {
            select.say(", r.").say(&quoted(name));
        }
        self.with_source(select)
    }

    fn with_source(&self, mut select: Statement) -> Statement {
        select.say(" FROM ").say(&self.source).say(" AS r").say(&self.rest.text);
        select.values.clone_from(&self.rest.values);
        select
    }
}

/// The columns whose decimals may be longer than a number's.
pub(super) fn decimals(columns: &[Column]) -> impl Iterator<Item = &str> {
    let exact = columns.iter().filter(|column| column.form == ColumnForm::Decimal && !column.many);
    exact.map(|column| column.name.as_str())
}

/// A decimal as a value: a number where it holds every digit, and a text otherwise.
pub(super) fn decimal(text: &str) -> Json {
    let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { text };
    let digits = text.bytes().filter(u8::is_ascii_digit).skip_while(|digit| *digit == b'0').count();
    let number = (digits <= EXACT_DIGITS).then(|| text.parse().ok()).flatten();
    number.map_or_else(|| Json::String(text.to_owned()), Json::Number)
}

/// A row's document, which came as a text.
pub(super) fn document(text: &str) -> Result<Map<String, Json>, ErrorKind> {
    match serde_json::from_str(text) {
        Ok(Json::Object(members)) => Ok(members),
        Ok(_) => Err(ErrorKind::Content("a row is no record".to_owned())),
        Err(error) => Err(ErrorKind::Content(format!("a row cannot be read: {error}"))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn decimals_keep_every_digit() {
        assert_eq!(decimal("19.90"), serde_json::json!(19.9));
        assert_eq!(decimal("-0.000001"), serde_json::json!(-0.000_001));
        assert_eq!(decimal("7.00"), serde_json::json!(7));
        assert_eq!(decimal("700"), serde_json::json!(700));
        assert_eq!(decimal("12345678901234567.89"), serde_json::json!("12345678901234567.89"));
        assert_eq!(decimal("NaN"), serde_json::json!("NaN"));
    }
}
