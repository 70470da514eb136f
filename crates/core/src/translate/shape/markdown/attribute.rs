//! Texts within markup: attributes of HTML, titles of links.

use std::ops::Range;

use html5gum::{Token, Tokenizer};

/// An attribute that people read.
#[derive(Debug, Clone)]
pub(super) struct AttributePlace {
    pub(super) name: String,
    /// Its value, as it is read.
    pub(super) value: String,
    /// Where its value stands, without the quotes.
    pub(super) place: Range<usize>,
    /// The quote around it.
    pub(super) quote: char,
}

/// Where the title stands at the end of a link (`](/a "title")`) or of a definition (`[a]: /a "title"`), and the mark
/// that ends it (CommonMark, §6.3).
pub(super) fn title_place(source: &str, within: Range<usize>) -> Option<(Range<usize>, char)> {
    let text = source.get(within.clone())?.trim_end();
    let end_mark = text.chars().next_back()?;
    let start_mark = match end_mark {
        '"' | '\'' => end_mark,
        ')' => '(',
        _ => return None,
    };
    let inner = &text[..text.len() - 1];
    let is_escaped = |at: usize| inner[..at].bytes().rev().take_while(|byte| *byte == b'\\').count() % 2 == 1;
    let start = inner.rmatch_indices(start_mark).map(|(at, _)| at).find(|at| !is_escaped(*at))?;
    let before = inner[..start].chars().next_back()?;
    before.is_whitespace().then(|| (within.start + start + 1..within.start + inner.len(), end_mark))
}

/// A title as it is read: without its strokes and references to characters.
pub(super) fn title_text(written: &str) -> String {
    let mut text = String::with_capacity(written.len());
    let mut characters = written.chars().peekable();
    while let Some(c) = characters.next() {
        match characters.peek() {
            Some(next) if c == '\\' && next.is_ascii_punctuation() => text.extend(characters.next()),
            _ => text.push(c),
        }
    }
    if !text.contains('&') {
        return text;
    }
    let quoted = format!("<a t=\"{}\">", text.replace('"', "&quot;"));
    let read = Tokenizer::new(quoted.as_str()).find_map(|token| match token {
        Ok(Token::StartTag(tag)) => tag.attributes.into_values().next(),
        _ => None,
    });
    read.map_or(text, |value| String::from_utf8_lossy(&value.value).into_owned())
}
