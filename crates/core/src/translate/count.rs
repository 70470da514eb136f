//! Counting words, or characters where words have no spaces between them.

use icu_properties::CodePointMapData;
use icu_properties::props::Script;
use unicode_segmentation::UnicodeSegmentation;

use super::Inline;

/// Scripts that put no spaces between words: translators count their characters.
const WITHOUT_SPACES: [Script; 8] = [
    Script::Han,
    Script::Hiragana,
    Script::Katakana,
    Script::Bopomofo,
    Script::Thai,
    Script::Lao,
    Script::Khmer,
    Script::Myanmar,
];

/// How many words a text has (UAX #29); of scripts without spaces, how many characters as people see them.
/// What must not change is not counted.
#[must_use]
pub fn words(text: &Inline) -> u64 {
    text.pieces().iter().filter_map(super::Piece::as_text).map(counted).sum()
}

fn counted(text: &str) -> u64 {
    if text.is_ascii() {
        return text.unicode_words().count() as u64;
    }
    let scripts = CodePointMapData::<Script>::new();
    let has_no_spaces = |part: &&str| part.chars().next().is_some_and(|c| WITHOUT_SPACES.contains(&scripts.get(c)));
    let words = text.unicode_words().filter(|word| !has_no_spaces(word)).count();
    let characters = text.graphemes(true).filter(has_no_spaces).count();
    (words + characters) as u64
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
            ("Λευκή φτέρη", 2),
            ("王立の庭", 4),
            ("シダ 3 m", 4),
            ("น้ำตก", 3),
            ("양치식물 정원", 2),
        ] {
            assert_eq!(words(&Inline::from_coded(coded)), expected, "{coded}");
        }
    }
}
