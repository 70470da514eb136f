//! Texts as words of a POSIX shell (IEEE Std 1003.1, §2.2), so that a printed command can be pasted.

use std::borrow::Cow;

/// A text as one word: as it stands where a shell takes it so, else between single quotes.
#[must_use]
pub fn shell_word(text: &str) -> Cow<'_, str> {
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_./:@%+=,".contains(c);
    // A tilde or an equals sign at the start means something to some shells.
    let safe = !text.is_empty() && text.chars().all(plain) && !text.starts_with(['=', '~']);
    if safe { Cow::Borrowed(text) } else { Cow::Owned(shell_quoted(text)) }
}

/// A text between single quotes, in which a shell takes every character literally.
#[must_use]
pub fn shell_quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', r"'\''"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_quoted_where_they_must_be() {
        for (text, expected) in [
            ("catalogue/plant/p-1", "catalogue/plant/p-1"),
            ("a b", "'a b'"),
            ("$(rm x)", "'$(rm x)'"),
            ("it's", r"'it'\''s'"),
            ("", "''"),
            ("=x", "'=x'"),
            ("fougère", "'fougère'"),
        ] {
            assert_eq!(shell_word(text), expected);
        }
    }
}
