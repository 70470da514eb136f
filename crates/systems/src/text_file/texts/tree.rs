//! A document of XML with its texts and comments where they stand.

use quick_xml::escape::resolve_xml_entity;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};

use diaporos_core::text::xml::LIMITS;

/// What stands in an element.
#[derive(Debug)]
pub(super) enum Node {
    Element(Element),
    Text(String),
    Comment(String),
}

#[derive(Debug, Default)]
pub(super) struct Element {
    pub(super) name: String,
    pub(super) attributes: Vec<(String, String)>,
    pub(super) nodes: Vec<Node>,
}

impl Element {
    pub(super) fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
    }

    /// The elements in it, each with the comment right before it.
    pub(super) fn elements(&self) -> impl Iterator<Item = (&Element, &str)> {
        let mut comment = "";
        self.nodes.iter().filter_map(move |node| match node {
            Node::Element(element) => Some((element, std::mem::take(&mut comment))),
            Node::Comment(text) => {
                comment = text.trim();
                None
            }
            Node::Text(_) => None,
        })
    }

    /// Its texts, and those of elements within it.
    pub(super) fn text(&self) -> String {
        self.nodes
            .iter()
            .map(|node| match node {
                Node::Text(text) => text.clone(),
                Node::Element(inner) => inner.text(),
                Node::Comment(_) => String::new(),
            })
            .collect()
    }

    fn of(tag: &BytesStart<'_>) -> Result<Element, String> {
        let mut attributes = Vec::new();
        for attribute in tag.attributes() {
            let attribute = attribute.map_err(|error| error.to_string())?;
            let value = attribute.normalized_value(XmlVersion::Implicit1_0).map_err(|error| error.to_string())?;
            attributes.push((attribute.key.as_ref().to_owned(), value.into_owned()));
        }
        Ok(Element { name: tag.name().as_ref().to_owned(), attributes, nodes: Vec::new() })
    }
}

/// Reads a document: its outermost element.
///
/// # Errors
/// Says what is wrong and at which byte.
pub(super) fn read(text: &str) -> Result<Element, String> {
    let mut reader = Reader::from_str(text.trim_start_matches('\u{feff}'));
    let mut open: Vec<Element> = vec![Element::default()];
    let mut elements = 0;
    loop {
        let at = reader.buffer_position();
        let wrong = |what: String| format!("is not XML: {what} at byte {at}");
        let event = reader.read_event().map_err(|error| wrong(error.to_string()))?;
        if matches!(event, Event::Start(_) | Event::Empty(_)) {
            elements += 1;
            if open.len() > LIMITS.depth || elements > LIMITS.elements {
                return Err(wrong("more elements than are read".to_owned()));
            }
        }
        let node = match event {
            Event::Start(tag) => {
                open.push(Element::of(&tag).map_err(wrong)?);
                continue;
            }
            Event::Empty(tag) => Node::Element(Element::of(&tag).map_err(wrong)?),
            Event::End(_) => match open.pop() {
                Some(element) if !open.is_empty() => Node::Element(element),
                _ => return Err(wrong("an end without a start".to_owned())),
            },
            Event::Text(text) => Node::Text(text.xml_content(XmlVersion::Implicit1_0).into_owned()),
            Event::CData(text) => Node::Text(text.xml_content(XmlVersion::Implicit1_0).into_owned()),
            Event::Comment(text) => Node::Comment(text.to_string()),
            Event::GeneralRef(reference) => {
                let character = reference.resolve_char_ref().map_err(|error| wrong(error.to_string()))?;
                let name: &str = &reference;
                match (character, resolve_xml_entity(name)) {
                    (Some(character), _) => Node::Text(character.to_string()),
                    (None, Some(text)) => Node::Text(text.to_owned()),
                    (None, None) => return Err(wrong(format!("the entity `&{name};` is not read"))),
                }
            }
            Event::Eof => break,
            Event::Decl(_) | Event::PI(_) | Event::DocType(_) => continue,
        };
        if let Some(parent) = open.last_mut() {
            parent.nodes.push(node);
        }
    }
    if open.len() > 1 {
        return Err("is not XML: it ends in the middle".to_owned());
    }
    let root = open.pop().unwrap_or_default().nodes.into_iter().find_map(|node| match node {
        Node::Element(element) => Some(element),
        _ => None,
    });
    root.ok_or_else(|| "is not XML: it has no element".to_owned())
}
