//! Lifting: what is done to a plain value is done to a localised one language by language.

use std::borrow::Cow;
use std::collections::BTreeSet;

use crate::value::{Localised, Value, languages_of, project};

/// Applies a function to values, once where none of them has languages, else once per language
/// that any of them has. A language for which the result is null is left out.
pub(super) fn lift<E>(values: &[&Value], apply: &mut dyn FnMut(&[&Value]) -> Result<Value, E>) -> Result<Value, E> {
    let languages: BTreeSet<_> = values.iter().flat_map(|value| languages_of(value)).collect();
    if languages.is_empty() {
        return apply(values);
    }
    let mut result = Localised::new();
    for language in languages {
        let projected: Vec<Cow<'_, Value>> = values.iter().map(|value| project(value, language)).collect();
        let plain: Vec<&Value> = projected.iter().map(AsRef::as_ref).collect();
        let value = apply(&plain)?;
        if !value.is_null() {
            result.insert(language.clone(), value);
        }
    }
    Ok(Value::Localised(result))
}
