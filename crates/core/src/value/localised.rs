//! A value per language, and reading one language out of a value that has several.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use super::{LanguageTag, Value};

/// A value per language.
pub type Localised = BTreeMap<LanguageTag, Value>;

/// All languages that occur anywhere in the value, however deep.
#[must_use]
pub fn languages_of(value: &Value) -> BTreeSet<&LanguageTag> {
    let mut found = BTreeSet::new();
    gather(value, &mut found);
    found
}

fn gather<'a>(value: &'a Value, found: &mut BTreeSet<&'a LanguageTag>) {
    match value {
        Value::Localised(by_language) => found.extend(by_language.keys()),
        Value::List(items) => items.iter().for_each(|item| gather(item, found)),
        Value::Record(fields) => fields.values().for_each(|field| gather(field, found)),
        _ => {}
    }
}

/// The value as one language has it: every localised part is replaced by what it says in that
/// language, or null.
#[must_use]
pub fn project<'a>(value: &'a Value, language: &LanguageTag) -> Cow<'a, Value> {
    match value {
        Value::Localised(by_language) => match by_language.get(language) {
            Some(inner) => project(inner, language),
            None => Cow::Owned(Value::Null),
        },
        Value::List(items) if !languages_of(value).is_empty() => {
            Cow::Owned(Value::List(items.iter().map(|item| project(item, language).into_owned()).collect()))
        }
        Value::Record(fields) if !languages_of(value).is_empty() => Cow::Owned(Value::Record(
            fields.iter().map(|(name, field)| (name.clone(), project(field, language).into_owned())).collect(),
        )),
        plain => Cow::Borrowed(plain),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn projection_reaches_into_lists() {
        let en: LanguageTag = "en".parse().unwrap();
        let cy: LanguageTag = "cy".parse().unwrap();
        let fern = Value::Localised([(en.clone(), "fern".into()), (cy.clone(), "rhedyn".into())].into());
        let moss = Value::Localised([(en.clone(), "moss".into())].into());
        let list = Value::List(vec![fern, moss, "plain".into()]);
        assert_eq!(languages_of(&list).into_iter().cloned().collect::<Vec<_>>(), [cy.clone(), en.clone()]);
        assert_eq!(*project(&list, &cy), Value::List(vec!["rhedyn".into(), Value::Null, "plain".into()]));
        assert_eq!(*project(&list, &en), Value::List(vec!["fern".into(), "moss".into(), "plain".into()]));
    }
}
