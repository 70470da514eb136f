//! What a function's body is given.

use std::cell::RefCell;

use regex::Regex;

use super::{EvalError, Frame, Scope, is_true};
use crate::expr::compile::Node;
use crate::expr::library::{Library, Table};
use crate::text::house::HouseStyle;
use crate::value::{Address, LaneName, Value};

/// What follows a function's name, with values in one language, and the hub around it. The
/// compiler has checked what there is; a body asks for what its parameters say.
pub struct Arguments<'c> {
    pub(super) given: &'c [Given<'c>],
    pub(super) scope: &'c Scope<'c>,
    pub(super) frame: Option<&'c Frame<'c>>,
    pub(super) failed: &'c RefCell<Option<EvalError>>,
}

pub(super) enum Given<'c> {
    Value(&'c Value),
    Item(&'c Node),
    Pattern(&'c Regex),
    Table(&'c Table),
    Terms(&'c HouseStyle),
    Lane(&'c LaneName),
    Nothing,
}

impl<'c> Arguments<'c> {
    /// A value, where it was given.
    #[must_use]
    pub fn value(&self, place: usize) -> Option<&'c Value> {
        match self.given.get(place) {
            Some(Given::Value(value)) => Some(value),
            _ => None,
        }
    }

    /// A text, or the one to take where none was given.
    #[must_use]
    pub fn text_or(&self, place: usize, otherwise: &'c str) -> &'c str {
        self.value(place).and_then(Value::as_text).unwrap_or(otherwise)
    }

    /// A text.
    #[must_use]
    pub fn text(&self, place: usize) -> &'c str {
        self.text_or(place, "")
    }

    /// A whole number, or the one to take where none was given.
    #[must_use]
    pub fn integer_or(&self, place: usize, otherwise: i64) -> i64 {
        match self.value(place) {
            Some(Value::Integer(whole)) => *whole,
            _ => otherwise,
        }
    }

    /// A whole number from 0, or the one to take where none was given.
    #[must_use]
    pub fn count_or(&self, place: usize, otherwise: usize) -> usize {
        match self.value(place) {
            Some(Value::Integer(whole)) => usize::try_from(*whole).unwrap_or(usize::MAX),
            _ => otherwise,
        }
    }

    /// A whole number from 0.
    #[must_use]
    pub fn count(&self, place: usize) -> usize {
        self.count_or(place, 0)
    }

    /// A pattern.
    ///
    /// # Errors
    /// Where there is none.
    pub fn pattern(&self, place: usize) -> Result<&'c Regex, String> {
        match self.given.get(place) {
            Some(Given::Pattern(pattern)) => Ok(pattern),
            _ => Err("there is no pattern".to_owned()),
        }
    }

    /// A table.
    ///
    /// # Errors
    /// Where there is none.
    pub fn table(&self, place: usize) -> Result<&'c Table, String> {
        match self.given.get(place) {
            Some(Given::Table(table)) => Ok(table),
            _ => Err("there is no table".to_owned()),
        }
    }

    /// Terms.
    ///
    /// # Errors
    /// Where there are none.
    pub fn terms(&self, place: usize) -> Result<&'c HouseStyle, String> {
        match self.given.get(place) {
            Some(Given::Terms(terms)) => Ok(terms),
            _ => Err("there are no terms".to_owned()),
        }
    }

    /// What the argument is for an item.
    ///
    /// # Errors
    /// Where it has no value for it.
    pub fn of_item(&self, place: usize, item: &Value) -> Result<Value, String> {
        let Some(Given::Item(node)) = self.given.get(place) else { return Ok(item.clone()) };
        let frame = Frame { value: item, up: self.frame };
        match self.scope.value(node, Some(&frame)) {
            Ok(value) => Ok(value.into_owned()),
            Err(error) => {
                let message = error.message.clone();
                // The place within the argument is better than the function's own.
                self.failed.borrow_mut().get_or_insert(error);
                Err(message)
            }
        }
    }

    /// Whether the argument holds for an item.
    ///
    /// # Errors
    /// Where it has no answer for it.
    pub fn holds(&self, place: usize, item: &Value) -> Result<bool, String> {
        is_true(&self.of_item(place, item)?)
    }

    /// What the expressions of the hub share.
    #[must_use]
    pub fn library(&self) -> &'c Library {
        self.scope.sight.library
    }

    /// What an entry is called at the destination, and the note that it was asked for.
    ///
    /// # Errors
    /// Where that cannot be told.
    pub fn counterpart(&self, address: &Address, place: usize) -> Result<Value, String> {
        let lane = if let Some(Given::Lane(lane)) = self.given.get(place) { Some(*lane) } else { None };
        let found = self.scope.sight.world.counterpart(address, lane).map_err(|error| self.scope.unseen(error))?;
        let mut looks = self.scope.looks.borrow_mut();
        looks.reads.insert(address.clone());
        looks.called.insert((address.clone(), lane.cloned()), found.clone());
        Ok(found)
    }
}
