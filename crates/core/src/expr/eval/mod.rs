//! The value of an expression for one entry.

mod call;
mod lift;
mod operator;
mod path;

use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::BTreeSet;

use super::ast::{Expression, Node};
use crate::diagnostic::Span;
use crate::plan::State;
use crate::value::{Address, Record, Value};

/// The entry an expression is about.
#[derive(Debug, Clone, Copy)]
pub struct Subject<'a> {
    /// Where it is.
    pub address: &'a Address,
    /// Its state.
    pub state: State,
    /// Its fields.
    pub fields: &'a Record,
}

/// An entry that a reference leads to.
#[derive(Debug, Clone, PartialEq)]
pub struct Referenced {
    /// Its state.
    pub state: State,
    /// Its fields.
    pub fields: Record,
}

/// Finds the entries that references lead to. It reads what was taken in before, never a system.
pub trait Follow {
    /// The entry at that address, unless it is not known or gone.
    fn follow(&self, address: &Address) -> Option<Referenced>;
}

/// A value, and what was looked at to find it.
#[derive(Debug, Clone, PartialEq)]
pub struct Evaluated {
    /// The value.
    pub value: Value,
    /// The other entries whose fields were read: when one changes, so may the value.
    pub reads: BTreeSet<Address>,
    /// References that lead nowhere.
    pub dead: BTreeSet<Address>,
}

/// Why an expression has no value for this entry.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct EvalError {
    /// Where in the expression.
    pub span: Span,
    /// What went wrong.
    pub message: String,
}

/// Finds the value of an expression for an entry.
///
/// # Errors
/// Where a value is of a kind that cannot be used there.
pub fn evaluate(expression: &Expression, subject: &Subject<'_>, follow: &dyn Follow) -> Result<Evaluated, EvalError> {
    let scope = Scope { subject, follow, reads: RefCell::default(), dead: RefCell::default() };
    let value = scope.value(expression)?.into_owned();
    Ok(Evaluated { value, reads: scope.reads.into_inner(), dead: scope.dead.into_inner() })
}

/// Whether a condition holds; null does not.
///
/// # Errors
/// Where the value is not true, false or null.
pub fn is_true(value: &Value) -> Result<bool, String> {
    match value {
        Value::Boolean(truth) => Ok(*truth),
        Value::Null => Ok(false),
        Value::Localised(_) => {
            Err("a condition needs one answer, and this has one per language: choose one, as in `name@en`".to_owned())
        }
        other => Err(format!("a condition must be true or false, not {}", other.kind_name())),
    }
}

struct Scope<'a> {
    subject: &'a Subject<'a>,
    follow: &'a dyn Follow,
    reads: RefCell<BTreeSet<Address>>,
    dead: RefCell<BTreeSet<Address>>,
}

impl<'a> Scope<'a> {
    fn value(&self, expression: &'a Expression) -> Result<Cow<'a, Value>, EvalError> {
        match &expression.node {
            Node::Literal(value) => Ok(Cow::Borrowed(value)),
            Node::List(items) => {
                let items = items.iter().map(|item| self.value(item).map(Cow::into_owned));
                Ok(Cow::Owned(Value::List(items.collect::<Result<_, _>>()?)))
            }
            Node::Name(name) => Ok(self.name(name)),
            Node::Member(base, name) => self.member(base, name, &expression.span),
            Node::Item(base, place) => self.item(base, *place, &expression.span),
            Node::Language(base, tag) => self.language(base, tag, &expression.span),
            Node::Not(inner) => self.not(inner),
            Node::Binary(left, operator, right) => self.binary(left, *operator, right, &expression.span),
            Node::Pipe(input, call) => self.call(input, call),
        }
    }
}

fn failed(span: &Span) -> impl Fn(String) -> EvalError + '_ {
    |message| EvalError { span: span.clone(), message }
}

#[cfg(test)]
pub(super) mod tests;
