//! The letters that a language is written in (ISO 15924, by the likely subtags of Unicode CLDR).

use std::sync::LazyLock;

use regex::Regex;

use crate::value::LanguageTag;

/// Scripts, what they are called, and the characters that are theirs.
const SCRIPTS: [(&str, &str, &str); 16] = [
    ("Latn", "Latin", r"\p{Latin}"),
    ("Cyrl", "Cyrillic", r"\p{Cyrillic}"),
    ("Grek", "Greek", r"\p{Greek}"),
    ("Arab", "Arabic", r"\p{Arabic}"),
    ("Hebr", "Hebrew", r"\p{Hebrew}"),
    ("Deva", "Devanagari", r"\p{Devanagari}"),
    ("Beng", "Bengali", r"\p{Bengali}"),
    ("Guru", "Gurmukhi", r"\p{Gurmukhi}"),
    ("Gujr", "Gujarati", r"\p{Gujarati}"),
    ("Taml", "Tamil", r"\p{Tamil}"),
    ("Telu", "Telugu", r"\p{Telugu}"),
    ("Thai", "Thai", r"\p{Thai}"),
    ("Geor", "Georgian", r"\p{Georgian}"),
    ("Armn", "Armenian", r"\p{Armenian}"),
    ("Jpan", "Japanese", r"[\p{Han}\p{Hiragana}\p{Katakana}ー]"),
    ("Kore", "Korean", r"[\p{Hangul}\p{Han}]"),
];

/// Languages that are not written in Latin letters by themselves.
const USUAL: [(&str, &str); 30] = [
    ("ru", "Cyrl"),
    ("uk", "Cyrl"),
    ("be", "Cyrl"),
    ("bg", "Cyrl"),
    ("mk", "Cyrl"),
    ("sr", "Cyrl"),
    ("kk", "Cyrl"),
    ("mn", "Cyrl"),
    ("el", "Grek"),
    ("ar", "Arab"),
    ("fa", "Arab"),
    ("ur", "Arab"),
    ("ps", "Arab"),
    ("he", "Hebr"),
    ("yi", "Hebr"),
    ("hi", "Deva"),
    ("mr", "Deva"),
    ("ne", "Deva"),
    ("bn", "Beng"),
    ("pa", "Guru"),
    ("gu", "Gujr"),
    ("ta", "Taml"),
    ("te", "Telu"),
    ("th", "Thai"),
    ("ka", "Geor"),
    ("hy", "Armn"),
    ("ja", "Jpan"),
    ("zh", "Hani"),
    ("yue", "Hani"),
    ("ko", "Kore"),
];

#[expect(clippy::expect_used, reason = "the patterns are constants that every test of checks compiles")]
static PATTERNS: LazyLock<Vec<Regex>> =
    LazyLock::new(|| SCRIPTS.iter().map(|(_, _, pattern)| Regex::new(pattern).expect("a pattern")).collect());
#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of checks compiles")]
static HAN: LazyLock<Regex> = LazyLock::new(|| Regex::new(r"\p{Han}").expect("a pattern"));

/// What a language is written in: the script of its tag, or else its usual one. None where we do not
/// know the script.
fn script_of(language: &LanguageTag) -> Option<(&'static str, &'static Regex)> {
    let mut subtags = language.as_str().split('-');
    let primary = subtags.next().unwrap_or_default();
    let said = subtags.take_while(|subtag| subtag.len() > 2).find(|subtag| subtag.len() == 4);
    let usual = USUAL.iter().find(|(known, _)| *known == primary).map(|(_, script)| *script);
    match said.or(usual).unwrap_or("Latn") {
        "Hani" | "Hans" | "Hant" => Some(("Chinese", &HAN)),
        script => {
            let place = SCRIPTS.iter().position(|(known, _, _)| *known == script)?;
            Some((SCRIPTS.get(place)?.1, PATTERNS.get(place)?))
        }
    }
}

/// Half of the letters may be names and the like; where all that is foreign stands in the source
/// too, more may.
pub(super) fn check(language: &LanguageTag, source: &str, target: &str) -> Option<String> {
    let (name, pattern) = script_of(language)?;
    let mut buffer = [0; 4];
    let (mut own, mut foreign) = (0_usize, 0_usize);
    for word in target.split_whitespace() {
        let known = source.contains(word);
        for c in word.chars().filter(|c| c.is_alphabetic()) {
            if pattern.is_match(c.encode_utf8(&mut buffer)) {
                own += 1;
            } else if !known {
                foreign += 1;
            }
        }
    }
    (foreign > own).then(|| format!("it is not in {name} letters"))
}
