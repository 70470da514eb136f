//! What operators make of values that have no languages.

use std::cmp::Ordering;

use super::ast::Operator;
use crate::text::moment;
use crate::value::Value;

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

/// What an operator makes of two values without languages.
///
/// # Errors
/// Where it takes no such values.
pub(super) fn apply(operator: Operator, left: &Value, right: &Value) -> Result<Value, String> {
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
        Operator::Add => return sum(left, right),
        Operator::Subtract | Operator::Multiply | Operator::Divide | Operator::Remainder => {
            return arithmetic(left, operator, right);
        }
    };
    Ok(Value::Boolean(truth))
}

#[expect(clippy::cast_precision_loss, reason = "a whole number is compared with a fraction as fractions are")]
fn equal(left: &Value, right: &Value) -> bool {
    match (left, right) {
        (Value::Integer(whole), Value::Number(number)) | (Value::Number(number), Value::Integer(whole)) => {
            *whole as f64 == *number
        }
        // One instant can be written in many offsets.
        (Value::Text(a), Value::Text(b)) => a == b || moment::instant(a).is_some() && moment::order(a, b).is_eq(),
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
            "`in` looks in lists, texts and records, and this looks for {} in {}",
            item.kind_name(),
            other.kind_name()
        )),
    }
}

/// Null is in no order: a comparison with it does not hold.
fn ordered(left: &Value, right: &Value, holds: impl Fn(Ordering) -> bool) -> Result<Value, String> {
    let order = match (left, right) {
        (Value::Null, _) | (_, Value::Null) => return Ok(Value::Boolean(false)),
        (Value::Text(a), Value::Text(b)) => Some(moment::order(a, b)),
        (Value::Integer(_) | Value::Number(_), Value::Integer(_) | Value::Number(_)) => compare(left, right),
        _ => {
            return Err(format!("{} and {} have no order between them", left.kind_name(), right.kind_name()));
        }
    };
    Ok(Value::Boolean(order.is_some_and(holds)))
}

/// The order of two numbers.
#[expect(clippy::cast_precision_loss, reason = "a whole number is compared with a fraction as fractions are")]
pub(super) fn compare(left: &Value, right: &Value) -> Option<Ordering> {
    match (left, right) {
        (Value::Integer(a), Value::Integer(b)) => Some(a.cmp(b)),
        (Value::Integer(a), Value::Number(b)) => (*a as f64).partial_cmp(b),
        (Value::Number(a), Value::Integer(b)) => a.partial_cmp(&(*b as f64)),
        (Value::Number(a), Value::Number(b)) => a.partial_cmp(b),
        _ => None,
    }
}

/// What `+` and `replace` make at most: doubling a few times fills any memory.
pub(super) const LONGEST_TEXT: usize = 16 << 20;
const LONGEST_LIST: usize = 1 << 20;

/// Numbers are added up; texts, with numbers among them, and lists follow each other. A missing
/// list counts as an empty one, and any other missing value makes the sum null.
pub(super) fn sum(left: &Value, right: &Value) -> Result<Value, String> {
    match (left, right) {
        (Value::List(one), Value::List(other)) if one.len() + other.len() > LONGEST_LIST => {
            Err(format!("a list may have {LONGEST_LIST} items"))
        }
        (Value::List(one), Value::List(other)) => Ok(Value::List(one.iter().chain(other).cloned().collect())),
        (Value::List(one), Value::Null) | (Value::Null, Value::List(one)) => Ok(Value::List(one.clone())),
        (Value::Null, _) | (_, Value::Null) => Ok(Value::Null),
        (Value::Text(_), other) | (other, Value::Text(_)) if other.scalar_text().is_some() => {
            let text = |value: &Value| value.scalar_text().unwrap_or_default().into_owned();
            let (left, right) = (text(left), text(right));
            if left.len() + right.len() > LONGEST_TEXT {
                return Err(format!("a text may have {LONGEST_TEXT} bytes"));
            }
            Ok(Value::Text(left + &right))
        }
        (Value::Integer(_) | Value::Number(_), Value::Integer(_) | Value::Number(_)) => {
            arithmetic(left, Operator::Add, right)
        }
        _ => Err(format!("{} and {} cannot be added", left.kind_name(), right.kind_name())),
    }
}

fn arithmetic(left: &Value, operator: Operator, right: &Value) -> Result<Value, String> {
    let symbol = operator.symbol();
    let too_large = || format!("the result of `{symbol}` is too large");
    match (left, right) {
        (Value::Null, _) | (_, Value::Null) => Ok(Value::Null),
        (Value::Integer(_) | Value::Number(_), Value::Integer(0)) if operator == Operator::Divide => {
            Err("division by zero".to_owned())
        }
        (Value::Integer(_), Value::Integer(0)) if operator == Operator::Remainder => Err("division by zero".to_owned()),
        (Value::Integer(a), Value::Integer(b)) if operator != Operator::Divide => {
            let whole = match operator {
                Operator::Add => a.checked_add(*b),
                Operator::Subtract => a.checked_sub(*b),
                Operator::Multiply => a.checked_mul(*b),
                _ => a.checked_rem_euclid(*b),
            };
            whole.map(Value::Integer).ok_or_else(too_large)
        }
        (left, right) => {
            let wrong = |value: &Value| format!("`{symbol}` takes numbers, not {}", value.kind_name());
            let a = as_number(left).ok_or_else(|| wrong(left))?;
            let b = as_number(right).ok_or_else(|| wrong(right))?;
            let number = match operator {
                Operator::Add => a + b,
                Operator::Subtract => a - b,
                Operator::Multiply => a * b,
                Operator::Divide => a / b,
                _ => return Err("`%` takes whole numbers".to_owned()),
            };
            if number.is_finite() { Ok(Value::Number(number)) } else { Err(too_large()) }
        }
    }
}

#[expect(clippy::cast_precision_loss, reason = "a whole number counts as the nearest fraction")]
fn as_number(value: &Value) -> Option<f64> {
    match value {
        Value::Integer(whole) => Some(*whole as f64),
        Value::Number(number) => Some(*number),
        _ => None,
    }
}
