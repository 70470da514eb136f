//! What a file holds that is one document.

use serde_json::Value as Json;

use super::encoding::{utf8, xml_text};
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
