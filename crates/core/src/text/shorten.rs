//! Cutting text at a word's end, or within a word.

use unicode_segmentation::UnicodeSegmentation;

/// Where a text may be cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Cut {
    /// At a word's end; a first word that is too long is cut within.
    Words,
    /// Between any two graphemes (UAX #29).
    Letters,
}

/// The text in at most `most` characters, closed with `…`, which counts, where it was cut. No
/// grapheme (UAX #29) is cut apart.
#[must_use]
pub fn shorten(text: &str, most: usize, cut: Cut) -> String {
    if text.len() <= most || text.chars().nth(most).is_none() {
        return text.to_owned();
    }
    let Some(room) = most.checked_sub(1) else {
        return String::new();
    };
    let end = whole_graphemes(text, room);
    let kept = &text[..end];
    let cut_within_word = text[end..].chars().next().is_some_and(|next| !next.is_whitespace());
    let kept = match kept.rfind(char::is_whitespace) {
        Some(space) if cut_within_word && cut == Cut::Words => &kept[..space],
        _ => kept,
    };
    let kept =
        kept.trim_end_matches(|c: char| c.is_whitespace() || matches!(c, ',' | ';' | ':' | '-' | '–' | '—' | '('));
    format!("{kept}…")
}

/// How many bytes the graphemes take that have at most so many characters.
fn whole_graphemes(text: &str, room: usize) -> usize {
    // Of ASCII every character is one, but for the end of a line in two.
    if text.is_ascii() && !text.contains("\r\n") {
        return room;
    }
    let (mut end, mut count) = (0, 0);
    for (at, grapheme) in text.grapheme_indices(true) {
        count += grapheme.chars().count();
        if count > room {
            break;
        }
        end = at + grapheme.len();
    }
    end
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn cuts_between_words() {
        for (text, most, expected) in [
            ("A walk in the ferns", 40, "A walk in the ferns"),
            ("A walk in the ferns", 19, "A walk in the ferns"),
            ("A walk in the ferns", 18, "A walk in the…"),
            ("A walk, in the ferns", 9, "A walk…"),
            ("Llanfairpwllgwyngyll", 6, "Llanf…"),
            ("ŵŵŵ ŵŵŵ", 4, "ŵŵŵ…"),
            ("cafe\u{301}s", 5, "caf…"),
            ("abc", 0, ""),
        ] {
            assert_eq!(shorten(text, most, Cut::Words), expected, "{text} {most}");
        }
        assert_eq!(shorten("A walk in the ferns", 9, Cut::Letters), "A walk i…");
    }

    proptest! {
        #[test]
        fn never_longer_and_stable(text in "\\PC{0,60}", most in 0usize..40) {
            for cut in [Cut::Words, Cut::Letters] {
                let short = shorten(&text, most, cut);
                prop_assert!(short.chars().count() <= most);
                prop_assert_eq!(shorten(&short, most, cut), short);
            }
        }
    }
}
