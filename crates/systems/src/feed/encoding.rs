//! In which encoding a feed's bytes are, whatever they claim.

use std::io::{self, Read};
use std::sync::LazyLock;

use diaporos_core::change::{BytesFingerprint, Fingerprint};
use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE, WINDOWS_1252};
use regex::bytes::Regex;

#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of feeds compiles")]
static DECLARED: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r#"^\s*<\?xml[^>]*?\bencoding\s*=\s*["']([A-Za-z0-9._:-]+)["']"#).expect("a pattern"));

/// Bytes that are looked at for a declaration.
const HEAD: usize = 1_024;
/// Bytes that are read at a time.
pub(super) const PIECE: usize = 64 * 1_024;

/// How bytes become text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Coding {
    /// UTF-8, in which bytes that are none are characters of windows-1252.
    Utf8,
    /// Any other that the WHATWG has, malformed bytes as windows-1252 reads them.
    Other(&'static Encoding),
    /// UTF-32, which the WHATWG has none of.
    Utf32 {
        /// Whether the first byte of a character is its highest.
        is_big: bool,
    },
}

/// What all bytes of a document show.
#[derive(Debug)]
pub(super) struct Scan {
    /// Their hash.
    pub(super) content: Fingerprint,
    head: Vec<u8>,
    /// Characters of UTF-8 beyond ASCII.
    characters: u64,
    /// Bytes that are no UTF-8.
    strange: u64,
}

/// Looks at all bytes of a document once, with the text that says how they are read.
pub(super) fn scan(from: &mut dyn Read, scheme: &str) -> io::Result<Scan> {
    let mut content = BytesFingerprint::new(scheme);
    let mut scan = Scan { content: content.end(), head: Vec::new(), characters: 0, strange: 0 };
    let mut piece = vec![0; PIECE];
    let mut held = 0;
    loop {
        let read = from.read(&mut piece[held..])?;
        content.take(&piece[held..held + read]);
        let bytes = &piece[..held + read];
        let missing = HEAD.saturating_sub(scan.head.len()).min(read);
        scan.head.extend_from_slice(&bytes[held..held + missing]);
        let whole = if read == 0 { bytes.len() } else { whole_characters(bytes) };
        for chunk in bytes[..whole].utf8_chunks() {
            scan.characters += chunk.valid().chars().filter(|c| !c.is_ascii()).count() as u64;
            scan.strange += chunk.invalid().len() as u64;
        }
        if read == 0 {
            scan.content = content.end();
            return Ok(scan);
        }
        piece.copy_within(whole..held + read, 0);
        held = held + read - whole;
    }
}

/// How many bytes there are before a character of UTF-8 that goes on after them.
pub(super) fn whole_characters(bytes: &[u8]) -> usize {
    let last = bytes.len().saturating_sub(3);
    let begins = bytes[last..].iter().rposition(|byte| *byte >= 0xc0).map(|at| last + at);
    match begins {
        Some(begins) => match std::str::from_utf8(&bytes[begins..]) {
            Err(error) if error.error_len().is_none() => begins,
            _ => bytes.len(),
        },
        None => bytes.len(),
    }
}

impl Scan {
    /// The encoding, with what is to be said of it.
    ///
    /// A byte order mark decides; else what is valid UTF-8 and more than ASCII is UTF-8, for text in
    /// another encoding hardly ever is; else the document's own declaration, then the answer's header
    /// (RFC 7303 §3.2 has them the other way round, but servers guess where documents know); else it is
    /// read as windows-1252 (WHATWG Encoding).
    ///
    /// # Errors
    /// Where the bytes cannot be read again.
    pub(super) fn coding(
        &self,
        header: Option<&str>,
        again: &mut dyn FnMut() -> io::Result<Box<dyn Read + Send>>,
    ) -> io::Result<(Coding, Option<String>)> {
        if let Some(is_big) = utf_32(&self.head) {
            return Ok((Coding::Utf32 { is_big }, None));
        }
        if let Some((encoding, _)) = Encoding::for_bom(&self.head) {
            return Ok((coding_of(encoding), None));
        }
        // Its zero bytes are characters of UTF-8 too.
        if let Some(utf_16) = utf_16(&self.head) {
            return Ok((Coding::Other(utf_16), None));
        }
        let declared = DECLARED.captures(&self.head).and_then(|found| found.get(1)).map(|label| label.as_bytes());
        let label = declared.and_then(|label| std::str::from_utf8(label).ok()).or(header);
        let said = label.and_then(|label| Encoding::for_label(label.as_bytes()));
        if self.strange == 0 {
            let differs = said.is_some_and(|said| said != UTF_8) && self.characters > 0;
            return Ok((Coding::Utf8, differs.then(|| note(label.unwrap_or_default(), UTF_8))));
        }
        if self.characters > 4 * self.strange {
            let note = "some of its text is not the UTF-8 that the rest is, and was read as windows-1252";
            return Ok((Coding::Utf8, Some(note.to_owned())));
        }
        match said {
            Some(said) if said != UTF_8 && fits(said, again()?.as_mut())? => Ok((Coding::Other(said), None)),
            _ => Ok((Coding::Other(WINDOWS_1252), Some(note(label.unwrap_or("UTF-8"), WINDOWS_1252)))),
        }
    }
}

fn coding_of(encoding: &'static Encoding) -> Coding {
    if encoding == UTF_8 { Coding::Utf8 } else { Coding::Other(encoding) }
}

/// Whether every byte means something in an encoding.
fn fits(encoding: &'static Encoding, from: &mut dyn Read) -> io::Result<bool> {
    let mut decoder = encoding.new_decoder_without_bom_handling();
    let (mut piece, mut text) = (vec![0; PIECE], String::new());
    loop {
        let read = from.read(&mut piece)?;
        text.clear();
        text.reserve(decoder.max_utf8_buffer_length_without_replacement(read).unwrap_or(PIECE * 4));
        let (result, _) = decoder.decode_to_string_without_replacement(&piece[..read], &mut text, read == 0);
        match result {
            encoding_rs::DecoderResult::InputEmpty if read == 0 => return Ok(true),
            encoding_rs::DecoderResult::InputEmpty => {}
            _ => return Ok(false),
        }
    }
}

fn note(said: &str, read: &'static Encoding) -> String {
    let read = if read == UTF_8 { "UTF-8" } else { read.name() };
    format!("its text is not the {said} that it claims to be, and was read as {read}")
}

/// UTF-16 without a mark begins with `<` or `{` and a zero byte, one way or the other.
fn utf_16(body: &[u8]) -> Option<&'static Encoding> {
    match body {
        [0, b'<' | b'{', ..] => Some(UTF_16BE),
        [b'<' | b'{', 0, ..] => Some(UTF_16LE),
        _ => None,
    }
}

/// Whether UTF-32, with a mark or without, has its highest byte first.
fn utf_32(body: &[u8]) -> Option<bool> {
    match body.first_chunk::<4>()? {
        [0, 0, 0xfe, 0xff] | [0, 0, 0, b'<' | b'{'] => Some(true),
        [0xff, 0xfe, 0, 0] | [b'<' | b'{', 0, 0, 0] => Some(false),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::super::source::{Spool, TextSource};
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
            let mut document = Spool::of(&body).unwrap();
            let scan = scan(&mut document.again().unwrap(), "").unwrap();
            let (coding, note) = scan.coding(header, &mut || document.again()).unwrap();
            let mut source = TextSource::new(coding, document.again().unwrap());
            let mut text = String::new();
            while source.more(&mut text).unwrap() {}
            assert!(text.ends_with("<a>fougère</a>"), "{text}");
            match noted {
                None => assert_eq!(note, None),
                Some(part) => assert!(note.as_ref().is_some_and(|note| note.contains(part)), "{note:?}"),
            }
        }
    }
}
