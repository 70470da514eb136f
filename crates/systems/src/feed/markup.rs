//! The markup of a feed's texts: XHTML as HTML, markup that was meant to be escaped, and links made
//! absolute.

use std::borrow::Cow;

use quick_xml::escape::partial_escape;
use url::Url;

use super::names::split;
use super::tokens::{Token, Tokens};

/// Elements of HTML that have no end (HTML §13.1.2).
const VOID: [&str; 13] =
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"];

/// XML within a text as HTML: prefixes and namespaces go, empty elements get an end, and a `div` around
/// everything goes, for it is none of the text's (RFC 4287 §3.1.1.3).
pub(super) fn html_of(inner: &str) -> String {
    let mut html = String::with_capacity(inner.len());
    for token in Tokens::of(inner, 0) {
        match token {
            Token::Open { name, attributes, empty } => {
                let (_, name) = split(name);
                let is_void = VOID.contains(&name);
                html.push('<');
                html.push_str(name);
                html.push_str(&without_namespaces(attributes));
                html.push('>');
                if empty && !is_void {
                    end(&mut html, name);
                }
            }
            Token::Close(name) => {
                let (_, name) = split(name);
                if !VOID.contains(&name) {
                    end(&mut html, name);
                }
            }
            Token::Text(text) => html.push_str(text),
            Token::Verbatim(text) => html.push_str(&partial_escape(text)),
            Token::Declaration(_) | Token::Aside => {}
        }
    }
    without_outer_div(html.trim()).trim().to_owned()
}

fn end(html: &mut String, name: &str) {
    html.push_str("</");
    html.push_str(name);
    html.push('>');
}

/// Attributes without those that declare namespaces.
fn without_namespaces(attributes: &str) -> Cow<'_, str> {
    let kept = attributes.trim_end();
    let Some(mut at) = kept.find("xmlns") else { return Cow::Borrowed(kept) };
    let mut kept = kept.to_owned();
    loop {
        let rest = &kept[at..];
        let Some(equals) = rest.find('=') else { break };
        let value = rest[equals + 1..].trim_start();
        let start = rest.len() - value.len();
        let end = match value.chars().next() {
            Some(quote @ ('"' | '\'')) => value[1..].find(quote).map(|end| start + end + 2),
            _ => value.find(char::is_whitespace).map(|end| start + end),
        };
        kept.replace_range(at..at + end.unwrap_or(rest.len()), "");
        match kept[at..].find("xmlns") {
            Some(next) => at += next,
            None => break,
        }
    }
    let kept = kept.trim();
    Cow::Owned(if kept.is_empty() { String::new() } else { format!(" {kept}") })
}

/// What is in the one `div` that a text is; the text itself where it is something else.
fn without_outer_div(html: &str) -> &str {
    let mut tokens = Tokens::of(html, 0);
    let Some(Token::Open { name: "div", empty: false, .. }) = tokens.next() else { return html };
    let (begins, mut depth) = (tokens.at(), 1_usize);
    loop {
        let at = tokens.at();
        match tokens.next() {
            Some(Token::Open { name: "div", .. }) => depth += 1,
            Some(Token::Close("div")) => depth -= 1,
            None => return html,
            _ => {}
        }
        if depth == 0 {
            return if tokens.at() == html.len() { &html[begins..at] } else { html };
        }
    }
}

/// Markup that stood in a text unescaped, as it was meant: what is within sections is markup too.
pub(super) fn as_written(inner: &str) -> String {
    let mut html = String::with_capacity(inner.len());
    let mut tokens = Tokens::of(inner, 0);
    loop {
        let at = tokens.at();
        match tokens.next() {
            None => return html,
            Some(Token::Verbatim(text)) => html.push_str(text),
            Some(Token::Declaration(_) | Token::Aside) => {}
            Some(_) => html.push_str(&inner[at..tokens.at()]),
        }
    }
}

/// An address made absolute by a base, as far as it can be.
pub(super) fn absolute(base: Option<&Url>, address: &str) -> String {
    let address = address.trim();
    match base {
        Some(base) if !address.is_empty() && Url::parse(address).is_err() => {
            base.join(address).map_or_else(|_| address.to_owned(), |url| url.to_string())
        }
        _ => address.to_owned(),
    }
}

/// Attributes of HTML that hold an address.
const ADDRESSES: [&str; 6] = ["href", "src", "poster", "cite", "data", "action"];

/// HTML with its relative addresses made absolute; nothing else of it changes.
pub(super) fn absolute_links<'a>(html: &'a str, base: &Url) -> String {
    let mut done = String::with_capacity(html.len());
    let mut kept = 0;
    let mut replace = |from: usize, to: usize, with: &str| {
        done.push_str(&html[kept..from]);
        done.push_str(with);
        kept = to;
    };
    let within = |piece: &'a str| piece.as_ptr() as usize - html.as_ptr() as usize;
    for token in Tokens::of(html, 0) {
        let Token::Open { attributes, .. } = token else { continue };
        if !attributes.contains('=') {
            continue;
        }
        for (name, value) in written_attributes(attributes) {
            let is = |known: &str| name.eq_ignore_ascii_case(known);
            let with = if ADDRESSES.iter().any(|known| is(known)) {
                absolute_address(value, base)
            } else if is("srcset") {
                absolute_choices(value, base)
            } else {
                None
            };
            if let Some(with) = with {
                let at = within(value);
                replace(at, at + value.len(), &with);
            }
        }
    }
    done.push_str(&html[kept..]);
    done
}

/// Attributes that have a value, as written.
fn written_attributes(attributes: &str) -> Vec<(&str, &str)> {
    let mut found = Vec::new();
    let mut rest = attributes;
    while let Some(equals) = rest.find('=') {
        let name = rest[..equals].trim_end().rsplit(char::is_whitespace).next().unwrap_or_default();
        let after = rest[equals + 1..].trim_start();
        let (value, end) = match after.chars().next() {
            Some(quote @ ('"' | '\'')) => match after[1..].find(quote) {
                Some(end) => (&after[1..=end], end + 2),
                None => return found,
            },
            _ => {
                let end = after.find(char::is_whitespace).unwrap_or(after.len());
                (&after[..end], end)
            }
        };
        found.push((name, value));
        rest = &after[end..];
    }
    found
}

/// A relative address made absolute; none where it is absolute, or leads within its own page.
fn absolute_address(value: &str, base: &Url) -> Option<String> {
    let value = value.trim();
    if value.is_empty() || value.starts_with('#') || Url::parse(value).is_ok() || value.starts_with(['{', '%']) {
        return None;
    }
    let absolute = absolute(Some(base), &value.replace("&amp;", "&"));
    Some(partial_escape(absolute).replace('"', "&quot;").replace('\'', "&#39;"))
}

/// Addresses with what each is for, made absolute (HTML `srcset`); none where all are.
fn absolute_choices(value: &str, base: &Url) -> Option<String> {
    let mut changed = false;
    let choices = value.split(", ").map(|choice| {
        let choice = choice.trim();
        let (address, size) = choice.split_once(char::is_whitespace).unwrap_or((choice, ""));
        match absolute_address(address, base) {
            Some(address) => {
                changed = true;
                format!("{address} {size}").trim_end().to_owned()
            }
            None => choice.to_owned(),
        }
    });
    let choices = choices.collect::<Vec<_>>().join(", ");
    changed.then_some(choices)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn xml_as_html() {
        for (xml, html) in [
            ("<div xmlns=\"http://www.w3.org/1999/xhtml\"><p>a<br/>b</p></div>", "<p>a<br>b</p>"),
            (" <x:div xmlns:x='y' class=\"z\"><x:em/>&lt;</x:div> ", "<em></em>&lt;"),
            ("<div>a</div><div>b</div>", "<div>a</div><div>b</div>"),
            ("<div><div>a</div>b</div>", "<div>a</div>b"),
            ("<p>1<![CDATA[ < 2]]><!-- x --></p>", "<p>1 &lt; 2</p>"),
            ("<img src='a'></img>", "<img src='a'>"),
        ] {
            assert_eq!(html_of(xml), html, "{xml}");
        }
        assert_eq!(as_written("<p>a &amp; <![CDATA[<b>c</b>]]><br></p>"), "<p>a &amp; <b>c</b><br></p>");
    }

    #[test]
    fn links_become_absolute_and_nothing_else_changes() {
        let base: Url = "http://garden.example/news/feed.xml".parse().unwrap();
        for (html, expected) in [
            ("<a href=\"/fern\">x</a>", "<a href=\"http://garden.example/fern\">x</a>"),
            ("<a  class=b href='fern?a=1&amp;b=2'>", "<a  class=b href='http://garden.example/news/fern?a=1&amp;b=2'>"),
            ("<img src=moss.jpg alt='a=b'>", "<img src=http://garden.example/news/moss.jpg alt='a=b'>"),
            (
                "<img srcset=\"a.jpg 1x, http://x.example/b.jpg 2x\">",
                "<img srcset=\"http://garden.example/news/a.jpg 1x, http://x.example/b.jpg 2x\">",
            ),
            ("<a href=\"#top\">", "<a href=\"#top\">"),
            ("<a href=\"mailto:a@b.example\">1 < 2 &nbsp;", "<a href=\"mailto:a@b.example\">1 < 2 &nbsp;"),
            ("<a href='?\"x'>", "<a href='http://garden.example/news/feed.xml?%22x'>"),
        ] {
            assert_eq!(absolute_links(html, &base), expected, "{html}");
        }
    }
}
