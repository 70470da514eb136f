//! XML as JSON, so that the same paths lead into it.
//!
//! An element is an object: its attributes as `@name`, its own text as `#text`, and its child
//! elements as lists under their names, so that one child and several look alike. Names keep their
//! prefix as written. There are no entities but the five of XML and characters by number, and no
//! document type is read.

use std::fmt::Write as _;

use quick_xml::escape::{escape, resolve_xml_entity};
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

/// Writes a document from the form in which it is read: an object with the root element's name. A text in the place of
/// an element, or of a list of them, is an element with that text.
///
/// # Errors
/// Says what XML has no form for: a name that no element can have, a character that no document can have.
pub fn from_json(root: &Json) -> Result<String, String> {
    let mut members = root.as_object().into_iter().flatten();
    let (Some((name, content)), None) = (members.next(), members.next()) else {
        return Err("a document in XML has one element around all others".to_owned());
    };
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>");
    write_element(name, content, 0, &mut out)?;
    Ok(out)
}

fn write_element(name: &str, content: &Json, depth: usize, out: &mut String) -> Result<(), String> {
    if !is_name(name) {
        return Err(format!("`{name}` is no name that an element can have"));
    }
    if depth > LIMITS.depth {
        return Err("more elements within elements than are read".to_owned());
    }
    let Json::Object(members) = content else {
        if let Json::Array(siblings) = content {
            return siblings.iter().try_for_each(|one| write_element(name, one, depth, out));
        }
        let text = written(content)?;
        let _ = match text.as_str() {
            "" => write!(out, "<{name}/>"),
            text => write!(out, "<{name}>{}</{name}>", escape(text)),
        };
        return Ok(());
    };
    let _ = write!(out, "<{name}");
    let is_attribute = |member: &str| member.starts_with('@');
    for (member, value) in members.iter().filter(|(member, value)| is_attribute(member) && !value.is_null()) {
        if !is_name(&member[1..]) {
            return Err(format!("`{}` is no name that an attribute can have", &member[1..]));
        }
        let _ = write!(out, " {}=\"{}\"", &member[1..], escape(&written(value)?));
    }
    let start = out.len();
    out.push('>');
    for (member, value) in members.iter().filter(|(member, _)| !is_attribute(member)) {
        match member.as_str() {
            "#text" => out.push_str(&escape(&written(value)?)),
            member => write_element(member, value, depth + 1, out)?,
        }
    }
    if out.len() == start + 1 {
        out.truncate(start);
        out.push_str("/>");
    } else {
        let _ = write!(out, "</{name}>");
    }
    Ok(())
}

/// A value without others in it as a text.
fn written(json: &Json) -> Result<String, String> {
    let text = match json {
        Json::Null => String::new(),
        Json::String(text) => text.clone(),
        Json::Bool(_) | Json::Number(_) => json.to_string(),
        Json::Array(_) | Json::Object(_) => return Err("a text in XML has nothing within it".to_owned()),
    };
    match text.chars().find(|c| !is_character(*c)) {
        None => Ok(text),
        Some(other) => Err(format!("the character U+{:04X} stands in no document in XML", u32::from(other))),
    }
}

/// Whether a document may have a character (XML 1.0 §2.2).
fn is_character(c: char) -> bool {
    matches!(c, '\t' | '\n' | '\r' | ' '..='\u{D7FF}' | '\u{E000}'..='\u{FFFD}' | '\u{10000}'..)
}

/// Whether an element or an attribute may have a name (XML 1.0 §2.3, of letters, digits and `.-_:`).
fn is_name(name: &str) -> bool {
    let begins = |c: char| c.is_alphabetic() || c == '_';
    name.starts_with(begins) && name.chars().all(|c| c.is_alphanumeric() || matches!(c, '.' | '-' | '_' | ':'))
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
    use serde_json::json;

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
    fn what_is_written_is_read_again_as_it_was() {
        let text = r#"<?xml version="1.0" encoding="UTF-8"?><plant n="1 &amp; 2"><name xml:lang="en">Fern &lt;b&gt;</name><name/><size><cm>3</cm></size></plant>"#;
        let json = to_json(text, LIMITS).unwrap();
        assert_eq!(from_json(&json).unwrap(), text);
        let short = json!({ "plant": { "name": "Fern", "tags": ["a", "b"], "size": { "cm": 3 }, "none": null } });
        let expected = "<plant><name>Fern</name><tags>a</tags><tags>b</tags><size><cm>3</cm></size><none/></plant>";
        assert!(from_json(&short).unwrap().ends_with(expected), "{}", from_json(&short).unwrap());
        for (wrong, says) in [
            (json!({ "a": 1, "b": 2 }), "one element around all others"),
            (json!([1]), "one element around all others"),
            (json!({ "a": { "b c": 1 } }), "`b c` is no name"),
            (json!({ "a": { "@b>": "1" } }), "`b>` is no name"),
            (json!({ "a": "x\u{1}" }), "U+0001"),
            (json!({ "a": { "@b": { "c": 1 } } }), "nothing within it"),
        ] {
            assert!(from_json(&wrong).unwrap_err().contains(says), "{wrong}");
        }
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
