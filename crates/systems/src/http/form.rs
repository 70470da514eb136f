//! Members of a body as forms have them.

use std::fmt::Write as _;

use diaporos_core::change::fingerprint_bytes;
use serde_json::{Map, Value as Json};
use url::form_urlencoded::Serializer;

/// How a form is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FormMedia {
    /// `application/x-www-form-urlencoded` (WHATWG URL, 5).
    UrlEncoded,
    /// `multipart/form-data` (RFC 7578).
    Multipart,
}

impl FormMedia {
    /// Its media type, without what a body adds to it.
    pub(crate) const fn word(self) -> &'static str {
        match self {
            FormMedia::UrlEncoded => "application/x-www-form-urlencoded",
            FormMedia::Multipart => "multipart/form-data",
        }
    }

    /// The bytes of a form, and their media type.
    pub(super) fn bytes(self, members: &Map<String, Json>) -> (Vec<u8>, String) {
        let pairs = pairs(members);
        match self {
            FormMedia::UrlEncoded => {
                let text = Serializer::new(String::new()).extend_pairs(&pairs).finish();
                (text.into_bytes(), self.word().to_owned())
            }
            FormMedia::Multipart => multipart(&pairs),
        }
    }
}

/// A file that is sent as the part of a form.
#[derive(Debug, Clone, Copy)]
pub(crate) struct FilePart<'a> {
    /// What the part is called.
    pub(crate) part: &'a str,
    /// What the file is called.
    pub(crate) file: &'a str,
    /// Its media type.
    pub(crate) media: &'a str,
    /// What it holds.
    pub(crate) bytes: &'a [u8],
}

impl FilePart<'_> {
    /// The bytes and the media type of a form with a file, after the fields of members (RFC 7578). The boundary is made of what it parts, so that it
    /// stands in none of it, and the same form is the same bytes.
    pub(crate) fn in_form(self, members: &Map<String, Json>) -> (Vec<u8>, String) {
        let quoted = |text: &str| text.chars().filter(|c| !c.is_control() && *c != '"').collect::<String>();
        let pairs = pairs(members);
        let told: String = pairs.iter().flat_map(|(name, value)| [name.as_str(), value.as_str()]).collect();
        let boundary = format!("form-{}", fingerprint_bytes(&told, self.bytes));
        let mut bytes = Vec::with_capacity(self.bytes.len() + 512);
        for (name, value) in &pairs {
            let name = quoted(name);
            let field = format!("--{boundary}\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n");
            bytes.extend_from_slice(field.as_bytes());
        }
        let (part, file) = (quoted(self.part), quoted(self.file));
        let head = format!("Content-Disposition: form-data; name=\"{part}\"; filename=\"{file}\"");
        bytes.extend_from_slice(format!("--{boundary}\r\n{head}\r\nContent-Type: {}\r\n\r\n", self.media).as_bytes());
        bytes.extend_from_slice(self.bytes);
        bytes.extend_from_slice(format!("\r\n--{boundary}--\r\n").as_bytes());
        (bytes, format!("multipart/form-data; boundary={boundary}"))
    }
}

/// The fields of a form: what is within a member is named `size[height]`, and each item of a list is a field of its name.
/// What is null is left out.
pub(super) fn pairs(members: &Map<String, Json>) -> Vec<(String, String)> {
    let mut pairs = Vec::new();
    for (name, json) in members {
        add(&mut pairs, name.clone(), json);
    }
    pairs
}

fn add(pairs: &mut Vec<(String, String)>, name: String, json: &Json) {
    match json {
        Json::Null => {}
        Json::String(text) => pairs.push((name, text.clone())),
        Json::Bool(_) | Json::Number(_) => pairs.push((name, json.to_string())),
        Json::Array(items) => items.iter().for_each(|item| add(pairs, name.clone(), item)),
        Json::Object(inner) => {
            inner.iter().for_each(|(member, json)| add(pairs, format!("{name}[{member}]"), json));
        }
    }
}

/// Fields with a boundary that stands in none of them. The same form is the same bytes.
fn multipart(pairs: &[(String, String)]) -> (Vec<u8>, String) {
    let all: String = pairs.iter().flat_map(|(name, value)| [name.as_str(), value.as_str()]).collect();
    let mut boundary = String::from("form");
    while boundary == "form" || all.contains(&boundary) {
        boundary = format!("form-{}", fingerprint_bytes("boundary", format!("{boundary}{all}").as_bytes()));
    }
    let mut text = String::new();
    for (name, value) in pairs {
        // As the WHATWG's HTML has it (4.10.21.8): a name ends at no quote, and a line is none of ours.
        let name = name.replace('"', "%22").replace('\r', "%0D").replace('\n', "%0A");
        // Writing to a text does not fail.
        let _ = write!(text, "--{boundary}\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n{value}\r\n");
    }
    let _ = write!(text, "--{boundary}--\r\n");
    (text.into_bytes(), format!("multipart/form-data; boundary={boundary}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    #[test]
    fn members_as_a_form_has_them() {
        let members = json!({ "title": "Hart's & tongue", "size": { "cm": 5 }, "tags": ["wet", "rare"], "gone": null });
        let (bytes, media) = FormMedia::UrlEncoded.bytes(members.as_object().unwrap());
        assert_eq!(
            (String::from_utf8(bytes).unwrap().as_str(), media.as_str()),
            ("title=Hart%27s+%26+tongue&size%5Bcm%5D=5&tags=wet&tags=rare", "application/x-www-form-urlencoded")
        );
    }

    proptest! {
        /// Whatever a value holds, it stays the value of its own field.
        #[test]
        fn no_value_leaves_its_field(values in proptest::collection::vec("[ -~\r\n\"é-]{0,30}", 1..4)) {
            let members: Map<String, Json> =
                values.iter().enumerate().map(|(place, value)| (format!("f\"{place}"), json!(value))).collect();
            let (bytes, media) = FormMedia::Multipart.bytes(&members);
            let text = String::from_utf8(bytes).unwrap();
            let boundary = media.split_once("boundary=").unwrap().1;
            let parts: Vec<&str> = text.split(&format!("--{boundary}")).collect();
            prop_assert_eq!(parts.len(), values.len() + 2);
            for (part, value) in parts[1..].iter().zip(&values) {
                let (_, body) = part.split_once("\r\n\r\n").unwrap();
                prop_assert_eq!(body.strip_suffix("\r\n").unwrap(), value);
            }
        }
    }
}
