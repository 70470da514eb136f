//! Plural forms by language (UTS #35, part 3, "Language Plural Rules"; the rules are those of Unicode CLDR).

use std::fmt;
use std::str::FromStr;

use icu_locale::Locale;
use icu_plurals::{PluralCategory, PluralRuleType, PluralRules, PluralRulesOptions};
use serde::{Deserialize, Serialize};

use crate::value::LanguageTag;

/// What is counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Counting {
    /// How many: one fern, two ferns.
    Cardinal,
    /// Which in a row: the first fern, the second fern.
    Ordinal,
}

/// A plural form, in the order in which they are listed everywhere.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PluralForm {
    /// `zero`.
    Zero,
    /// `one`.
    One,
    /// `two`.
    Two,
    /// `few`.
    Few,
    /// `many`.
    Many,
    /// `other`, which every language has.
    Other,
}

/// A word that names no plural form.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("it is no plural form")]
pub struct PluralFormError;

impl PluralForm {
    /// Every form with its word.
    pub const WORDS: [(&str, PluralForm); 6] = [
        ("zero", PluralForm::Zero),
        ("one", PluralForm::One),
        ("two", PluralForm::Two),
        ("few", PluralForm::Few),
        ("many", PluralForm::Many),
        ("other", PluralForm::Other),
    ];
}

impl fmt::Display for PluralForm {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(Self::WORDS.iter().find(|(_, known)| known == self).map_or("", |(word, _)| word))
    }
}

impl FromStr for PluralForm {
    type Err = PluralFormError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        Self::WORDS.iter().find(|(word, _)| *word == text).map(|(_, form)| *form).ok_or(PluralFormError)
    }
}

/// The plural forms of a language.
pub struct Plurals {
    /// None of a language that CLDR does not know: it has `other` alone, as CLDR's root has.
    rules: Option<PluralRules>,
}

/// Numbers up to here show every form but those of millions.
const SHOWN: u64 = 200;

impl Plurals {
    /// Those of a language.
    #[must_use]
    pub fn of(language: &LanguageTag, counting: Counting) -> Plurals {
        let kind = match counting {
            Counting::Cardinal => PluralRuleType::Cardinal,
            Counting::Ordinal => PluralRuleType::Ordinal,
        };
        let rules = Locale::try_from_str(language.as_str())
            .ok()
            .and_then(|locale| PluralRules::try_new(locale.into(), PluralRulesOptions::default().with_type(kind)).ok());
        Plurals { rules }
    }

    /// The forms that the language has, in their order.
    #[must_use]
    pub fn forms(&self) -> Vec<PluralForm> {
        let mut forms: Vec<PluralForm> =
            self.rules.iter().flat_map(|rules| rules.categories().map(form_of).collect::<Vec<_>>()).collect();
        if !forms.contains(&PluralForm::Other) {
            forms.push(PluralForm::Other);
        }
        forms.sort_unstable();
        forms.dedup();
        forms
    }

    /// The form that goes with a number.
    #[must_use]
    pub fn form(&self, number: u64) -> PluralForm {
        self.rules.as_ref().map_or(PluralForm::Other, |rules| form_of(rules.category_for(number)))
    }

    /// The first whole numbers with which a form goes; none of one that goes with fractions alone.
    #[must_use]
    pub fn examples(&self, form: PluralForm, most: usize) -> Vec<u64> {
        let millions = [1_000_000_u64];
        (0..=SHOWN).chain(millions).filter(|number| self.form(*number) == form).take(most).collect()
    }
}

fn form_of(category: PluralCategory) -> PluralForm {
    match category {
        PluralCategory::Zero => PluralForm::Zero,
        PluralCategory::One => PluralForm::One,
        PluralCategory::Two => PluralForm::Two,
        PluralCategory::Few => PluralForm::Few,
        PluralCategory::Many => PluralForm::Many,
        PluralCategory::Other => PluralForm::Other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_are_those_of_the_language() {
        for (language, counting, expected, numbers) in [
            ("en", Counting::Cardinal, "one other", vec![1]),
            ("en-GB", Counting::Ordinal, "one two few other", vec![1, 21, 31]),
            ("ja", Counting::Cardinal, "other", vec![0, 1, 2]),
            ("cy", Counting::Cardinal, "zero one two few many other", vec![0]),
            ("ar", Counting::Cardinal, "zero one two few many other", vec![0]),
            ("pl", Counting::Cardinal, "one few many other", vec![1]),
            ("fr", Counting::Cardinal, "one many other", vec![0, 1]),
            ("qqq", Counting::Cardinal, "other", vec![0, 1, 2]),
        ] {
            let plurals = Plurals::of(&language.parse().unwrap(), counting);
            let forms = plurals.forms();
            let words: Vec<String> = forms.iter().map(PluralForm::to_string).collect();
            assert_eq!(words.join(" "), expected, "{language}");
            let first = forms[0];
            assert_eq!(plurals.examples(first, 3), numbers, "{language}");
        }
        let french = Plurals::of(&"fr".parse().unwrap(), Counting::Cardinal);
        assert_eq!(french.examples(PluralForm::Many, 3), [1_000_000]);
    }
}
