//! Operators.

use std::borrow::Cow;
use std::cmp::Ordering;

use super::lift::lift;
use super::{EvalError, Scope, failed, is_true};
use crate::diagnostic::Span;
use crate::expr::ast::{Expression, Operator};
use crate::value::Value;

impl<'a> Scope<'a> {
    pub(super) fn not(&self, inner: &'a Expression) -> Result<Cow<'a, Value>, EvalError> {
        let value = self.value(inner)?;
        lift(&[&value], &mut |plain| Ok(Value::Boolean(!is_true(plain[0])?)))
            .map(Cow::Owned)
            .map_err(failed(&inner.span))
    }

    pub(super) fn binary(
        &self,
        left: &'a Expression,
        operator: Operator,
        right: &'a Expression,
        span: &Span,
    ) -> Result<Cow<'a, Value>, EvalError> {
        let first = self.value(left)?;
        // What the left side settles alone is not asked of the right.
        match (operator, first.as_ref()) {
            (Operator::Otherwise, Value::Localised(_)) => {}
            (Operator::Otherwise, value) if !value.is_null() => return Ok(first),
            (Operator::Otherwise, _) => return self.value(right),
            (Operator::And, Value::Null | Value::Boolean(false)) => {
                return Ok(Cow::Owned(Value::Boolean(false)));
            }
            (Operator::Or, Value::Boolean(true)) => return Ok(first),
            _ => {}
        }
        let second = self.value(right)?;
        lift(&[&first, &second], &mut |plain| apply(operator, plain[0], plain[1])).map(Cow::Owned).map_err(failed(span))
    }
}

fn apply(operator: Operator, left: &Value, right: &Value) -> Result<Value, String> {
    let truth = match operator {
        Operator::Otherwise => {
            return Ok(if left.is_null() { right.clone() } else { left.clone() });
        }
        Operator::And => is_true(left)? && is_true(right)?,
        Operator::Or => is_true(left)? || is_true(right)?,
        Operator::Equal => equal(left, right),
        Operator::NotEqual => !equal(left, right),
        Operator::In => return contains(left, right),
        Operator::Less => return ordered(left, right, Ordering::is_lt),
        Operator::LessOrEqual => return ordered(left, right, Ordering::is_le),
        Operator::Greater => return ordered(left, right, Ordering::is_gt),
        Operator::GreaterOrEqual => return ordered(left, right, Ordering::is_ge),
    };
    Ok(Value::Boolean(truth))
}

#[expect(clippy::cast_precision_loss, reason = "a whole number is compared with a fraction as fractions are")]
fn equal(left: &Value, right: &Value) -> bool {
    match (left, right) {
        (Value::Integer(whole), Value::Number(number)) | (Value::Number(number), Value::Integer(whole)) => {
            *whole as f64 == *number
        }
        (Value::Reference(address), Value::Text(text)) | (Value::Text(text), Value::Reference(address)) => {
            address.to_string() == *text
        }
        _ => left == right,
    }
}

fn contains(item: &Value, whole: &Value) -> Result<Value, String> {
    match (item, whole) {
        (_, Value::Null) => Ok(Value::Boolean(false)),
        (Value::Null, Value::Text(_) | Value::Record(_)) => Ok(Value::Boolean(false)),
        (_, Value::List(items)) => Ok(Value::Boolean(items.iter().any(|one| equal(item, one)))),
        (Value::Text(part), Value::Text(text)) => Ok(Value::Boolean(text.contains(part.as_str()))),
        (Value::Text(name), Value::Record(fields)) => Ok(Value::Boolean(fields.contains_key(name))),
        (_, other) => Err(format!(
            "`in` looks for a {} in a {}; it looks in lists, texts and records",
            item.kind_name(),
            other.kind_name()
        )),
    }
}

/// Null is in no order: a comparison with it does not hold.
#[expect(clippy::cast_precision_loss, reason = "a whole number is compared with a fraction as fractions are")]
fn ordered(left: &Value, right: &Value, holds: impl Fn(Ordering) -> bool) -> Result<Value, String> {
    let order = match (left, right) {
        (Value::Null, _) | (_, Value::Null) => return Ok(Value::Boolean(false)),
        (Value::Integer(a), Value::Integer(b)) => Some(a.cmp(b)),
        (Value::Integer(a), Value::Number(b)) => (*a as f64).partial_cmp(b),
        (Value::Number(a), Value::Integer(b)) => a.partial_cmp(&(*b as f64)),
        (Value::Number(a), Value::Number(b)) => a.partial_cmp(b),
        (Value::Text(a), Value::Text(b)) => Some(a.cmp(b)),
        _ => {
            return Err(format!("{} and {} have no order between them", left.kind_name(), right.kind_name()));
        }
    };
    Ok(Value::Boolean(order.is_some_and(holds)))
}
