//! The text of a file, whatever encoding it says it is in.

use encoding_rs::Encoding;

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
