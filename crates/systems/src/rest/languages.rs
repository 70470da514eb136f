//! The shapes in which a REST system has languages, beside maps and rows: an address for each, and
//! elements of an XML text.

use diaporos_core::text::xml;
use diaporos_core::value::{EntryId, Localised, Value, from_json};
use serde_json::Value as Json;

use crate::decode::LanguageCodes;
use crate::profile::{Filled, LanguageNodes, WriteType, scalar_text};

/// What fills a call on a document. Where each language has an address of its own, an id here is the
/// document's, a slash, and the language's code.
pub(super) fn filled<'a>(write: &WriteType, id: &'a EntryId) -> Filled<'a> {
    let (id, language) = split(write, id);
    Filled { id, language, ..Filled::default() }
}

/// The document's own id, and its language's code.
pub(super) fn split<'a>(write: &WriteType, id: &'a EntryId) -> (&'a str, &'a str) {
    match id.as_str().rsplit_once('/').filter(|_| write.by_address) {
        Some((id, code)) => (id, code),
        None => (id.as_str(), ""),
    }
}

/// A localised value as elements of an XML text.
pub(super) fn to_nodes(nodes: &LanguageNodes, by_code: &[(String, Json)]) -> String {
    let LanguageNodes { element, attribute } = nodes;
    let one = |(code, json): &(String, Json)| {
        let text = scalar_text(json).unwrap_or_else(|| json.to_string());
        let (code, text) = (quick_xml::escape::escape(code.as_str()), quick_xml::escape::escape(text.as_str()));
        format!("<{element} {attribute}=\"{code}\">{text}</{element}>")
    };
    by_code.iter().map(one).collect()
}

/// A localised value from elements of an XML text; none where it is something else.
pub(super) fn from_nodes(nodes: &LanguageNodes, languages: &LanguageCodes, text: &str) -> Option<Value> {
    let json = xml::to_json(&format!("<all>{text}</all>"), xml::LIMITS).ok()?;
    let found = json.get("all")?.get(&nodes.element)?.as_array()?;
    let mut localised = Localised::new();
    for node in found {
        let code = node.get(format!("@{}", nodes.attribute)).and_then(scalar_text)?;
        let text = node.get("#text").map_or_else(|| Value::from(""), from_json);
        localised.insert(languages.tag(&code).ok()?, text);
    }
    Some(Value::Localised(localised))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_written_as_elements_is_read_again(
            texts in proptest::collection::btree_map("(en|fr|cy)", "[ -~àéŵ]{1,12}", 1..3),
        ) {
            let nodes = LanguageNodes { element: "text".to_owned(), attribute: "lang".to_owned() };
            let by_code: Vec<(String, Json)> =
                texts.iter().map(|(code, text)| (code.clone(), Json::from(text.trim()))).collect();
            let written = to_nodes(&nodes, &by_code);
            let expected: Localised =
                by_code.iter().map(|(code, json)| (code.parse().unwrap(), from_json(json))).collect();
            let read = from_nodes(&nodes, &LanguageCodes::default(), &written);
            prop_assert_eq!(read, Some(Value::Localised(expected)), "{}", written);
        }
    }
}
