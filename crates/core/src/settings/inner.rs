//! A text that stands in a TOML string, with the way back from its characters to the file's.

use crate::diagnostic::Span;

/// The decoded text, and where each of its bytes stands in the file, quotes and escapes counted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InnerText {
    text: String,
    /// For each byte of `text`, and one past it, the offset in the file.
    offsets: Vec<usize>,
}

impl InnerText {
    /// `decoded` is the string's value, `raw` how it stands in the file with its quotes, `start`
    /// the offset of the first quote.
    #[must_use]
    pub fn new(decoded: &str, raw: &str, start: usize) -> Self {
        InnerText { text: decoded.to_owned(), offsets: offsets(decoded, raw, start) }
    }

    /// A text that counts where the file has none.
    pub(super) fn usual(text: &str) -> Self {
        InnerText { text: text.to_owned(), offsets: vec![0; text.len() + 1] }
    }

    /// The decoded text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The text after so many bytes.
    #[must_use]
    pub fn after(&self, bytes: usize) -> InnerText {
        match self.text.get(bytes..) {
            Some(rest) => InnerText { text: rest.to_owned(), offsets: self.offsets[bytes..].to_vec() },
            None => self.clone(),
        }
    }

    /// The stretch of the file that a stretch of the decoded text comes from.
    #[must_use]
    pub fn in_file(&self, span: Span) -> Span {
        let at = |index: usize| self.offsets[index.min(self.offsets.len() - 1)];
        at(span.start)..at(span.end).max(at(span.start))
    }
}

fn offsets(decoded: &str, raw: &str, start: usize) -> Vec<usize> {
    let (quotes, literal) = match raw.as_bytes() {
        [b'\'', b'\'', b'\'', ..] => (3, true),
        [b'"', b'"', b'"', ..] => (3, false),
        [b'\'', ..] => (1, true),
        _ => (1, false),
    };
    let mut at = quotes;
    if quotes == 3 {
        // A newline right after the opening quotes is not part of the text (TOML 1.0, "String").
        at += if raw[at..].starts_with("\r\n") { 2 } else { usize::from(raw[at..].starts_with('\n')) };
    }
    let mut offsets = Vec::with_capacity(decoded.len() + 1);
    for character in decoded.chars() {
        if !literal {
            at += folded_line(&raw[at..]);
        }
        offsets.extend(std::iter::repeat_n(start + at, character.len_utf8()));
        at += written_length(&raw[at..], character, literal);
    }
    offsets.push(start + at);
    offsets
}

/// How many bytes a backslash at a line's end swallows, with all the white space after it.
fn folded_line(raw: &str) -> usize {
    let Some(rest) = raw.strip_prefix('\\') else {
        return 0;
    };
    let trimmed = rest.trim_start_matches([' ', '\t', '\r', '\n']);
    let swallowed = &rest[..rest.len() - trimmed.len()];
    if swallowed.contains('\n') { 1 + swallowed.len() + folded_line(trimmed) } else { 0 }
}

/// How many bytes one character takes in the file: itself, or its escape.
fn written_length(raw: &str, character: char, literal: bool) -> usize {
    if literal || !raw.starts_with('\\') {
        let newline_pair = character == '\n' && raw.starts_with("\r\n");
        return character.len_utf8() + usize::from(newline_pair);
    }
    match raw.as_bytes().get(1) {
        Some(b'x') => 4,
        Some(b'u') => 6,
        Some(b'U') => 10,
        _ => 2,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(toml: &str, needle: &str) -> String {
        let table = toml::de::DeTable::parse(toml).unwrap();
        let value = table.get_ref().iter().next().unwrap().1;
        let inner = InnerText::new(value.get_ref().as_str().unwrap(), &toml[value.span()], value.span().start);
        let at = inner.as_str().find(needle).unwrap();
        toml[inner.in_file(at..at + needle.len())].to_owned()
    }

    #[test]
    fn points_into_the_file_through_quotes_and_escapes() {
        assert_eq!(found("a = 'x | slg'", "slg"), "slg");
        assert_eq!(found("a = \"x == \\\"live\\\" | slg\"", "slg"), "slg");
        assert_eq!(found("a = \"x == \\\"live\\\" | slg\"", "\"live\""), "\\\"live\\\"");
        assert_eq!(found("a = \"\\u00e9\\t| slg ŵ\"", "slg ŵ"), "slg ŵ");
        assert_eq!(found("a = '''\nx |\n slg'''", "slg"), "slg");
        assert_eq!(found("a = \"\"\"x \\\n   | slg\"\"\"", "| slg"), "| slg");
    }
}
