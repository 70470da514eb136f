//! Text with tags: what a translator works on.

use std::borrow::Cow;
use std::fmt::Write as _;

/// The number of a tag within its unit, from 1.
pub type TagNumber = u32;

/// One piece of a text with tags.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Piece {
    /// Text as it is read.
    Text(String),
    /// A tag begins.
    Open(TagNumber),
    /// It ends.
    Close(TagNumber),
    /// A tag without content.
    Alone(TagNumber),
}

/// A text with tags, which stand in it by number alone: what they are, the source knows.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default)]
pub struct Inline {
    pieces: Vec<Piece>,
}

impl Inline {
    /// Text without tags.
    #[must_use]
    pub fn text(text: &str) -> Inline {
        let mut inline = Inline::default();
        inline.push_text(text);
        inline
    }

    /// Nothing yet, with room for so many pieces.
    pub(super) fn with_room(pieces: usize) -> Inline {
        Inline { pieces: Vec::with_capacity(pieces) }
    }

    /// The pieces; no text is empty, and no two texts follow each other.
    #[must_use]
    pub fn pieces(&self) -> &[Piece] {
        &self.pieces
    }

    /// Adds text.
    pub fn push_text(&mut self, text: &str) {
        match self.pieces.last_mut() {
            _ if text.is_empty() => {}
            Some(Piece::Text(before)) => before.push_str(text),
            _ => self.pieces.push(Piece::Text(text.to_owned())),
        }
    }

    /// Adds a piece.
    pub fn push(&mut self, piece: Piece) {
        match piece {
            Piece::Text(text) => self.push_text(&text),
            tag => self.pieces.push(tag),
        }
    }

    /// The text alone, tags left out.
    #[must_use]
    pub fn plain(&self) -> Cow<'_, str> {
        match self.pieces.as_slice() {
            [] => Cow::Borrowed(""),
            [Piece::Text(text)] => Cow::Borrowed(text),
            pieces => Cow::Owned(pieces.iter().filter_map(Piece::as_text).collect()),
        }
    }

    /// Whether there is nothing to read.
    #[must_use]
    pub fn is_blank(&self) -> bool {
        self.pieces.iter().filter_map(Piece::as_text).all(|text| text.trim().is_empty())
    }

    /// The text with another for each of its texts.
    #[must_use]
    pub fn map_text(&self, mut change: impl FnMut(&str) -> String) -> Inline {
        let mut changed = Inline::default();
        for piece in &self.pieces {
            match piece {
                Piece::Text(text) => changed.push_text(&change(text)),
                tag => changed.push(tag.clone()),
            }
        }
        changed
    }

    /// Written with its tags as `<1>`, `</1>` and `<2/>`; a `<` or `&` of the text is `&lt;` or `&amp;`.
    #[must_use]
    pub fn coded(&self) -> String {
        let mut coded = String::new();
        for piece in &self.pieces {
            // Writing to memory does not fail.
            let _ = match piece {
                Piece::Text(text) => {
                    let mut rest = text.as_str();
                    while let Some(at) = rest.find(['<', '&']) {
                        coded.push_str(&rest[..at]);
                        coded.push_str(if rest[at..].starts_with('<') { "&lt;" } else { "&amp;" });
                        rest = &rest[at + 1..];
                    }
                    coded.push_str(rest);
                    Ok(())
                }
                Piece::Open(number) => write!(coded, "<{number}>"),
                Piece::Close(number) => write!(coded, "</{number}>"),
                Piece::Alone(number) => write!(coded, "<{number}/>"),
            };
        }
        coded
    }

    /// Reads what `coded` writes. What does not look like one of its tags or escapes is text.
    #[must_use]
    pub fn from_coded(coded: &str) -> Inline {
        let mut inline = Inline::default();
        let mut rest = coded;
        while let Some(at) = rest.find(['<', '&']) {
            inline.push_text(&rest[..at]);
            rest = &rest[at..];
            match mark(rest) {
                Some((piece, length)) => {
                    inline.push(piece);
                    rest = &rest[length..];
                }
                None => {
                    inline.push_text(&rest[..1]);
                    rest = &rest[1..];
                }
            }
        }
        inline.push_text(rest);
        inline
    }
}

impl Piece {
    /// The text, where it is text.
    #[must_use]
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Piece::Text(text) => Some(text),
            _ => None,
        }
    }
}

/// The tag or escape that a text begins with, and how long it is.
fn mark(text: &str) -> Option<(Piece, usize)> {
    for (escape, meant) in [("&lt;", "<"), ("&amp;", "&"), ("&gt;", ">")] {
        if text.starts_with(escape) {
            return Some((Piece::Text(meant.to_owned()), escape.len()));
        }
    }
    let inner = text.strip_prefix('<')?;
    let end = inner.find('>').filter(|end| *end <= 12)?;
    let inner = &inner[..end];
    let number = |digits: &str| {
        let plain = !digits.is_empty() && digits.bytes().all(|byte| byte.is_ascii_digit()) && !digits.starts_with('0');
        if plain { digits.parse().ok() } else { None }
    };
    let piece = match (inner.strip_prefix('/'), inner.strip_suffix('/')) {
        (Some(digits), _) => Piece::Close(number(digits)?),
        (None, Some(digits)) => Piece::Alone(number(digits)?),
        (None, None) => Piece::Open(number(inner)?),
    };
    Some((piece, end + 2))
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use proptest::prelude::*;

    pub(crate) fn any_inline() -> impl Strategy<Value = Inline> {
        let piece = prop_oneof![
            4 => "[a-zé<>&;/1 ]{1,8}".prop_map(Piece::Text),
            1 => (1u32..4).prop_map(Piece::Open),
            1 => (1u32..4).prop_map(Piece::Close),
            1 => (1u32..4).prop_map(Piece::Alone),
        ];
        prop::collection::vec(piece, 0..8).prop_map(|pieces| {
            let mut inline = Inline::default();
            pieces.into_iter().for_each(|piece| inline.push(piece));
            inline
        })
    }

    #[test]
    fn what_is_no_tag_is_text() {
        for text in ["a < b", "<b>", "<01>", "<1", "&eacute;", "< 1>", "<99999999999>", "</>"] {
            assert_eq!(Inline::from_coded(text), Inline::text(text), "{text}");
        }
        assert_eq!(Inline::from_coded("a&lt;1&gt;").plain(), "a<1>");
    }

    proptest! {
        #[test]
        fn what_is_coded_reads_back(inline in any_inline()) {
            prop_assert_eq!(Inline::from_coded(&inline.coded()), inline);
        }
    }
}
