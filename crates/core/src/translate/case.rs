//! In which case a text of a message counts.

use std::fmt;

use serde::{Deserialize, Serialize};

use super::plural::{Counting, PluralForm, Plurals};
use crate::value::LanguageTag;

/// In which case a text counts.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Case {
    /// Where a number goes with this plural form.
    Plural {
        /// The variable that is counted.
        argument: String,
        /// What is counted.
        counting: Counting,
        /// The form.
        form: PluralForm,
    },
    /// Where a variable is this: a word of a `select`, or `=1`.
    Choice {
        /// The variable.
        argument: String,
        /// What it is.
        selector: String,
    },
}

impl Case {
    /// Whether the language has it.
    #[must_use]
    pub fn is_of(&self, language: &LanguageTag) -> bool {
        match self {
            Case::Plural { counting, form, .. } => Plurals::of(language, *counting).forms().contains(form),
            Case::Choice { .. } => true,
        }
    }

    /// It in words, for a translator into a language: `where count is 2, 3, 4 (few)`.
    #[must_use]
    pub fn told(&self, into: &LanguageTag) -> String {
        match self {
            Case::Choice { argument, selector } => {
                format!("where {argument} is {}", selector.strip_prefix('=').unwrap_or(selector))
            }
            Case::Plural { argument, counting, form } => {
                let numbers: Vec<String> =
                    Plurals::of(into, *counting).examples(*form, 5).iter().map(u64::to_string).collect();
                let numbers = if numbers.is_empty() { "a fraction".to_owned() } else { numbers.join(", ") };
                let what = if *counting == Counting::Ordinal { "the place in a row" } else { "the number" };
                format!("where {what} {argument} is {numbers} … ({form})")
            }
        }
    }
}

impl fmt::Display for Case {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            // The same form is the same whatever is counted.
            Case::Plural { counting: Counting::Cardinal, form, .. } => f.pad(&format!("{form}")),
            Case::Plural { counting: Counting::Ordinal, form, .. } => f.pad(&format!("ordinal {form}")),
            Case::Choice { argument, selector } => f.pad(&format!("{argument}={selector}")),
        }
    }
}
