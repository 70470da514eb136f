//! HTML within Markdown, by where its tags stand.

use std::ops::Range;

use html5gum::{DefaultEmitter, HtmlString, StartTag, Token as Read, Tokenizer};

use super::super::element::{is_opaque_name, is_read, is_void_name};
use super::attribute::AttributePlace;
use super::mapped::Mapped;
use super::token::{Mark, Origin, Role, Token};
use crate::translate::protect::Protected;

/// The tokens of a piece of HTML.
pub(super) fn tokens(html: &Mapped, protected: &Protected) -> Vec<Token> {
    let mut emitter = DefaultEmitter::<usize>::new_with_span();
    emitter.naively_switch_states(true);
    let mut tokens = Vec::new();
    for read in Tokenizer::new_with_emitter(html.text.as_str(), emitter) {
        let Ok(read) = read;
        let token = match read {
            Read::StartTag(tag) => Token::Mark(start(&tag, html, protected)),
            Read::EndTag(tag) => {
                let place = html.place_of(tag.span.start..tag.span.end);
                let origin = Origin::Html { is_opaque: false, attributes: Vec::new() };
                Token::Mark(Mark { role: Role::Close { instead: None }, name: text(&tag.name), place, origin })
            }
            Read::String(string) => {
                let place = html.place_of(string.span.start..string.span.end);
                Token::Text { text: text(&string.value), place }
            }
            Read::Comment(comment) => Token::Mark(aside(html.place_of(comment.span.start..comment.span.end))),
            Read::Doctype(doctype) => Token::Mark(aside(html.place_of(doctype.span.start..doctype.span.end))),
            Read::Error(_) => continue,
        };
        tokens.push(token);
    }
    tokens
}

/// The one tag that a piece of HTML is.
pub(super) fn tag(html: &str, place: Range<usize>, source: &str, protected: &Protected) -> Mark {
    let mut mapped = Mapped::default();
    mapped.push(html, place.clone(), source);
    match tokens(&mapped, protected).as_slice() {
        [Token::Mark(mark)] if mark.place == place => mark.clone(),
        _ => aside(place),
    }
}

/// What is neither text nor an element.
fn aside(place: Range<usize>) -> Mark {
    let origin = Origin::Html { is_opaque: false, attributes: Vec::new() };
    Mark { role: Role::Alone { shown: None }, name: "comment".to_owned(), place, origin }
}

fn start(tag: &StartTag<usize>, html: &Mapped, protected: &Protected) -> Mark {
    let name = text(&tag.name);
    let value = |wanted: &str| {
        let found = tag.attributes.iter().find(|(name, _)| text(name) == wanted);
        found.map(|(_, value)| text(&value.value))
    };
    let is_kept = value("translate").as_deref() == Some("no")
        || value("class")
            .is_some_and(|class| class.split_whitespace().any(|one| one.eq_ignore_ascii_case("notranslate")));
    let is_opaque = is_opaque_name(&name) || name == "pre" || is_kept;
    let role = if is_void_name(&name) || tag.self_closing { Role::Alone { shown: None } } else { Role::Open };
    let attributes = if is_opaque {
        Vec::new()
    } else {
        attributes(tag, html, &|name| {
            is_read(&text(&tag.name), name, value("type").as_deref()) || protected.reads(name)
        })
    };
    let place = html.place_of(tag.span.start..tag.span.end);
    Mark { role, name, place, origin: Origin::Html { is_opaque, attributes } }
}

fn attributes(tag: &StartTag<usize>, html: &Mapped, is_read: &dyn Fn(&str) -> bool) -> Vec<AttributePlace> {
    let mut found = Vec::new();
    for (name, value) in &tag.attributes {
        let (name, place) = (text(name), value.span.start..value.span.end);
        let quoted = html.text.get(place.clone()).filter(|_| is_read(&name)).and_then(quoted_value);
        if let Some((inner, quote)) = quoted {
            let place = html.place_of(place.start + inner.start..place.start + inner.end);
            found.push(AttributePlace { name, value: text(&value.value), place, quote });
        }
    }
    found.sort_by_key(|attribute| attribute.place.start);
    found
}

/// Where the value stands in an attribute, which is `name="value"`, and its quotes.
fn quoted_value(attribute: &str) -> Option<(Range<usize>, char)> {
    let (name, value) = attribute.split_once('=')?;
    let start = name.len() + 1 + value.len() - value.trim_start().len();
    let quote = value.trim_start().chars().next().filter(|quote| matches!(quote, '"' | '\''))?;
    let is_whole = attribute.len() >= start + 2 && attribute.ends_with(quote);
    is_whole.then(|| (start + 1..attribute.len() - 1, quote))
}

fn text(read: &HtmlString) -> String {
    String::from_utf8_lossy(read).into_owned()
}
