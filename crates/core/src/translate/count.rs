//! Counting words.

use unicode_segmentation::UnicodeSegmentation;

use super::Inline;

/// How many words a text has (UAX #29); what must not change is not counted.
#[must_use]
pub fn words(text: &Inline) -> u64 {
    text.pieces().iter().filter_map(super::Piece::as_text).map(|text| text.unicode_words().count() as u64).sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_by_uax_29() {
        for (coded, expected) in [
            ("The royal fern's 3.5 m", 5),
            ("one<1/>two <2>three</2>", 3),
            ("— … !", 0),
            ("", 0),
            ("Llanfair-ym-Muallt", 3),
        ] {
            assert_eq!(words(&Inline::from_coded(coded)), expected, "{coded}");
        }
    }
}
