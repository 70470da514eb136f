//! What a file holds that is one document.

use encoding_rs::Encoding;
use serde_json::Value as Json;

use super::front_matter;
use super::texts::{self, TextsForm};
use diaporos_core::text::xml;

/// The forms of files that are one document.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum WholeForm {
    Json,
    Xml,
    Markdown,
    /// Texts by key.
    Texts(TextsForm),
}

/// What a file holds.
pub(crate) fn parse(form: WholeForm, bytes: &[u8]) -> Result<Json, String> {
    is_of_its_kind(bytes)?;
    match form {
        WholeForm::Json => {
            let text = utf8(bytes)?;
            serde_json::from_str(text).map_err(|error| format!("is not JSON: {error}"))
        }
        WholeForm::Xml => xml::to_json(&xml_text(bytes)?, xml::LIMITS).map_err(|error| format!("is not XML: {error}")),
        WholeForm::Markdown => front_matter::parse(utf8(bytes)?),
        WholeForm::Texts(form) => texts::parse(form, bytes),
    }
}

/// Refuses what stands in a file's place when a log-in, a full disk or a broken upload is in the way:
/// nothing, or a page of HTML. What was known of the file stays.
fn is_of_its_kind(bytes: &[u8]) -> Result<(), String> {
    let start = String::from_utf8_lossy(&bytes[..bytes.len().min(512)]).trim_start_matches('\u{feff}').to_lowercase();
    let start = start.trim_start();
    if start.is_empty() && bytes.iter().all(u8::is_ascii_whitespace) {
        return Err("is empty".to_owned());
    }
    if start.starts_with("<!doctype html") || start.starts_with("<html") {
        return Err("is a page of HTML and not what its ending says; does a log-in stand before it?".to_owned());
    }
    Ok(())
}

/// The text, without a byte order mark.
pub(super) fn utf8(bytes: &[u8]) -> Result<&str, String> {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    std::str::from_utf8(bytes)
        .map_err(|error| format!("is not UTF-8 (at byte {}); save it as UTF-8", error.valid_up_to()))
}

/// The text of an XML document, whose encoding is told by a byte order mark or its declaration.
pub(super) fn xml_text(bytes: &[u8]) -> Result<String, String> {
    let declared = || {
        let start = String::from_utf8_lossy(&bytes[..bytes.len().min(200)]).into_owned();
        let declaration = start.strip_prefix("<?xml")?.split("?>").next()?.to_owned();
        let after = declaration.split("encoding").nth(1)?;
        let label = after.trim_start_matches([' ', '=']).trim_start_matches(['"', '\'']);
        Some(label.split(['"', '\'']).next()?.to_owned())
    };
    let label = if Encoding::for_bom(bytes).is_some() { None } else { declared() };
    let encoding = match &label {
        None => encoding_rs::UTF_8,
        Some(label) => Encoding::for_label(label.as_bytes()).ok_or(format!("is in an unknown encoding, `{label}`"))?,
    };
    let (text, used, broken) = encoding.decode(bytes);
    if broken {
        return Err(format!("is not in the encoding it declares, {}", used.name()));
    }
    Ok(text.into_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(form: WholeForm, bytes: &[u8]) -> String {
        parse(form, bytes).map_or_else(|error| error, |json| json.to_string())
    }

    #[test]
    fn what_files_hold_and_what_is_said_of_broken_ones() {
        use WholeForm::{Json, Markdown, Xml};
        let table: [(WholeForm, &[u8]); 14] = [
            (Json, b"\xef\xbb\xbf{\"a\": 1}"),
            (Json, b"{\"a\": "),
            (Json, b"\xff\xfe"),
            (Json, b""),
            (Xml, b"<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?><a>caf\xe9</a>"),
            (Xml, b"<?xml version=\"1.0\" encoding=\"x-unknown\"?><a/>"),
            (Xml, b"<a>caf\xe9</a>"),
            (Xml, b"<a><b></a>"),
            (Markdown, b"---\ntitle: Fern\ntags: [a, b]\n---\n# Fern\n\nTall.\n"),
            (Markdown, b"+++\ntitle = \"Fern\"\n+++\nTall."),
            (Markdown, b"Only words."),
            (Markdown, b"---\ntitle: [\n---\nx"),
            (Markdown, b"---\ntitle: x\nno end"),
            (Markdown, b"---\n- a list\n---\nx"),
        ];
        insta::assert_snapshot!(table.map(|(form, bytes)| drawn(form, bytes)).join("\n"));
    }
}
