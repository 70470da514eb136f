//! XML as JSON, so that the same paths lead into it.
//!
//! An element is an object: its attributes as `@name`, its own text as `#text`, and its child
//! elements as lists under their names, so that one child and several look alike. Names keep their
//! prefix as written. There are no entities but the five of XML and characters by number, and no
//! document type is read.

use quick_xml::escape::resolve_xml_entity;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use serde_json::{Map, Value as Json};

/// What is read at most.
#[derive(Debug, Clone, Copy)]
pub struct XmlLimits {
    /// Elements within elements.
    pub depth: usize,
    /// Elements in all.
    pub elements: usize,
}

/// What is read at most where nobody says otherwise.
pub const LIMITS: XmlLimits = XmlLimits { depth: 64, elements: 200_000 };

/// Reads a document: an object with the root element's name.
///
/// # Errors
/// Says what is wrong and at which byte.
pub fn to_json(text: &str, limits: XmlLimits) -> Result<Json, String> {
    let mut reader = Reader::from_str(text);
    let mut open: Vec<(String, Map<String, Json>)> = Vec::new();
    let mut elements = 0;
    loop {
        let at = reader.buffer_position();
        let wrong = |what: String| format!("{what} at byte {at}");
        match reader.read_event().map_err(|error| wrong(error.to_string()))? {
            Event::Start(tag) => {
                elements += 1;
                if open.len() >= limits.depth || elements > limits.elements {
                    return Err(wrong("more elements than are read".to_owned()));
                }
                open.push(element(&tag).map_err(wrong)?);
            }
            Event::Empty(tag) => {
                elements += 1;
                if elements > limits.elements {
                    return Err(wrong("more elements than are read".to_owned()));
                }
                let (name, content) = element(&tag).map_err(wrong)?;
                if let Some(root) = close(&mut open, name, content) {
                    return Ok(root);
                }
            }
            Event::End(_) => {
                let Some((name, content)) = open.pop() else { return Err(wrong("an end without a start".to_owned())) };
                if let Some(root) = close(&mut open, name, content) {
                    return Ok(root);
                }
            }
            Event::Text(text) => add_text(&mut open, &text.xml_content(XmlVersion::Implicit1_0)),
            Event::CData(text) => add_text(&mut open, &text.xml_content(XmlVersion::Implicit1_0)),
            Event::GeneralRef(reference) => {
                let character = reference.resolve_char_ref().map_err(|error| wrong(error.to_string()))?;
                let name: &str = &reference;
                let known = resolve_xml_entity(name);
                match (character, known) {
                    (Some(character), _) => add_text(&mut open, character.encode_utf8(&mut [0; 4])),
                    (None, Some(text)) => add_text(&mut open, text),
                    (None, None) => return Err(wrong(format!("the entity `&{name};` is not read"))),
                }
            }
            Event::Eof => return Err("the document ends in the middle".to_owned()),
            Event::Decl(_) | Event::PI(_) | Event::DocType(_) | Event::Comment(_) => {}
        }
    }
}

fn element(tag: &BytesStart<'_>) -> Result<(String, Map<String, Json>), String> {
    let name = tag.name().as_ref().to_owned();
    let mut content = Map::new();
    for attribute in tag.attributes() {
        let attribute = attribute.map_err(|error| error.to_string())?;
        let value = attribute.normalized_value(XmlVersion::Implicit1_0).map_err(|error| error.to_string())?;
        content.insert(format!("@{}", attribute.key.as_ref()), Json::String(value.into_owned()));
    }
    Ok((name, content))
}

fn add_text(open: &mut [(String, Map<String, Json>)], text: &str) {
    let Some((_, content)) = open.last_mut() else { return };
    if let Json::String(known) = content.entry("#text").or_insert_with(|| Json::String(String::new())) {
        known.push_str(text);
    }
}

/// Puts a closed element into its parent; gives the root back where there is none.
fn close(open: &mut [(String, Map<String, Json>)], name: String, mut content: Map<String, Json>) -> Option<Json> {
    if let Some(Json::String(text)) = content.get_mut("#text") {
        let trimmed = text.trim();
        if trimmed.is_empty() {
            content.shift_remove("#text");
        } else if trimmed.len() < text.len() {
            *text = trimmed.to_owned();
        }
    }
    let Some((_, parent)) = open.last_mut() else {
        return Some(Json::Object(Map::from_iter([(name, Json::Object(content))])));
    };
    if let Json::Array(siblings) = parent.entry(name).or_insert_with(|| Json::Array(Vec::new())) {
        siblings.push(Json::Object(content));
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(text: &str) -> String {
        to_json(text, XmlLimits { depth: 4, elements: 10 }).map_or_else(|error| error, |json| json.to_string())
    }

    #[test]
    fn elements_attributes_and_text() {
        let text = r#"<?xml version="1.0"?><plant n="1"><name xml:lang="en">Fern &amp; moss</name><name xml:lang="fr"><![CDATA[<p>Fougère</p>]]></name><empty/></plant>"#;
        assert_eq!(
            drawn(text),
            r##"{"plant":{"@n":"1","name":[{"@xml:lang":"en","#text":"Fern & moss"},{"@xml:lang":"fr","#text":"<p>Fougère</p>"}],"empty":[{}]}}"##
        );
        assert_eq!(drawn("<a>x&#233;y</a>"), r##"{"a":{"#text":"xéy"}}"##);
    }

    #[test]
    fn what_is_not_read() {
        for (text, expected) in [
            ("<a><b></a>", "ill-formed document: expected `</b>`, but `</a>` was found at byte 6"),
            ("<a><b>", "the document ends in the middle"),
            ("", "the document ends in the middle"),
            ("<a>&secret;</a>", "the entity `&secret;` is not read at byte 3"),
            ("<a><a><a><a><a>", "more elements than are read at byte 12"),
            ("<a x='1' x='2'/>", "position 8: duplicated attribute, previous declaration at position 2 at byte 0"),
        ] {
            assert_eq!(drawn(text), expected, "{text}");
        }
        let bomb = r#"<!DOCTYPE a [<!ENTITY x "y"><!ENTITY z "&x;&x;">]><a>&z;</a>"#;
        assert!(drawn(bomb).contains("the entity `&z;` is not read"), "{}", drawn(bomb));
    }
}
