//! Lifting: what is done to a plain value is done to a localised one language by language.

use std::borrow::Cow;
use std::collections::BTreeSet;

use crate::value::{LanguageTag, Localised, Value, languages_of, project};

/// Applies a function to values, once where none of them has languages, else once per language
/// that any of them has. A language for which the result is null is left out.
///
/// # Errors
/// The first that the function has.
pub fn lift<E>(values: &[&Value], apply: &mut dyn FnMut(&[&Value]) -> Result<Value, E>) -> Result<Value, E> {
    // The commonest case: one localised text, and arguments that are the same in every language.
    if let [Value::Localised(by_language), rest @ ..] = values
        && by_language.values().chain(rest.iter().copied()).all(is_scalar)
        && !by_language.is_empty()
    {
        return over_one(by_language, values, apply);
    }
    if !values.iter().any(|value| has_languages(value)) {
        return apply(values);
    }
    let languages: BTreeSet<_> = values.iter().flat_map(|value| languages_of(value)).collect();
    lift_over(&languages, values, apply)
}

/// Whether there is a localised value anywhere in it, even one that says nothing.
fn has_languages(value: &Value) -> bool {
    match value {
        Value::Localised(_) => true,
        Value::List(items) => items.iter().any(has_languages),
        Value::Record(fields) => fields.values().any(has_languages),
        _ => false,
    }
}

fn is_scalar(value: &Value) -> bool {
    !matches!(value, Value::Localised(_) | Value::List(_) | Value::Record(_))
}

fn over_one<E>(
    by_language: &Localised,
    values: &[&Value],
    apply: &mut dyn FnMut(&[&Value]) -> Result<Value, E>,
) -> Result<Value, E> {
    let mut plain = values.to_vec();
    let mut result = Localised::new();
    for (language, inner) in by_language {
        plain[0] = inner;
        let value = apply(&plain)?;
        if !value.is_null() {
            result.insert(language.clone(), value);
        }
    }
    Ok(Value::Localised(result))
}

/// The same for values that are localised themselves; what is in them keeps its languages.
pub(super) fn lift_top<E>(values: &[&Value], apply: &mut dyn FnMut(&[&Value]) -> Result<Value, E>) -> Result<Value, E> {
    if !values.iter().any(|value| matches!(value, Value::Localised(_))) {
        return apply(values);
    }
    let mut result = Localised::new();
    let languages: BTreeSet<&LanguageTag> = values.iter().flat_map(|value| own_languages(value)).collect();
    if languages.is_empty() {
        return once(values, apply);
    }
    for language in languages {
        let plain: Vec<&Value> = values
            .iter()
            .map(|value| match value {
                Value::Localised(by_language) => by_language.get(language).unwrap_or(&Value::Null),
                plain => plain,
            })
            .collect();
        let value = apply(&plain)?;
        if !value.is_null() {
            result.insert(language.clone(), value);
        }
    }
    Ok(Value::Localised(result))
}

/// A localised value that says nothing in any language is null.
fn once<E>(values: &[&Value], apply: &mut dyn FnMut(&[&Value]) -> Result<Value, E>) -> Result<Value, E> {
    if !values.iter().any(|value| matches!(value, Value::Localised(_))) {
        return apply(values);
    }
    let plain: Vec<&Value> =
        values.iter().map(|value| if matches!(value, Value::Localised(_)) { &Value::Null } else { *value }).collect();
    apply(&plain)
}

fn own_languages(value: &Value) -> impl Iterator<Item = &LanguageTag> {
    let by_language = if let Value::Localised(by_language) = value { Some(by_language) } else { None };
    by_language.into_iter().flat_map(|by_language| by_language.keys())
}

fn lift_over<E>(
    languages: &BTreeSet<&LanguageTag>,
    values: &[&Value],
    apply: &mut dyn FnMut(&[&Value]) -> Result<Value, E>,
) -> Result<Value, E> {
    if languages.is_empty() {
        return once(values, apply);
    }
    let mut result = Localised::new();
    for &language in languages {
        let projected: Vec<Cow<'_, Value>> = values.iter().map(|value| project(value, language)).collect();
        let plain: Vec<&Value> = projected.iter().map(AsRef::as_ref).collect();
        let value = apply(&plain)?;
        if !value.is_null() {
            result.insert(language.clone(), value);
        }
    }
    Ok(Value::Localised(result))
}
