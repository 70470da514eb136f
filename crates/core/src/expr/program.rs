//! A compiled expression.

use std::collections::BTreeSet;
use std::sync::Arc;

use indexmap::IndexSet;
use regex::Regex;

use super::ast::Operator;
use super::functions::Function;
use super::library::Table;
use super::types::Type;
use crate::diagnostic::Span;
use crate::text::house::HouseStyle;
use crate::value::{LaneName, LanguageTag, Record, Value};

/// A compiled expression; made by `compile`.
#[derive(Debug, Clone)]
pub struct Program {
    pub(in crate::expr) root: Arc<Node>,
    /// What it gives.
    pub gives: Type,
    /// What it looks at.
    pub uses: Uses,
}

/// What a program looks at, besides the entry.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Uses {
    /// The entry's fields.
    pub fields: BTreeSet<String>,
    /// Tables of the hub.
    pub tables: BTreeSet<String>,
    /// Renditions of the hub.
    pub renditions: BTreeSet<String>,
    /// Functions of the hub.
    pub functions: BTreeSet<String>,
    /// Lanes that make documents of words.
    pub ensures: BTreeSet<LaneName>,
    /// Languages that are asked for by name.
    pub languages: BTreeSet<LanguageTag>,
    /// Whether it asks the time.
    pub now: bool,
    /// Whether it asks what was last delivered.
    pub previous: bool,
}

impl Uses {
    /// Adds what another program looks at.
    pub fn extend(&mut self, other: &Uses) {
        self.fields.extend(other.fields.iter().cloned());
        self.tables.extend(other.tables.iter().cloned());
        self.renditions.extend(other.renditions.iter().cloned());
        self.functions.extend(other.functions.iter().cloned());
        self.ensures.extend(other.ensures.iter().cloned());
        self.languages.extend(other.languages.iter().cloned());
        self.now |= other.now;
        self.previous |= other.previous;
    }
}

/// The fields that the programs of a lane read, each with its place. Found once for all programs,
/// resolved once for each entry.
#[derive(Debug, Clone, Default)]
pub struct Slots(IndexSet<String, foldhash::fast::RandomState>);

impl Slots {
    /// The place of a field, from now on.
    pub(in crate::expr) fn place(&mut self, name: &str) -> usize {
        match self.0.get_index_of(name) {
            Some(place) => place,
            None => self.0.insert_full(name.to_owned()).0,
        }
    }

    /// The place of a field that is read.
    #[must_use]
    pub fn find(&self, name: &str) -> Option<usize> {
        self.0.get_index_of(name)
    }

    /// The fields' names, in the order of their places.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.0.iter().map(String::as_str)
    }

    /// How many fields are read.
    #[must_use]
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether none is.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The fields' values, each in its place; null where the record has none.
    #[must_use]
    pub fn resolve<'a>(&self, fields: &'a Record) -> Vec<&'a Value> {
        self.0.iter().map(|name| fields.get(name).unwrap_or(&Value::Null)).collect()
    }
}

/// A step of a program, with its place in the text.
#[derive(Debug)]
pub(in crate::expr) struct Node {
    pub(in crate::expr) op: Op,
    pub(in crate::expr) span: Span,
}

#[derive(Debug)]
pub(in crate::expr) enum Op {
    Literal(Value),
    List(Vec<Node>),
    Record(Vec<(String, Node)>),
    /// A field of the entry, by its slot.
    Field(usize),
    State,
    Entry,
    Now,
    /// What was last delivered.
    Previous,
    /// The value of a frame, so many up.
    Local(usize),
    Member(Box<Node>, String),
    Item(Box<Node>, i64),
    Language(Box<Node>, LanguageTag),
    Not(Box<Node>),
    Binary(Box<Node>, Operator, Box<Node>),
    If(Box<Node>, Box<Node>, Box<Node>),
    /// A frame with the first's value around the second.
    Let(Box<Node>, Box<Node>),
    Call(Box<Call>),
}

#[derive(Debug)]
pub(in crate::expr) struct Call {
    pub(in crate::expr) function: &'static Function,
    pub(in crate::expr) input: Node,
    pub(in crate::expr) arguments: Vec<Argument>,
}

/// What follows a function's name.
#[derive(Debug)]
pub(in crate::expr) enum Argument {
    Value(Node),
    /// Found for each item, in a frame of its own.
    Item(Node),
    Pattern(Box<Regex>),
    Table(Arc<Table>),
    Terms(Box<HouseStyle>),
    Lane(LaneName),
    /// What could not be read; a program with one is not made.
    Nothing,
}
