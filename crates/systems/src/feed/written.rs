//! How a text of a feed says that it is written.

use super::names::Space;

/// What a text says that it is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Written {
    /// Plain text.
    Plain,
    /// HTML, escaped.
    Html,
    /// It does not say: HTML where it looks like it.
    Unsaid,
    /// XHTML within a `div` (RFC 4287 §3.1.1.3).
    Xhtml,
    /// Any other XML.
    Xml,
    /// Bytes of some media type, as base64 (RFC 4287 §4.1.3.3).
    Bytes,
}

impl Written {
    /// What an element says of its text, by whose it is, its `type` and its `mode` (RFC 4287 §3.1.1 and
    /// §4.1.3, Atom 0.3 §3.1).
    pub(super) fn of(space: Space, kind: Option<&str>, mode: Option<&str>) -> Written {
        if space == Space::Xhtml {
            return Written::Xml;
        }
        let is_typed = matches!(space, Space::Atom | Space::Media) || (space == Space::Rss && kind.is_some());
        if !is_typed {
            return Written::Unsaid;
        }
        let word = kind.map(str::to_ascii_lowercase);
        let word = word.as_deref().and_then(|word| word.split(';').next()).map_or("", str::trim);
        let as_typed = match word {
            "" | "plain" if space == Space::Rss => Written::Unsaid,
            "" | "text" | "plain" | "text/plain" => Written::Plain,
            "html" | "text/html" | "text/xhtml" => Written::Html,
            "xhtml" | "application/xhtml+xml" | "application/xhtml" => Written::Xhtml,
            _ if word.ends_with("+xml") || word.ends_with("/xml") => Written::Xml,
            _ if word.starts_with("text/") => Written::Plain,
            _ if word.contains('/') => Written::Bytes,
            _ => Written::Unsaid,
        };
        match mode.map(str::to_ascii_lowercase).as_deref() {
            Some("base64") => Written::Bytes,
            Some("escaped") if matches!(as_typed, Written::Xhtml | Written::Xml) => Written::Html,
            Some("xml") if as_typed == Written::Html => Written::Xhtml,
            _ => as_typed,
        }
    }
}
