//! Text as a part of a web address.

use deunicode::deunicode_char;
use unicode_normalization::UnicodeNormalization;

/// Lower-case ASCII letters and digits with single hyphens between: `Hart's-tongue Fern` becomes
/// `harts-tongue-fern`. Letters with marks lose them; an apostrophe within a word falls away.
#[must_use]
pub fn slug(text: &str) -> String {
    let mut slug = String::new();
    let mut gap = false;
    for character in text.nfc() {
        if matches!(character, '\'' | '’' | 'ʼ') {
            continue;
        }
        let ascii = deunicode_char(character).unwrap_or("");
        let mut any = false;
        for letter in ascii.chars().filter(char::is_ascii_alphanumeric) {
            if gap && !slug.is_empty() {
                slug.push('-');
            }
            gap = false;
            any = true;
            slug.push(letter.to_ascii_lowercase());
        }
        gap |= !any;
    }
    slug
}

/// A slug of at most so many characters, cut between words where there is a hyphen to cut at.
#[must_use]
pub fn short_slug(text: &str, most: usize) -> String {
    let mut whole = slug(text);
    if whole.len() > most {
        let at_end = whole.as_bytes()[most] == b'-';
        whole.truncate(most);
        if let (false, Some(hyphen)) = (at_end, whole.rfind('-')) {
            whole.truncate(hyphen);
        }
    }
    whole
}

#[cfg(test)]
mod tests {
    #[test]
    fn short_slugs_end_with_a_word() {
        for (most, expected) in
            [(40, "harts-tongue-fern"), (14, "harts-tongue"), (12, "harts-tongue"), (4, "hart"), (0, "")]
        {
            assert_eq!(super::short_slug("Hart's-tongue Fern", most), expected, "{most}");
        }
    }

    use super::*;
    use proptest::prelude::*;

    #[test]
    fn slugs() {
        for (text, expected) in [
            ("Hart's-tongue Fern", "harts-tongue-fern"),
            ("Rhedynen gyfrdwy (ŵ)", "rhedynen-gyfrdwy-w"),
            ("  Fougère — mâle!  ", "fougere-male"),
            ("Crème brûlée 2", "creme-brulee-2"),
            ("…", ""),
        ] {
            assert_eq!(slug(text), expected);
        }
    }

    proptest! {
        #[test]
        fn slug_of_a_slug_is_itself(text in "\\PC{0,40}") {
            let once = slug(&text);
            prop_assert!(!once.starts_with('-') && !once.ends_with('-') && !once.contains("--"));
            prop_assert_eq!(slug(&once), once);
        }
    }
}
