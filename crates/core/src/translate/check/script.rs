//! The letters that a language is written in (scripts and their names by Unicode, languages by CLDR).

use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

use icu_properties::props::Script;
use icu_properties::script::ScriptWithExtensions;
use icu_properties::{PropertyNamesLong, PropertyParser};

use crate::translate::variety::scripts;
use crate::value::LanguageTag;

/// The letters of a language, and what they are called.
#[derive(Debug, PartialEq)]
struct Letters {
    scripts: Vec<Script>,
    name: String,
}

/// Known letters by language: CLDR is asked once for each.
static KNOWN: LazyLock<Mutex<HashMap<LanguageTag, Arc<Letters>>>> = LazyLock::new(Mutex::default);

fn letters(language: &LanguageTag) -> Arc<Letters> {
    let mut known = KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
    Arc::clone(known.entry(language.clone()).or_insert_with(|| Arc::new(letters_of(language))))
}

fn letters_of(language: &LanguageTag) -> Letters {
    let mut own = Vec::new();
    let mut names = BTreeSet::new();
    for code in scripts(language) {
        // Some codes stand for several scripts of Unicode (ISO 15924).
        let (parts, name): (&[Script], Option<&str>) = match code.as_str() {
            "Jpan" => (&[Script::Han, Script::Hiragana, Script::Katakana], Some("Japanese")),
            "Kore" => (&[Script::Hangul, Script::Han], Some("Korean")),
            "Hans" | "Hant" | "Hani" | "Hanb" => (&[Script::Han, Script::Bopomofo], Some("Chinese")),
            _ => (&[], None),
        };
        let single = PropertyParser::<Script>::new().get_strict(code.as_str());
        own.extend(parts.iter().copied().chain(single.filter(|_| parts.is_empty())));
        let long = single.and_then(|script| PropertyNamesLong::<Script>::new().get(script));
        names.extend(name.or(long).map(|name| name.replace('_', " ")));
    }
    Letters { scripts: own, name: names.into_iter().collect::<Vec<_>>().join(" or ") }
}

/// Half of the letters may be names and the like; where all that is foreign stands in the source
/// too, more may.
pub(in crate::translate) fn check(language: &LanguageTag, source: &str, target: &str) -> Option<String> {
    let letters = letters(language);
    if letters.scripts.is_empty() {
        return None;
    }
    let by_character = ScriptWithExtensions::new();
    let (mut own, mut foreign) = (0_usize, 0_usize);
    for word in target.split_whitespace() {
        let known = source.contains(word);
        for c in word.chars().filter(|c| c.is_alphabetic()) {
            if letters.scripts.iter().any(|script| by_character.has_script(c, *script)) {
                own += 1;
            } else if !known {
                foreign += 1;
            }
        }
    }
    (foreign > own).then(|| format!("it is not in {} letters", letters.name))
}
