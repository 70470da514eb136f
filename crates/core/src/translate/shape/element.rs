//! What elements of HTML are to a text: blocks, flows, opaque, void.

use ego_tree::NodeRef;
use scraper::node::Element;
use scraper::{ElementRef, Node};

use super::tag::escape_text;

pub(super) fn outer_html(node: NodeRef<'_, Node>) -> String {
    match node.value() {
        Node::Element(_) => ElementRef::wrap(node).map(|element| element.html()).unwrap_or_default(),
        Node::Text(text) => escape_text(text, false),
        Node::Comment(comment) => format!("<!--{}-->", &**comment),
        _ => String::new(),
    }
}

pub(super) fn end_tag(element: &Element) -> String {
    format!("</{}>", element.name())
}

pub(super) fn is_flow(node: NodeRef<'_, Node>, element: &Element) -> bool {
    is_block(element)
        || (!is_opaque(element)
            && node.descendants().any(|inner| matches!(inner.value(), Node::Element(inner) if is_block(inner))))
}

pub(super) fn is_block(element: &Element) -> bool {
    const BLOCKS: [&str; 47] = [
        "address",
        "article",
        "aside",
        "blockquote",
        "body",
        "caption",
        "center",
        "col",
        "colgroup",
        "dd",
        "details",
        "dialog",
        "dir",
        "div",
        "dl",
        "dt",
        "fieldset",
        "figcaption",
        "figure",
        "footer",
        "form",
        "h1",
        "h2",
        "h3",
        "h4",
        "h5",
        "h6",
        "head",
        "header",
        "hgroup",
        "hr",
        "html",
        "legend",
        "li",
        "main",
        "menu",
        "nav",
        "ol",
        "p",
        "pre",
        "section",
        "summary",
        "table",
        "tbody",
        "td",
        "tfoot",
        "th",
    ];
    BLOCKS.contains(&element.name()) || matches!(element.name(), "thead" | "tr" | "ul")
}

/// What is kept whole: code, pictures drawn in place, programs, and what its author says to keep.
pub(super) fn is_opaque(element: &Element) -> bool {
    const WHOLE: [&str; 24] = [
        "audio",
        "canvas",
        "code",
        "iframe",
        "kbd",
        "listing",
        "math",
        "noembed",
        "noframes",
        "noscript",
        "object",
        "plaintext",
        "samp",
        "script",
        "select",
        "style",
        "svg",
        "template",
        "textarea",
        "title",
        "tt",
        "var",
        "video",
        "xmp",
    ];
    WHOLE.contains(&element.name())
        || element.attr("translate") == Some("no")
        || element.has_class("notranslate", scraper::CaseSensitivity::AsciiCaseInsensitive)
}

/// Elements that have no content (HTML, "Void elements").
pub(super) fn is_void(element: &Element) -> bool {
    const VOID: [&str; 16] = [
        "area", "base", "basefont", "bgsound", "br", "col", "embed", "frame", "hr", "img", "input", "keygen", "link",
        "meta", "source", "wbr",
    ];
    VOID.contains(&element.name()) || matches!(element.name(), "param" | "track")
}
