//! Texts of an item: a line of plain text, or rich text as HTML, whatever they were written as.

use std::borrow::Cow;
use std::collections::BTreeSet;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use diaporos_core::text::plain;
use quick_xml::escape::partial_escape;
use url::Url;

use super::markup;
use super::node::Node;
use super::references::Mended;
use super::written::Written;

/// A line of plain text.
pub(super) fn line(node: &Node<'_>, mended: &mut BTreeSet<Mended>) -> Option<String> {
    let text = match node.written() {
        Written::Plain if !node.has_markup => Cow::Borrowed(node.text.as_ref()),
        Written::Bytes => Cow::Owned(decoded(node, mended)?.0),
        Written::Xhtml | Written::Xml if node.has_markup => Cow::Owned(plain_of(&markup::html_of(node.inner))),
        _ if node.has_markup => {
            mended.insert(Mended::Markup);
            Cow::Owned(plain_of(&markup::as_written(node.inner)))
        }
        _ => Cow::Owned(plain_of(&node.text)),
    };
    one_line(&text)
}

/// A text in one line, without space around it; none where nothing is left.
pub(super) fn one_line(text: &str) -> Option<String> {
    let text = text.trim();
    if text.is_empty() {
        return None;
    }
    Some(if text.contains(['\n', '\r', '\t']) {
        text.split_whitespace().collect::<Vec<_>>().join(" ")
    } else {
        text.to_owned()
    })
}

/// A text without markup: what is not there, or what cannot be afforded as HTML, is a text like any other.
fn plain_of(text: &str) -> String {
    if !text.contains(['<', '&']) {
        return text.to_owned();
    }
    plain(text).unwrap_or_else(|_| text.to_owned())
}

/// Rich text as HTML, its relative addresses made absolute.
pub(super) fn rich(node: &Node<'_>, mended: &mut BTreeSet<Mended>) -> Option<String> {
    let html = match node.written() {
        Written::Xhtml | Written::Xml if node.has_markup => Cow::Owned(markup::html_of(node.inner)),
        // What says that it is markup and has none was escaped by mistake.
        Written::Xhtml | Written::Xml | Written::Unsaid if !node.has_markup => html_or_plain(&node.text),
        Written::Plain if !node.has_markup => partial_escape(node.text.trim()),
        Written::Bytes => Cow::Owned(decoded(node, mended)?.into_html()),
        _ if node.has_markup => {
            mended.insert(Mended::Markup);
            Cow::Owned(markup::as_written(node.inner))
        }
        _ => Cow::Borrowed(node.text.as_ref()),
    };
    given(&html, node.base.as_deref())
}

/// HTML as it is given on: trimmed, its addresses absolute; none where nothing is left.
pub(super) fn given(html: &str, base: Option<&Url>) -> Option<String> {
    let html = html.trim();
    (!html.is_empty()).then(|| base.map_or_else(|| html.to_owned(), |base| markup::absolute_links(html, base)))
}

/// Text that may be HTML: escaped where nothing in it is markup.
pub(super) fn html_or_plain(text: &str) -> Cow<'_, str> {
    if looks_like_html(text) { Cow::Borrowed(text) } else { partial_escape(text.trim()) }
}

/// Whether there is a tag, a comment or a reference in a text.
fn looks_like_html(text: &str) -> bool {
    let begins_tag = |rest: &str| rest.starts_with(|c: char| c.is_ascii_alphabetic() || matches!(c, '/' | '!'));
    let last = text.rfind('>').unwrap_or_default();
    let has_tag = text[..last].match_indices('<').any(|(at, _)| begins_tag(&text[at + 1..]));
    has_tag
        || text.match_indices('&').any(|(at, _)| {
            let rest = &text[at + 1..];
            let end = rest.bytes().take(32).position(|byte| byte == b';');
            end.is_some_and(|end| rest.starts_with('#') || super::references::named(&rest[..end]).is_some())
        })
}

/// What stood as base64.
struct Decoded(String, bool);

impl Decoded {
    fn into_html(self) -> String {
        if self.1 { self.0 } else { partial_escape(self.0.trim()).into_owned() }
    }
}

/// A text that is there as bytes; none where it is none.
fn decoded(node: &Node<'_>, mended: &mut BTreeSet<Mended>) -> Option<Decoded> {
    let packed: String = node.text.split_whitespace().collect();
    if packed.is_empty() {
        return None;
    }
    let kind = node.attribute("type").unwrap_or_default().to_ascii_lowercase();
    let text = STANDARD.decode(packed).ok().and_then(|bytes| String::from_utf8(bytes).ok());
    let Some(text) = text else {
        mended.insert(Mended::Base64);
        return None;
    };
    let is_html = kind.contains("html") || kind.is_empty() && looks_like_html(&text);
    Some(Decoded(text, is_html))
}
