//! Capitals at the beginning of texts and words.

use unicode_segmentation::UnicodeSegmentation;

/// The text with its first letter as a capital.
#[must_use]
pub fn capitalise(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// The text with the first letter of every word as a capital; other letters stay.
#[must_use]
pub fn title_case(text: &str) -> String {
    text.split_word_bounds().map(capitalise).collect()
}
