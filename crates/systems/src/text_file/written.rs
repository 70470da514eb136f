//! Documents written as files: JSON, or Markdown with front matter.

use serde_json::{Map, Value as Json};

use super::parsed::{WholeForm, parse};

/// The form that a file's ending tells.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum FileForm {
    Json,
    Markdown,
}

/// The member that is a Markdown file's text.
const TEXT: &str = "body";

impl FileForm {
    pub(crate) fn of(place: &str) -> Option<FileForm> {
        match place.rsplit_once('.')?.1 {
            "json" => Some(FileForm::Json),
            "md" => Some(FileForm::Markdown),
            _ => None,
        }
    }

    pub(crate) fn media(self) -> &'static str {
        match self {
            FileForm::Json => "application/json",
            FileForm::Markdown => "text/markdown; charset=utf-8",
        }
    }

    /// A document's bytes. Front matter is YAML whose values are written as JSON, which YAML 1.2 has
    /// as a part, so that every value comes back as it was.
    pub(crate) fn bytes(self, document: &Map<String, Json>) -> Vec<u8> {
        match self {
            FileForm::Json => format!("{:#}\n", Json::Object(document.clone())).into_bytes(),
            FileForm::Markdown => {
                let mut text = "---\n".to_owned();
                for (name, value) in document.iter().filter(|(name, _)| *name != TEXT) {
                    text += &format!("{}: {value}\n", key(name));
                }
                text += "---\n";
                match document.get(TEXT) {
                    Some(Json::String(body)) if !body.is_empty() => text += &format!("\n{}\n", body.trim_end()),
                    _ => {}
                }
                text.into_bytes()
            }
        }
    }

    /// What bytes hold. An empty file is an empty document.
    pub(crate) fn document(self, bytes: &[u8]) -> Result<Map<String, Json>, String> {
        if bytes.iter().all(u8::is_ascii_whitespace) {
            return Ok(Map::new());
        }
        let json = match self {
            FileForm::Json => parse(WholeForm::Json, bytes)?,
            FileForm::Markdown => parse(WholeForm::Markdown, bytes)?,
        };
        match json {
            Json::Object(members) => Ok(members),
            _ => Err("is not an object".to_owned()),
        }
    }
}

/// A name that YAML reads as it is stands bare; any other between quotes.
fn key(name: &str) -> String {
    let plain = name.starts_with(|c: char| c.is_ascii_alphabetic())
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-');
    let word =
        ["true", "false", "null", "yes", "no", "on", "off", "y", "n"].contains(&name.to_ascii_lowercase().as_str());
    if plain && !word { name.to_owned() } else { Json::String(name.to_owned()).to_string() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    #[test]
    fn a_page_as_a_file() {
        let page =
            json!({ "title": "Hart's-tongue: a fern", "tags": ["a", "b"], "no": null, "body": "# Fern\n\nTall." });
        let text = String::from_utf8(FileForm::Markdown.bytes(page.as_object().unwrap())).unwrap();
        assert_eq!(
            text,
            "---\ntitle: \"Hart's-tongue: a fern\"\ntags: [\"a\",\"b\"]\n\"no\": null\n---\n\n# Fern\n\nTall.\n"
        );
    }

    fn any_json() -> impl Strategy<Value = Json> {
        let leaf = prop_oneof![
            Just(Json::Null),
            any::<bool>().prop_map(Json::from),
            any::<i64>().prop_map(Json::from),
            "[ -~àéŵ\n\t]{0,12}".prop_map(Json::from),
        ];
        leaf.prop_recursive(2, 8, 3, |inner| {
            prop_oneof![
                proptest::collection::vec(inner.clone(), 0..3).prop_map(Json::from),
                proptest::collection::btree_map("[a-zA-Z: #-]{1,6}", inner, 0..3)
                    .prop_map(|members| Json::Object(members.into_iter().collect())),
            ]
        })
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(
            members in proptest::collection::btree_map("[a-zA-Z: #-]{1,6}", any_json(), 0..5),
            body in "[a-z#*-]{1,8}( [a-z]{1,5}){0,3}",
        ) {
            let mut document: Map<String, Json> = members.into_iter().collect();
            document.insert("body".to_owned(), Json::from(body.trim()));
            for form in [FileForm::Json, FileForm::Markdown] {
                let bytes = form.bytes(&document);
                let again = form.document(&bytes);
                prop_assert_eq!(again.as_ref(), Ok(&document), "{}", String::from_utf8_lossy(&bytes));
            }
        }
    }
}
