//! Phrases that say what a text is about, after Rose, Engel, Cramer and Cowley: *Automatic Keyword
//! Extraction from Individual Documents* (2010). Candidates are the words between stop words and
//! punctuation; a word scores its degree (how many words it stands with) over its frequency, a
//! phrase the sum of its words.

use std::collections::{BTreeMap, HashSet};
use std::sync::OnceLock;

use foldhash::fast::FixedState;
use stop_words::Language;
use unicode_segmentation::UnicodeSegmentation;

/// A phrase and its score.
#[derive(Debug, Clone, PartialEq)]
pub struct Phrase {
    /// The phrase, in lower case.
    pub text: String,
    /// Its score; greater says more.
    pub score: f64,
}

/// Candidates with more words than this are lists, not phrases.
const LONGEST_PHRASE: usize = 4;

/// The phrases of a plain text, those that say most first; equal ones as they come in the text.
#[must_use]
pub fn phrases(text: &str, language: &str) -> Vec<Phrase> {
    let candidates = candidates(text, stop_words(language));
    let (mut frequency, mut degree) = (BTreeMap::<&str, u32>::new(), BTreeMap::<&str, u32>::new());
    for candidate in &candidates {
        for word in candidate {
            *frequency.entry(word).or_default() += 1;
            *degree.entry(word).or_default() += u32::try_from(candidate.len()).unwrap_or(u32::MAX);
        }
    }
    let word_score = |word: &String| {
        let of = |counts: &BTreeMap<&str, u32>| f64::from(counts.get(word.as_str()).copied().unwrap_or(1));
        of(&degree) / of(&frequency)
    };
    let mut found: Vec<Phrase> = Vec::new();
    for candidate in &candidates {
        let text = candidate.join(" ");
        if !found.iter().any(|known| known.text == text) {
            found.push(Phrase { text, score: candidate.iter().map(word_score).sum() });
        }
    }
    found.sort_by(|a, b| b.score.total_cmp(&a.score));
    found
}

/// The sentences of a plain text that say most, as many as asked for, in the order of the text.
#[must_use]
pub fn summary(text: &str, sentences: usize, language: &str) -> String {
    let all: Vec<&str> = text.unicode_sentences().map(str::trim).filter(|sentence| !sentence.is_empty()).collect();
    if all.len() <= sentences {
        return all.join(" ");
    }
    let phrases = phrases(text, language);
    let score = |sentence: &str| -> f64 {
        let lower = sentence.to_lowercase();
        let said: f64 = phrases.iter().filter(|phrase| lower.contains(&phrase.text)).map(|phrase| phrase.score).sum();
        // A long sentence holds more phrases without saying more.
        said / f64::from(u32::try_from(sentence.unicode_words().count()).unwrap_or(u32::MAX)).max(1.0).sqrt()
    };
    let mut ranked: Vec<(usize, f64)> =
        all.iter().enumerate().map(|(place, sentence)| (place, score(sentence))).collect();
    ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    let mut kept: Vec<usize> = ranked.into_iter().take(sentences).map(|(place, _)| place).collect();
    kept.sort_unstable();
    kept.into_iter().map(|place| all[place]).collect::<Vec<_>>().join(" ")
}

/// A word without what an apostrophe joins to it: `l'eau`, `Mae'r`, `fern's`.
fn stem(word: &str) -> &str {
    match word.split_once(['\'', '’']) {
        Some((before, after)) if after.chars().count() <= 2 => before,
        Some((before, after)) if before.chars().count() <= 2 => after,
        _ => word,
    }
}

fn candidates(text: &str, stop: &HashSet<&str, FixedState>) -> Vec<Vec<String>> {
    let mut all = Vec::new();
    let mut current: Vec<String> = Vec::new();
    let close = |current: &mut Vec<String>, all: &mut Vec<Vec<String>>| {
        let candidate = std::mem::take(current);
        if !candidate.is_empty() && candidate.len() <= LONGEST_PHRASE {
            all.push(candidate);
        }
    };
    for part in text.split_word_bounds() {
        let is_word = part.chars().any(char::is_alphanumeric);
        let lower = stem(part).to_lowercase();
        if is_word && !stop.contains(lower.as_str()) && !part.chars().all(char::is_numeric) {
            current.push(lower);
        } else if is_word || !(part.chars().all(|c| c == ' ') || matches!(part, "-" | "'" | "’")) {
            close(&mut current, &mut all);
        }
    }
    close(&mut current, &mut all);
    all
}

/// The languages with stop words of their own; any other is read without.
pub const LANGUAGES: &[&str] = &["en", "fr", "de", "es", "it", "nl", "pt", "sv", "da", "fi", "no", "cy"];

/// The commonest Welsh words, of which no list comes with the crate.
const WELSH: &[&str] = &[
    "a", "ac", "am", "ar", "arall", "at", "bod", "bob", "byddai", "bydd", "chi", "dan", "dim", "dros", "drwy", "eu",
    "ei", "ein", "er", "fel", "fod", "fy", "gan", "gyda", "hefyd", "heb", "hi", "hon", "hwn", "hyn", "i", "iawn",
    "mae", "mai", "maen", "mewn", "mi", "na", "nad", "neu", "ni", "nid", "nhw", "o", "oedd", "oes", "ond", "os", "pan",
    "roedd", "rhai", "rhwng", "sy", "sydd", "trwy", "tra", "un", "wedi", "wrth", "y", "yma", "yn", "yna", "yr", "ym",
    "yw", "ydy", "â", "ôl",
];

/// Which share of these words, in small letters, are the commonest of a language; none of a language
/// whose commonest words are not known.
#[must_use]
pub fn stop_word_share(language: &str, words: &[String]) -> Option<f64> {
    let known = stop_words(language);
    if known.is_empty() || words.is_empty() {
        return None;
    }
    let count = words.iter().filter(|word| known.contains(word.as_str())).count();
    #[expect(clippy::cast_precision_loss, reason = "a text has few words")]
    Some(count as f64 / words.len() as f64)
}

fn stop_words(language: &str) -> &'static HashSet<&'static str, FixedState> {
    static LISTS: OnceLock<BTreeMap<&'static str, HashSet<&'static str, FixedState>>> = OnceLock::new();
    static NONE: OnceLock<HashSet<&'static str, FixedState>> = OnceLock::new();
    let lists = LISTS.get_or_init(|| {
        let list = |language: &&'static str| {
            let words: &'static [&'static str] = match *language {
                "fr" => stop_words::get(Language::French),
                "de" => stop_words::get(Language::German),
                "es" => stop_words::get(Language::Spanish),
                "it" => stop_words::get(Language::Italian),
                "nl" => stop_words::get(Language::Dutch),
                "pt" => stop_words::get(Language::Portuguese),
                "sv" => stop_words::get(Language::Swedish),
                "da" => stop_words::get(Language::Danish),
                "fi" => stop_words::get(Language::Finnish),
                "no" => stop_words::get(Language::Norwegian),
                "cy" => WELSH,
                _ => stop_words::get(Language::English),
            };
            (*language, words.iter().copied().collect())
        };
        LANGUAGES.iter().map(list).collect()
    });
    let primary = language.split('-').next().unwrap_or(language);
    lists.get(primary).unwrap_or_else(|| NONE.get_or_init(HashSet::default))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The abstract that the paper itself works through.
    const ABSTRACT: &str = "Compatibility of systems of linear constraints over the set of natural numbers. Criteria of \
        compatibility of a system of linear Diophantine equations, strict inequations, and nonstrict inequations are considered. \
        Upper bounds for components of a minimal set of solutions and algorithms of construction of minimal generating sets of \
        solutions for all types of systems are given. These criteria and the corresponding algorithms for constructing a minimal \
        supporting set of solutions can be used in solving all the considered types of systems and systems of mixed types.";

    #[test]
    fn the_phrases_of_the_papers_own_example_come_first() {
        let found = phrases(ABSTRACT, "en");
        let first: Vec<&str> = found.iter().take(4).map(|phrase| phrase.text.as_str()).collect();
        assert!(first.contains(&"minimal generating sets"), "{found:?}");
        assert!(first.contains(&"linear diophantine equations"), "{found:?}");
    }

    #[test]
    fn in_other_languages_and_none() {
        let french = phrases("La fougère royale est une grande fougère des marais.", "fr-CA");
        assert_eq!(french[0].text, "fougère royale");
        assert_eq!(phrases("Mae'r rhedynen gyfrdwy yn tyfu yn y gors", "cy")[0].text.split(' ').count(), 2);
        assert!(phrases("", "en").is_empty());
    }

    #[test]
    fn a_summary_keeps_the_order() {
        let short = summary(ABSTRACT, 2, "en");
        assert!(ABSTRACT.contains(short.split(". ").next().unwrap_or("-")), "{short}");
        assert_eq!(summary("One. Two.", 5, "en"), "One. Two.");
    }
}
