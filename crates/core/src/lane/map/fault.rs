//! Why an entry cannot go.

use crate::value::LanguageTag;

/// Why an entry cannot go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// The destination field, `when`, or the rule.
    pub field: String,
    /// The language, where it is one language's fault.
    pub language: Option<LanguageTag>,
    /// What is wrong.
    pub message: String,
}

/// Faults in words, one of several languages told once: `byline@cy,en is required`.
#[must_use]
pub fn describe_faults(faults: &[Fault]) -> Vec<String> {
    let mut told: Vec<(&Fault, Vec<&str>)> = Vec::new();
    for fault in faults {
        let same =
            |(known, _): &&mut (&Fault, Vec<&str>)| (&known.field, &known.message) == (&fault.field, &fault.message);
        let language = fault.language.as_ref().map(LanguageTag::as_str);
        match told.iter_mut().find(same) {
            Some((_, languages)) => languages.extend(language),
            None => told.push((fault, language.into_iter().collect())),
        }
    }
    let words = |(fault, languages): &(&Fault, Vec<&str>)| match languages.as_slice() {
        [] => format!("{} {}", fault.field, fault.message),
        languages => format!("{}@{} {}", fault.field, languages.join(","), fault.message),
    };
    told.iter().map(words).collect()
}
