//! What the expressions of a hub share: its tables, its functions, its languages.

use std::collections::BTreeSet;
use std::sync::Arc;

use indexmap::IndexMap;

use super::ast::Expression;
use super::types::{Kind, Type};
use crate::change::{Fingerprint, fingerprint};
use crate::diagnostic::nearest;
use crate::image::Rendition;
use crate::text::house::HouseStyle;
use crate::value::{LanguageTag, Record, Value};

/// What the expressions of a hub share.
#[derive(Debug, Clone, Default)]
pub struct Library {
    /// Functions that the hub defines, by name.
    pub functions: IndexMap<String, UserFunction>,
    /// Tables to look values up in, by name.
    pub tables: IndexMap<String, Arc<Table>>,
    /// What pictures become for their places, by name.
    pub renditions: IndexMap<String, Rendition>,
    /// Tables and functions that are there and faulty: what uses them is not told of it again.
    pub faulty: BTreeSet<String>,
    /// The languages of the hub.
    pub languages: Vec<LanguageTag>,
    /// The languages to take, in order, for one that is missing.
    pub fallback: Vec<LanguageTag>,
}

/// A function that the hub defines: an expression over its input, `it`, and its parameters.
#[derive(Debug, Clone, PartialEq)]
pub struct UserFunction {
    /// What must come through the pipe.
    pub takes: Kind,
    /// What follows the name.
    pub parameters: Vec<(String, Kind)>,
    /// What it is, as written.
    pub text: String,
    /// What it is.
    pub body: Expression,
    /// What it gives.
    pub gives: Type,
}

/// A table to look values up in.
#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    /// The table's name.
    pub name: String,
    /// The rows, by key.
    pub rows: Record,
    /// What is given for a key that has no row.
    pub otherwise: Otherwise,
    /// What the rows hold.
    pub holds: Type,
}

/// What a table gives for a key that it does not have.
#[derive(Debug, Clone, PartialEq)]
pub enum Otherwise {
    /// This value.
    Value(Value),
    /// Null.
    Null,
    /// Nothing: the entry is held.
    Hold,
}

impl Table {
    /// The row of a key.
    ///
    /// # Errors
    /// Says that there is none, where the table has it so.
    pub fn find(&self, key: &str) -> Result<Value, String> {
        match (self.rows.get(key), &self.otherwise) {
            (Some(value), _) | (None, Otherwise::Value(value)) => Ok(value.clone()),
            (None, Otherwise::Null) => Ok(Value::Null),
            (None, Otherwise::Hold) => {
                let near = nearest(key, self.rows.keys().map(String::as_str));
                let near = near.map_or(String::new(), |near| format!("; the nearest is `{near}`"));
                Err(format!("the table `{}` has no row for `{key}`{near}", self.name))
            }
        }
    }

    /// What a look-up can give.
    #[must_use]
    pub fn gives(&self) -> Type {
        match &self.otherwise {
            Otherwise::Value(value) => self.holds.or(&Type::of(value)),
            Otherwise::Null => self.holds.clone().or_null(),
            Otherwise::Hold => self.holds.clone(),
        }
    }

    /// The terms of the table as the house writes them.
    ///
    /// # Errors
    /// Where a row is no text.
    pub fn house_style(&self) -> Result<HouseStyle, String> {
        let mut terms = Vec::with_capacity(self.rows.len());
        for (term, row) in &self.rows {
            let right = row.as_text().ok_or_else(|| format!("the row of `{term}` is no text"))?;
            terms.push((term.as_str(), right));
        }
        HouseStyle::new(terms)
    }

    /// Changes when any row does.
    #[must_use]
    pub fn fingerprint(&self) -> Fingerprint {
        let otherwise = match &self.otherwise {
            Otherwise::Value(value) => Value::List(vec![value.clone()]),
            Otherwise::Null => Value::Null,
            Otherwise::Hold => Value::Boolean(false),
        };
        fingerprint(&Value::List(vec![Value::Record(self.rows.clone()), otherwise]))
    }
}
