//! Texts of Android ("String resources"): `string`, `plurals` and `string-array` in `resources`.

use quick_xml::escape::{escape, partial_escape};

use super::plural::{FORMS, message};
use super::tree::{self, Element, Node};
use super::{Said, Text, Texts};

pub(super) fn read(text: &str, texts: &mut Texts) -> Result<(), String> {
    let root = tree::read(text)?;
    if root.name != "resources" {
        return Err(format!("has `{}` for its outermost element, and not `resources`", root.name));
    }
    for (element, note) in root.elements() {
        let Some(key) = element.attribute("name").map(str::to_owned) else { continue };
        let is_kept = element.attribute("translatable") == Some("false");
        let note = note.to_owned();
        match element.name.as_str() {
            "string" => texts.add(Text { key, note, said: said(element), is_kept })?,
            "string-array" => {
                for ((item, own), number) in element.elements().zip(0..) {
                    let note = if own.is_empty() { note.clone() } else { own.to_owned() };
                    texts.add(Text { key: format!("{key}/{number}"), note, said: said(item), is_kept })?;
                }
            }
            "plurals" => {
                let form = |(item, _): (&Element, &str)| Some((item.attribute("quantity")?.to_owned(), plain(item)));
                let forms: Vec<(String, String)> = element.elements().filter_map(form).collect();
                match message(&forms) {
                    Some(said) if forms.iter().all(|(form, _)| FORMS.contains(&form.as_str())) => {
                        texts.add(Text { key, note, said: Said::Plural(said), is_kept })?;
                    }
                    _ => texts.problem(&key, "lacks the form `other`, or has one that no language has"),
                }
            }
            _ => {}
        }
    }
    Ok(())
}

fn said(element: &Element) -> Said {
    match has_markup(element) {
        true => Said::Html(unescaped(&markup(element))),
        false => Said::Plain(plain(element)),
    }
}

/// An element that only says what must not change is none that is seen.
fn is_seen(element: &Element) -> bool {
    !element.name.ends_with(":g")
}

fn has_markup(element: &Element) -> bool {
    element.nodes.iter().any(|node| matches!(node, Node::Element(inner) if is_seen(inner) || has_markup(inner)))
}

fn markup(element: &Element) -> String {
    let mut written = String::new();
    for node in &element.nodes {
        match node {
            Node::Text(text) => written.push_str(&partial_escape(text.as_str())),
            Node::Comment(_) => {}
            Node::Element(inner) if !is_seen(inner) => written.push_str(&markup(inner)),
            Node::Element(inner) => {
                // Quotes and backslashes have a meaning in these texts, in attributes they have none.
                let value = |text: &str| escape(text).replace('\\', "&#92;");
                let attribute = |(name, text): &(String, String)| format!(" {name}='{}'", value(text));
                let attributes: String = inner.attributes.iter().map(attribute).collect();
                written.push_str(&format!("<{0}{attributes}>{1}</{0}>", inner.name, markup(inner)));
            }
        }
    }
    written
}

fn plain(element: &Element) -> String {
    unescaped(&element.text())
}

/// White space counts once, but for what stands between quotes; escapes are resolved.
fn unescaped(text: &str) -> String {
    let mut said = String::with_capacity(text.len());
    let (mut is_quoted, mut is_white) = (false, true);
    let mut rest = text.chars();
    while let Some(c) = rest.next() {
        match c {
            '"' => is_quoted = !is_quoted,
            '\\' => {
                is_white = false;
                match rest.next() {
                    Some('n') => said.push('\n'),
                    Some('t') => said.push('\t'),
                    Some('u') => {
                        let digits: String = rest.clone().take(4).collect();
                        match u32::from_str_radix(&digits, 16).ok().and_then(char::from_u32) {
                            Some(character) if digits.len() == 4 => {
                                said.push(character);
                                rest.nth(3);
                            }
                            _ => said.push_str("\\u"),
                        }
                    }
                    Some(other) => said.push(other),
                    None => said.push('\\'),
                }
            }
            c if c.is_whitespace() && !is_quoted => {
                if !is_white {
                    said.push(' ');
                }
                is_white = true;
            }
            other => {
                is_white = false;
                said.push(other);
            }
        }
    }
    if is_white && said.ends_with(' ') {
        said.pop();
    }
    said
}
