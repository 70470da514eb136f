//! HTML made safe, and HTML made plain.

use std::sync::LazyLock;

use super::budget::{TooMuch, affordable_html};
use regex::Regex;
use scraper::{Html, Node, node::Element};

/// HTML with only what a page's body may hold: no scripts, styles, event handlers or frames, and
/// links only to `http`, `https`, `mailto` and the like. Cleaning what is clean changes nothing.
///
/// # Errors
/// Where it would take too much to read.
pub fn clean(html: &str) -> Result<String, TooMuch> {
    affordable_html(html)?;
    // Misnested tables are rearranged by each reading (HTML, "foster parent"), so one pass may not
    // be the last word; a few always are.
    let mut clean = ammonia::clean(html);
    for _ in 0..4 {
        let again = ammonia::clean(&clean);
        if again == clean {
            break;
        }
        clean = again;
    }
    Ok(clean)
}

/// Whether a text holds markup that could act where it is shown as HTML: scripts, frames, event
/// handlers, addresses that run.
#[must_use]
pub fn could_act(text: &str) -> bool {
    static ACTS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r"(?i)<\s*(script|iframe|object|embed|style|form|meta|base)\b|<[^>]*\son[a-z]+\s*=|<[^>]*=\s*.?\s*javascript:").ok()
    });
    text.contains('<') && ACTS.as_ref().is_some_and(|acts| acts.is_match(text))
}

/// The text of HTML: tags gone, entities read, blocks and line breaks apart by a newline, other
/// white space drawn together. Text without markup stays as it is, but for its white space.
///
/// # Errors
/// Where it would take too much to read.
pub fn plain(html: &str) -> Result<String, TooMuch> {
    // Most texts have no markup, and need no reader of HTML.
    if !html.contains(['<', '&', '\0']) {
        return Ok(html.split_whitespace().collect::<Vec<_>>().join(" "));
    }
    affordable_html(html)?;
    let document = Html::parse_fragment(html);
    let mut text = String::new();
    let mut hidden = 0usize;
    for edge in document.tree.root().traverse() {
        match edge {
            ego::Edge::Open(node) => match node.value() {
                Node::Element(element) if is_hidden(element) => hidden += 1,
                Node::Element(element) if breaks(element) => text.push('\n'),
                Node::Text(part) if hidden == 0 => text.extend(part.chars().map(|c| if c == '\n' { ' ' } else { c })),
                _ => {}
            },
            ego::Edge::Close(node) => match node.value() {
                Node::Element(element) if is_hidden(element) => hidden -= 1,
                Node::Element(element) if breaks(element) => text.push('\n'),
                _ => {}
            },
        }
    }
    let lines = text.split('\n').map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "));
    Ok(lines.filter(|line| !line.is_empty()).collect::<Vec<_>>().join("\n"))
}

mod ego {
    pub(super) use ego_tree::iter::Edge;
}

fn is_hidden(element: &Element) -> bool {
    matches!(element.name(), "script" | "style" | "template" | "noscript" | "title")
}

fn breaks(element: &Element) -> bool {
    matches!(
        element.name(),
        "address"
            | "article"
            | "aside"
            | "blockquote"
            | "br"
            | "dd"
            | "div"
            | "dl"
            | "dt"
            | "figcaption"
            | "figure"
            | "footer"
            | "h1"
            | "h2"
            | "h3"
            | "h4"
            | "h5"
            | "h6"
            | "header"
            | "hr"
            | "li"
            | "main"
            | "nav"
            | "ol"
            | "p"
            | "pre"
            | "section"
            | "table"
            | "td"
            | "th"
            | "tr"
            | "ul"
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn plain_reads_entities_and_parts_blocks() {
        for (html, text) in [
            ("<p>Ferns &amp; mosses</p><p>Open&nbsp;daily</p>", "Ferns & mosses\nOpen daily"),
            ("one<br>two", "one\ntwo"),
            ("a  <b>bold</b>\n word", "a bold word"),
            ("<style>p{}</style><script>alert(1)</script>kept", "kept"),
            ("5 < 6 and 7 > 2", "5 < 6 and 7 > 2"),
            ("&lt;b&gt; is a tag", "<b> is a tag"),
            ("", ""),
        ] {
            assert_eq!(plain(html).unwrap(), text, "{html}");
        }
    }

    #[test]
    fn what_could_act() {
        for acts in ["<script>x()</script>", "<p onclick=x()>", "<a href='javascript:x()'>", "<IFRAME src=x>"] {
            assert!(could_act(acts), "{acts}");
        }
        for text in ["a < b", "<p>Fern</p>", "the onclick attribute", "**javascript:** and <em>moss</em>"] {
            assert!(!could_act(text), "{text}");
        }
    }

    #[test]
    fn clean_takes_out_what_could_act() {
        let html =
            r#"<p onclick="x()">Hi <a href="javascript:x()">a</a><script>x()</script><iframe src="y"></iframe></p>"#;
        assert_eq!(clean(html).unwrap(), r#"<p>Hi <a rel="noopener noreferrer">a</a></p>"#);
    }

    proptest! {
        #[test]
        fn text_without_markup_is_read_the_same_as_text_in_a_tag(text in "[^<&\\x00]{0,60}") {
            prop_assert_eq!(plain(&text), plain(&format!("<span>{text}</span>")));
        }

        #[test]
        fn cleaning_twice_is_cleaning_once(html in "(<(p|b|script|a href=\"x\"|li|table)>|</(p|b|a)>|&amp;|&|<|[a-z ]{0,4}){0,12}") {
            let once = clean(&html).unwrap();
            prop_assert_eq!(clean(&once), Ok(once));
        }
    }
}
