//! Cutting text at a word's end.

use unicode_segmentation::UnicodeSegmentation;

/// The text in at most `most` graphemes (UAX #29), cut at a word's end and closed with `…`, which
/// counts. A first word longer than that is cut within.
#[must_use]
pub fn shorten(text: &str, most: usize) -> String {
    let graphemes: Vec<(usize, &str)> = text.grapheme_indices(true).take(most + 1).collect();
    if graphemes.len() <= most {
        return text.to_owned();
    }
    let Some(room) = most.checked_sub(1) else {
        return String::new();
    };
    let end = graphemes[room].0;
    let kept = &text[..end];
    let cut_within_word = !graphemes[room].1.trim().is_empty();
    let kept = match kept.rfind(char::is_whitespace) {
        Some(space) if cut_within_word => &kept[..space],
        _ => kept,
    };
    let kept =
        kept.trim_end_matches(|c: char| c.is_whitespace() || matches!(c, ',' | ';' | ':' | '-' | '–' | '—' | '('));
    format!("{kept}…")
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
            ("abc", 0, ""),
        ] {
            assert_eq!(shorten(text, most), expected, "{text} {most}");
        }
    }

    proptest! {
        #[test]
        fn never_longer_and_stable(text in "\\PC{0,60}", most in 0usize..40) {
            let short = shorten(&text, most);
            prop_assert!(short.graphemes(true).count() <= most);
            prop_assert_eq!(shorten(&short, most), short);
        }
    }
}
