//! Writing text so that it is read as text.

use crate::translate::shape::Written;

/// Where a text stands that is written.
#[derive(Debug, Clone, Copy)]
pub(in crate::translate::shape) struct TextPlace {
    pub(in crate::translate::shape) written: Written,
    /// Whether it begins a line.
    pub(in crate::translate::shape) starts_line: bool,
    /// Whether markup follows.
    pub(in crate::translate::shape) before_mark: bool,
}

/// Text as Markdown writes it (CommonMark §2.4): a stroke before what would be markup.
pub(in crate::translate::shape) fn escaped(text: &str, place: TextPlace) -> String {
    let mut escaped = String::with_capacity(text.len());
    let at_start = if place.starts_line { line_mark(text) } else { None };
    for (at, c) in text.char_indices() {
        let rest = &text[at + c.len_utf8()..];
        let is_markup = match c {
            '\\' | '`' | '*' | '[' | ']' | '<' | '~' => true,
            // Within a word it is no emphasis.
            '_' => {
                let before = text[..at].chars().next_back();
                ![before, rest.chars().next()].into_iter().all(|next| next.is_some_and(char::is_alphanumeric))
            }
            '&' => is_reference(rest),
            '!' => rest.is_empty() && place.before_mark,
            '|' => place.written == Written::Cell,
            '#' | '{' | '}' => place.written == Written::Heading,
            _ => false,
        };
        if is_markup || at_start == Some(at) {
            escaped.push('\\');
        }
        escaped.push(c);
    }
    escaped
}

/// A title as it is written within its marks.
pub(in crate::translate::shape) fn escaped_title(text: &str, mark: char) -> String {
    let mut escaped = String::with_capacity(text.len());
    for (at, c) in text.char_indices() {
        let is_mark = c == mark || (mark == ')' && c == '(');
        if c == '\\' || is_mark {
            escaped.push('\\');
        }
        match c {
            '&' if is_reference(&text[at + 1..]) => escaped.push_str("&amp;"),
            other => escaped.push(other),
        }
    }
    escaped
}

/// What at the start of a line would make it something else than text: a list, a heading, a quotation, a line.
fn line_mark(text: &str) -> Option<usize> {
    let first = text.chars().next()?;
    if matches!(first, '#' | '>' | '-' | '+' | '=' | ':' | '|') {
        return Some(0);
    }
    let digits = text.find(|c: char| !c.is_ascii_digit()).filter(|digits| (1..=9).contains(digits))?;
    text[digits..].starts_with(['.', ')']).then_some(digits)
}

/// Whether what follows an `&` makes it a reference to a character (CommonMark §2.5).
fn is_reference(rest: &str) -> bool {
    let name = rest.strip_prefix('#').unwrap_or(rest);
    let end = name.find(|c: char| !c.is_ascii_alphanumeric());
    end.is_some_and(|end| end > 0 && name[end..].starts_with(';'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_would_be_markup_is_text() {
        let start = TextPlace { written: Written::Markdown, starts_line: true, before_mark: true };
        for (text, written) in [
            ("a_b _c_ *d* [e] `f` <g>", "a_b \\_c\\_ \\*d\\* \\[e\\] \\`f\\` \\<g>"),
            ("1986. A year", "1986\\. A year"),
            ("1234567890. No list", "1234567890. No list"),
            ("- no list - here", "\\- no list - here"),
            ("# one # two", "\\# one # two"),
            ("AT&T &amp; &#35; & more", "AT&T \\&amp; \\&#35; & more"),
            ("Look!", "Look\\!"),
            ("a|b", "a|b"),
        ] {
            assert_eq!(escaped(text, start), written, "{text}");
        }
        let cell = TextPlace { written: Written::Cell, starts_line: false, before_mark: false };
        assert_eq!(escaped("a|b!", cell), "a\\|b!");
        assert_eq!(escaped_title("say \"a\" \\ &lt; (b)", '"'), "say \\\"a\\\" \\\\ &amp;lt; (b)");
        assert_eq!(escaped_title("a (b)", ')'), "a \\(b\\)");
    }
}
