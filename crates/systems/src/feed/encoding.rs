//! From a feed's bytes to text, whatever they claim to be.

use std::sync::LazyLock;

use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};
use regex::bytes::Regex;

#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of feeds compiles")]
static DECLARED: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r#"^\s*<\?xml[^>]*?\bencoding\s*=\s*["']([A-Za-z0-9._:-]+)["']"#).expect("a pattern"));

/// The text of a feed, with what is to be said of it.
///
/// A byte order mark decides; else what is valid UTF-8 and more than ASCII is UTF-8, for text in
/// another encoding hardly ever is; else the document's own declaration, then the answer's header
/// (RFC 7303 §3.2 has them the other way round, but servers guess where documents know); else it is
/// read as windows-1252 (WHATWG Encoding).
pub(super) fn text(body: Vec<u8>, header: Option<&str>) -> (String, Option<String>) {
    if let Some(text) = utf_32(&body) {
        return (text, None);
    }
    if let Some((encoding, length)) = Encoding::for_bom(&body) {
        return (encoding.decode_without_bom_handling(&body[length..]).0.into_owned(), None);
    }
    // Its zero bytes are characters of UTF-8 too.
    if let Some(utf_16) = utf_16(&body) {
        return (utf_16.decode_without_bom_handling(&body).0.into_owned(), None);
    }
    let declared = DECLARED.captures(&body).and_then(|found| found.get(1)).map(|label| label.as_bytes().to_owned());
    let label = declared.as_deref().and_then(|label| std::str::from_utf8(label).ok()).or(header);
    let said = label.and_then(|label| Encoding::for_label(label.as_bytes()));
    let body = match String::from_utf8(body) {
        Ok(text) => {
            let differs = said.is_some_and(|said| said != UTF_8) && !text.is_ascii();
            let note = differs.then(|| note(label.unwrap_or_default(), UTF_8));
            return (text, note);
        }
        Err(other) => other.into_bytes(),
    };
    if is_mostly_utf_8(&body) {
        let note = "some of its text is not the UTF-8 that the rest is, and was read as windows-1252";
        return (utf_8_with_bytes(&body), Some(note.to_owned()));
    }
    let fits = said.and_then(|said| Some((said.decode_without_bom_handling_and_without_replacement(&body)?, said)));
    match fits {
        Some((text, _)) => (text.into_owned(), None),
        None => {
            let text = WINDOWS_1252.decode_without_bom_handling(&body).0.into_owned();
            (text, Some(note(label.unwrap_or("UTF-8"), WINDOWS_1252)))
        }
    }
}

/// Whether there are many more characters of UTF-8 beyond ASCII than bytes that are none.
fn is_mostly_utf_8(body: &[u8]) -> bool {
    let (mut characters, mut bytes) = (0_usize, 0_usize);
    for chunk in body.utf8_chunks() {
        characters += chunk.valid().chars().filter(|c| !c.is_ascii()).count();
        bytes += chunk.invalid().len();
    }
    characters > 4 * bytes
}

/// UTF-8 in which bytes that are none are characters of windows-1252.
fn utf_8_with_bytes(body: &[u8]) -> String {
    let mut text = String::with_capacity(body.len());
    for chunk in body.utf8_chunks() {
        text.push_str(chunk.valid());
        text.push_str(&WINDOWS_1252.decode_without_bom_handling(chunk.invalid()).0);
    }
    text
}

fn note(said: &str, read: &'static Encoding) -> String {
    let read = if read == UTF_8 { "UTF-8" } else { read.name() };
    format!("its text is not the {said} that it claims to be, and was read as {read}")
}

/// UTF-16 without a mark begins with `<` or `{` and a zero byte, one way or the other.
fn utf_16(body: &[u8]) -> Option<&'static Encoding> {
    match body {
        [0, b'<' | b'{', ..] => Some(encoding_rs::UTF_16BE),
        [b'<' | b'{', 0, ..] => Some(encoding_rs::UTF_16LE),
        _ => None,
    }
}

/// UTF-32, which the WHATWG has none of, with a mark or without.
fn utf_32(body: &[u8]) -> Option<String> {
    let is_big = match body.first_chunk::<4>()? {
        [0, 0, 0xfe, 0xff] | [0, 0, 0, b'<' | b'{'] => true,
        [0xff, 0xfe, 0, 0] | [b'<' | b'{', 0, 0, 0] => false,
        _ => return None,
    };
    let (units, _) = body.as_chunks::<4>();
    let unit = |bytes: &[u8; 4]| if is_big { u32::from_be_bytes(*bytes) } else { u32::from_le_bytes(*bytes) };
    let text = units.iter().map(|bytes| char::from_u32(unit(bytes)).unwrap_or(char::REPLACEMENT_CHARACTER));
    Some(text.filter(|c| *c != '\u{feff}').collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_bytes_are_read_as() {
        let latin = |declaration: &str| [declaration.as_bytes(), b"<a>foug\xe8re</a>"].concat();
        let utf_8 = |declaration: &str| format!("{declaration}<a>fougère</a>").into_bytes();
        let wide = |big: bool| {
            let pair = |unit: u16| if big { unit.to_be_bytes() } else { unit.to_le_bytes() };
            "<a>fougère</a>".encode_utf16().flat_map(pair).collect::<Vec<u8>>()
        };
        let wider = |text: &str, big: bool| {
            let unit = |c: char| if big { u32::from(c).to_be_bytes() } else { u32::from(c).to_le_bytes() };
            text.chars().flat_map(unit).collect::<Vec<u8>>()
        };
        let declared = "<?xml version='1.0' encoding='ISO-8859-1'?>";
        for (body, header, noted) in [
            (utf_8(""), None, None),
            (utf_8("\u{feff}"), Some("iso-8859-1"), None),
            (utf_8(declared), None, Some("not the ISO-8859-1 that it claims to be, and was read as UTF-8")),
            (latin(declared), Some("utf-8"), None),
            (latin(""), Some("iso-8859-1"), None),
            (latin(""), None, Some("not the UTF-8 that it claims to be, and was read as windows-1252")),
            (latin("<?xml version=\"1.0\" encoding=\"utf-8\"?>"), None, Some("read as windows-1252")),
            (latin("<?xml version=\"1.0\" encoding=\"klingon\"?>"), None, Some("klingon")),
            (
                ["<b>ééééé</b>".as_bytes(), b"\xe8", b"<a>foug\xc3\xa8re</a>"].concat(),
                None,
                Some("read as windows-1252"),
            ),
            (wider("\u{feff}<a>fougère</a>", true), None, None),
            (wider("<a>fougère</a>", false), None, None),
            (wide(true), None, None),
            (wide(false), None, None),
        ] {
            let (text, note) = text(body, header);
            assert!(text.ends_with("<a>fougère</a>"), "{text}");
            match noted {
                None => assert_eq!(note, None),
                Some(part) => assert!(note.as_ref().is_some_and(|note| note.contains(part)), "{note:?}"),
            }
        }
    }
}
