//! Words in whatever form a sentence needs: by their stems (Porter, "Snowball", 2001).

use rust_stemmers::{Algorithm, Stemmer};
use unicode_segmentation::UnicodeSegmentation;

use crate::value::LanguageTag;

/// The stems of the words of a text; none of a language whose stems are not known.
pub(super) fn stems(language: &LanguageTag, text: &str) -> Option<Vec<String>> {
    let algorithm = match language.as_str().split('-').next()? {
        "ar" => Algorithm::Arabic,
        "da" => Algorithm::Danish,
        "nl" => Algorithm::Dutch,
        "en" => Algorithm::English,
        "fi" => Algorithm::Finnish,
        "fr" => Algorithm::French,
        "de" => Algorithm::German,
        "el" => Algorithm::Greek,
        "hu" => Algorithm::Hungarian,
        "it" => Algorithm::Italian,
        "no" | "nb" | "nn" => Algorithm::Norwegian,
        "pt" => Algorithm::Portuguese,
        "ro" => Algorithm::Romanian,
        "ru" => Algorithm::Russian,
        "es" => Algorithm::Spanish,
        "sv" => Algorithm::Swedish,
        "ta" => Algorithm::Tamil,
        "tr" => Algorithm::Turkish,
        _ => return None,
    };
    let stemmer = Stemmer::create(algorithm);
    // An article that is drawn to its noun is a word of its own: `d'osmonde`.
    let text = text.replace(['\'', '’'], " ");
    Some(text.unicode_words().map(|word| stemmer.stem(&word.to_lowercase()).into_owned()).collect())
}

/// Whether these words stand in a text one after the other, in any form.
pub(super) fn has_in_any_form(language: &LanguageTag, words: &str, in_text: Option<&[String]>) -> bool {
    let (Some(words), Some(text)) = (stems(language, words), in_text) else { return false };
    !words.is_empty() && text.windows(words.len()).any(|window| window == words)
}
