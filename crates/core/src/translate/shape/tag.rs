//! The tags of a block: what each number stands for.

use serde::{Deserialize, Serialize};

/// Whether a tag has content.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum TagKind {
    /// It begins and ends around text.
    Pair,
    /// It stands alone.
    Alone,
}

/// What a number stands for in a block.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tag {
    /// Whether it has content.
    pub kind: TagKind,
    /// The element's name; `keep` of text that must not change.
    pub name: String,
    /// What it stands for, where that can be read: text that must not change, code.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shown: Option<String>,
    /// The markup at its start, but for texts in it that are blocks of their own.
    pub original: String,
    /// The markup at its end; nothing of one that stands alone.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub original_end: String,
}

/// Text as HTML serialises it (HTML, "Escaping a string"), in an attribute between these quotes.
pub(super) fn escape_text(text: &str, quote: Option<char>) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => escaped.push_str("&amp;"),
            '\u{a0}' => escaped.push_str("&nbsp;"),
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '"' if quote == Some('"') => escaped.push_str("&quot;"),
            '\'' if quote == Some('\'') => escaped.push_str("&#39;"),
            other => escaped.push(other),
        }
    }
    escaped
}
