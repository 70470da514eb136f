//! Operators.

use std::borrow::Cow;

use super::lift::lift;
use super::{EvalError, Frame, Scope, failed};
use crate::diagnostic::Span;
use crate::expr::ast::Operator;
use crate::expr::operation::{apply, is_true};
use crate::expr::program::Node;
use crate::value::Value;

impl Scope<'_> {
    pub(super) fn not<'v>(
        &'v self,
        inner: &'v Node,
        frame: Option<&'v Frame<'v>>,
    ) -> Result<Cow<'v, Value>, EvalError> {
        let value = self.value(inner, frame)?;
        lift(&[&value], &mut |plain| Ok(Value::Boolean(!is_true(plain[0])?)))
            .map(Cow::Owned)
            .map_err(failed(&inner.span))
    }

    pub(super) fn binary<'v>(
        &'v self,
        (left, operator, right): (&'v Node, Operator, &'v Node),
        frame: Option<&'v Frame<'v>>,
        span: &Span,
    ) -> Result<Cow<'v, Value>, EvalError> {
        let first = self.value(left, frame)?;
        // What the left side settles alone is not asked of the right.
        match (operator, first.as_ref()) {
            (Operator::Otherwise, Value::Localised(_)) => {}
            (Operator::Otherwise, value) if !value.is_null() => return Ok(first),
            (Operator::Otherwise, _) => return self.value(right, frame),
            (Operator::And, Value::Null | Value::Boolean(false)) => {
                return Ok(Cow::Owned(Value::Boolean(false)));
            }
            (Operator::Or, Value::Boolean(true)) => return Ok(first),
            _ => {}
        }
        let second = self.value(right, frame)?;
        // Whether there is anything at all has one answer, whatever the languages.
        if matches!(operator, Operator::Equal | Operator::NotEqual)
            && (matches!(*first, Value::Null) || matches!(*second, Value::Null))
        {
            let both = first.is_null() && second.is_null();
            return Ok(Cow::Owned(Value::Boolean(both == (operator == Operator::Equal))));
        }
        if let (Operator::In, Value::List(items)) = (operator, second.as_ref()) {
            self.spend(items.len(), span)?;
        }
        lift(&[&first, &second], &mut |plain| apply(operator, plain[0], plain[1])).map(Cow::Owned).map_err(failed(span))
    }
}
