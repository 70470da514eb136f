//! Statements: names quoted, values counted. What is in a row is bound, and never part of one.

use std::fmt::Write as _;

use serde_json::{Map, Value as Json};

/// A name as a statement has it (SQL:2023, delimited identifiers).
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// A table's name, with its schema's where it has one.
pub(super) fn table(name: &str) -> String {
    name.split('.').map(quoted).collect::<Vec<_>>().join(".")
}

/// A statement with the values that are bound to it.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Statement {
    pub(super) text: String,
    pub(super) values: Vec<Json>,
}

impl Statement {
    pub(super) fn new(text: impl Into<String>) -> Statement {
        Statement { text: text.into(), values: Vec::new() }
    }

    /// Goes on with a text.
    pub(super) fn say(&mut self, text: &str) -> &mut Statement {
        self.text.push_str(text);
        self
    }

    /// Goes on with the place of a value.
    pub(super) fn bind(&mut self, value: Json) -> &mut Statement {
        self.values.push(value);
        // Writing to a text does not fail.
        let _ = write!(self.text, "${}", self.values.len());
        self
    }

    /// Goes on with names, a comma between each two.
    pub(super) fn names<'n>(&mut self, names: impl IntoIterator<Item = &'n str>) -> &mut Statement {
        self.each(names, ", ", |statement, name| {
            statement.say(&quoted(name));
        })
    }

    /// Goes on with the places of values, a comma between each two.
    pub(super) fn bind_all(&mut self, values: impl IntoIterator<Item = Json>) -> &mut Statement {
        self.each(values, ", ", |statement, value| {
            statement.bind(value);
        })
    }

    /// A new row of a table, in brackets.
    pub(super) fn insert(table: &str, row: &Map<String, Json>, further: Option<(&str, &str)>) -> Statement {
        let mut insert = Statement::new("INSERT INTO ");
        insert.say(table).say(" (").names(row.keys().map(String::as_str).chain(further.map(|(name, _)| name)));
        insert.say(") VALUES (").bind_all(row.values().cloned());
        if let Some((_, said)) = further {
            insert.say(if row.is_empty() { "" } else { ", " }).say(said);
        }
        insert.say(")");
        insert
    }

    /// Goes on with several, a text between each two.
    pub(super) fn each<T>(
        &mut self,
        all: impl IntoIterator<Item = T>,
        between: &str,
        mut one: impl FnMut(&mut Statement, T),
    ) -> &mut Statement {
        for (place, item) in all.into_iter().enumerate() {
            if place > 0 {
                self.say(between);
            }
            one(self, item);
        }
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever a name holds, it stays one name: every quote in it is doubled.
        #[test]
        fn a_name_stays_a_name(name in "[ -~é]{1,20}") {
            let text = quoted(&name);
            let inner = &text[1..text.len() - 1];
            prop_assert!(!inner.replace("\"\"", "").contains('"'));
            prop_assert_eq!(inner.replace("\"\"", "\""), name);
        }
    }
}
