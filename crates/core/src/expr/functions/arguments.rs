//! What a function's body is given.

use regex::Regex;

use crate::expr::library::{Library, Table};
use crate::expr::operation::is_true;
use crate::text::house::HouseStyle;
use crate::value::{Address, LaneName, Value};

/// What follows a function's name, with values in one language, and the hub around it. The
/// compiler has checked what there is; a body asks for what its parameters say.
pub struct Arguments<'c> {
    pub(in crate::expr) given: &'c [Argument<'c>],
    pub(in crate::expr) around: &'c dyn Surroundings,
}

/// One argument.
pub(in crate::expr) enum Argument<'c> {
    Value(&'c Value),
    /// An expression that is found for each item.
    Item,
    Pattern(&'c Regex),
    Table(&'c Table),
    Terms(&'c HouseStyle),
    Lane(&'c LaneName),
    Nothing,
}

/// What a body can ask whoever calls it.
pub(in crate::expr) trait Surroundings {
    /// What the expressions of the hub share.
    fn library(&self) -> &Library;

    /// The value of the argument at that place for an item.
    fn of_item(&self, place: usize, item: &Value) -> Result<Value, String>;

    /// What an entry is called at the destination.
    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, String>;

    /// What a word is called at the destination.
    fn ensured(&self, word: &str, lane: &LaneName) -> Result<Value, String>;
}

impl<'c> Arguments<'c> {
    /// A value, where it was given.
    #[must_use]
    pub fn value(&self, place: usize) -> Option<&'c Value> {
        match self.given.get(place) {
            Some(Argument::Value(value)) => Some(value),
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
            Some(Argument::Pattern(pattern)) => Ok(pattern),
            _ => Err("there is no pattern".to_owned()),
        }
    }

    /// A table.
    ///
    /// # Errors
    /// Where there is none.
    pub fn table(&self, place: usize) -> Result<&'c Table, String> {
        match self.given.get(place) {
            Some(Argument::Table(table)) => Ok(table),
            _ => Err("there is no table".to_owned()),
        }
    }

    /// Terms.
    ///
    /// # Errors
    /// Where there are none.
    pub fn terms(&self, place: usize) -> Result<&'c HouseStyle, String> {
        match self.given.get(place) {
            Some(Argument::Terms(terms)) => Ok(terms),
            _ => Err("there are no terms".to_owned()),
        }
    }

    /// What the argument is for an item.
    ///
    /// # Errors
    /// Where it has no value for it.
    pub fn of_item(&self, place: usize, item: &Value) -> Result<Value, String> {
        match self.given.get(place) {
            Some(Argument::Item) => self.around.of_item(place, item),
            _ => Ok(item.clone()),
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
        self.around.library()
    }

    /// What an entry is called at the destination, and the note that it was asked for.
    ///
    /// # Errors
    /// Where that cannot be told.
    pub fn counterpart(&self, address: &Address, place: usize) -> Result<Value, String> {
        let lane = if let Some(Argument::Lane(lane)) = self.given.get(place) { Some(*lane) } else { None };
        self.around.counterpart(address, lane)
    }

    /// What a word is called at the destination, and the note that it is needed there.
    ///
    /// # Errors
    /// Where that cannot be told, or the lane makes no document of such a word.
    pub fn ensured(&self, word: &str, place: usize) -> Result<Value, String> {
        match self.given.get(place) {
            Some(Argument::Lane(lane)) => self.around.ensured(word, lane),
            _ => Err("there is no lane".to_owned()),
        }
    }
}
