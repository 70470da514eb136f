//! Languages as elements of an XML text: `<text lang="en">…</text>`.

use diaporos_core::text::xml;
use diaporos_core::value::{Localised, Value, from_json};
use serde_json::Value as Json;

use super::LanguageCodes;
use crate::query::scalar_text;

/// Elements of an XML text that hold a language each.
#[derive(Debug, Clone)]
pub(crate) struct Elements {
    /// Their name.
    pub(super) element: String,
    /// The attribute that holds the language.
    pub(super) attribute: String,
}

impl Elements {
    /// A localised value as elements of an XML text.
    pub(super) fn write(&self, by_code: &[(String, Json)]) -> String {
        let Elements { element, attribute } = self;
        let one = |(code, json): &(String, Json)| {
            let text = scalar_text(json).unwrap_or_else(|| json.to_string());
            let (code, text) = (quick_xml::escape::escape(code.as_str()), quick_xml::escape::escape(text.as_str()));
            format!("<{element} {attribute}=\"{code}\">{text}</{element}>")
        };
        by_code.iter().map(one).collect()
    }

    /// A localised value from elements of an XML text; none where it is something else.
    pub(super) fn read(&self, codes: &LanguageCodes, text: &str) -> Option<Localised> {
        let json = xml::to_json(&format!("<all>{text}</all>"), xml::LIMITS).ok()?;
        let found = json.get("all")?.get(&self.element)?.as_array()?;
        let mut localised = Localised::new();
        for node in found {
            let code = node.get(format!("@{}", self.attribute)).and_then(scalar_text)?;
            let text = node.get("#text").map_or_else(|| Value::from(""), from_json);
            localised.insert(codes.tag(&code).ok()?, text);
        }
        Some(localised)
    }
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
            let elements = Elements { element: "text".to_owned(), attribute: "lang".to_owned() };
            let by_code: Vec<(String, Json)> =
                texts.iter().map(|(code, text)| (code.clone(), Json::from(text.trim()))).collect();
            let written = elements.write(&by_code);
            let expected: Localised =
                by_code.iter().map(|(code, json)| (code.parse().unwrap(), from_json(json))).collect();
            let read = elements.read(&LanguageCodes::default(), &written);
            prop_assert_eq!(read, Some(expected), "{}", written);
        }
    }
}
