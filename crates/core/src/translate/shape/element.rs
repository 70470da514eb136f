//! What elements of HTML are to a text: blocks, flows, opaque, void.

use ego_tree::NodeRef;
use scraper::node::Element;
use scraper::{ElementRef, Node};

use super::tag::escape_text;

pub(super) fn outer_html(node: NodeRef<'_, Node>) -> String {
    match node.value() {
        Node::Element(_) => ElementRef::wrap(node).map(|element| element.html()).unwrap_or_default(),
        Node::Text(text) => escape_text(text, None),
        Node::Comment(comment) => format!("<!--{}-->", &**comment),
        _ => String::new(),
    }
}

/// The tags of an element as a reader of HTML writes them.
pub(super) fn raw_tags(node: NodeRef<'_, Node>) -> (String, String) {
    let Some(element) = ElementRef::wrap(node) else { return (String::new(), String::new()) };
    let (mut whole, inner, end) = (element.html(), element.inner_html(), end_tag(element.value()));
    if !whole.ends_with(&end) {
        return (whole, String::new());
    }
    whole.truncate(whole.len().saturating_sub(inner.len() + end.len()));
    (whole, end)
}

/// Whether there is anything in an element that is kept whole which people read.
pub(super) fn has_readable(whole: &str, node: NodeRef<'_, Node>) -> bool {
    let is_read =
        |element: &Element| is_read_within(whole, element) || (whole == "select" && element.name() == "optgroup");
    node.descendants().any(|inner| inner.value().as_element().is_some_and(is_read))
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
    is_block_name(element.name())
}

pub(super) fn is_block_name(name: &str) -> bool {
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
    BLOCKS.contains(&name) || matches!(name, "thead" | "tr" | "ul")
}

/// What is kept whole: code, pictures drawn in place, programs, and what its author says to keep.
pub(super) fn is_opaque(element: &Element) -> bool {
    is_opaque_name(element.name()) || is_kept(element)
}

/// Code, pictures drawn in place, programs.
pub(super) fn is_opaque_name(name: &str) -> bool {
    const WHOLE: [&str; 23] = [
        "audio",
        "canvas",
        "code",
        "iframe",
        "kbd",
        "listing",
        "math",
        "noembed",
        "noframes",
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
    WHOLE.contains(&name)
}

/// Whether people read what an element says that stands within one that is kept whole: a choice, a text in
/// a picture, and what its author wants translated.
pub(super) fn is_read_within(whole: &str, element: &Element) -> bool {
    match (whole, element.name()) {
        _ if element.attr("translate") == Some("yes") => true,
        _ if is_kept(element) => false,
        ("select", "option") | ("svg", "title" | "desc" | "text") => true,
        _ => false,
    }
}

/// Whether its author says that it stays as it is.
pub(super) fn is_kept(element: &Element) -> bool {
    element.attr("translate") == Some("no")
        || element.has_class("notranslate", scraper::CaseSensitivity::AsciiCaseInsensitive)
}

/// Elements that have no content (HTML, "Void elements").
pub(super) fn is_void(element: &Element) -> bool {
    is_void_name(element.name())
}

pub(super) fn is_void_name(name: &str) -> bool {
    const VOID: [&str; 16] = [
        "area", "base", "basefont", "bgsound", "br", "col", "embed", "frame", "hr", "img", "input", "keygen", "link",
        "meta", "source", "wbr",
    ];
    VOID.contains(&name) || matches!(name, "param" | "track")
}

/// Whether people read an attribute of an element, which may have a `type`.
pub(super) fn is_read(element: &str, attribute: &str, kind: Option<&str>) -> bool {
    match attribute {
        "alt" | "title" | "placeholder" => true,
        "aria-label" | "aria-description" | "aria-placeholder" | "aria-roledescription" | "aria-valuetext" => true,
        "summary" => element == "table",
        "label" => matches!(element, "option" | "optgroup" | "track"),
        "value" => {
            let is_button = |kind: &str| ["button", "submit", "reset"].iter().any(|one| one.eq_ignore_ascii_case(kind));
            element == "input" && kind.is_some_and(is_button)
        }
        _ => false,
    }
}
