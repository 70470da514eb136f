//! The value of every step of an expression.

use std::collections::BTreeMap;

use crate::diagnostic::Span;
use crate::value::Value;

/// The value of every step of an expression that was reached, by its place in the text.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Trace(BTreeMap<(usize, usize), Value>);

impl Trace {
    pub(super) fn note(&mut self, span: &Span, value: &Value) {
        self.0.insert((span.start, span.end), value.clone());
    }

    /// The value of the step that stands there, where it was reached.
    #[must_use]
    pub fn at(&self, span: &Span) -> Option<&Value> {
        self.0.get(&(span.start, span.end))
    }
}
