//! A feed's text as it is read: kept aside as it comes, and decoded piece by piece.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::Path;

use encoding_rs::{Decoder, WINDOWS_1252};

use super::encoding::{Coding, PIECE, whole_characters};
use crate::http::BodySink;

/// A body that is kept aside, in a file that has no name.
#[derive(Debug)]
pub(super) struct Spool {
    file: File,
}

impl Spool {
    /// With nothing in it yet.
    pub(super) fn new() -> io::Result<Spool> {
        Ok(Spool { file: tempfile::tempfile()? })
    }

    /// A body that is there already.
    #[cfg(any(test, fuzzing))]
    pub(super) fn of(body: &[u8]) -> io::Result<Spool> {
        let mut spool = Spool::new()?;
        spool.file.write_all(body)?;
        Ok(spool)
    }

    /// A file of the hub, which is read where it is.
    pub(super) fn of_file(path: &Path) -> io::Result<Spool> {
        Ok(Spool { file: File::open(path)? })
    }

    /// How many bytes there are.
    pub(super) fn length(&self) -> io::Result<u64> {
        Ok(self.file.metadata()?.len())
    }

    /// The body from its beginning. Only one that is read at a time is where it should be.
    pub(super) fn again(&mut self) -> io::Result<Box<dyn Read + Send>> {
        let mut file = self.file.try_clone()?;
        file.seek(SeekFrom::Start(0))?;
        Ok(Box::new(file))
    }
}

impl BodySink for Spool {
    fn begin(&mut self) -> io::Result<()> {
        self.file.set_len(0)?;
        self.file.seek(SeekFrom::Start(0)).map(drop)
    }

    fn take(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.file.write_all(bytes)
    }
}

/// Text that comes piece by piece.
pub(super) struct TextSource {
    from: Box<dyn Read + Send>,
    decoding: Decoding,
    /// Bytes of a character that is not whole yet.
    held: Vec<u8>,
    is_first: bool,
    ended: bool,
}

enum Decoding {
    Utf8,
    Other(Decoder),
    Utf32 { is_big: bool },
}

impl std::fmt::Debug for TextSource {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("TextSource").field("ended", &self.ended).finish_non_exhaustive()
    }
}

impl TextSource {
    /// The text of some bytes.
    pub(super) fn new(coding: Coding, from: Box<dyn Read + Send>) -> TextSource {
        let decoding = match coding {
            Coding::Utf8 => Decoding::Utf8,
            Coding::Other(encoding) => Decoding::Other(encoding.new_decoder_with_bom_removal()),
            Coding::Utf32 { is_big } => Decoding::Utf32 { is_big },
        };
        TextSource { from, decoding, held: Vec::new(), is_first: true, ended: false }
    }

    /// Whether all of it was read.
    pub(super) fn ended(&self) -> bool {
        self.ended
    }

    /// Adds the next piece to a text, and says whether there was one.
    pub(super) fn more(&mut self, text: &mut String) -> io::Result<bool> {
        if self.ended {
            return Ok(false);
        }
        let held = self.held.len();
        self.held.resize(held + PIECE, 0);
        let read = self.from.read(&mut self.held[held..])?;
        self.held.truncate(held + read);
        self.ended = read == 0;
        let begins = text.len();
        match &mut self.decoding {
            Decoding::Utf8 => {
                let whole = if self.ended { self.held.len() } else { whole_characters(&self.held) };
                for chunk in self.held[..whole].utf8_chunks() {
                    text.push_str(chunk.valid());
                    text.push_str(&WINDOWS_1252.decode_without_bom_handling(chunk.invalid()).0);
                }
                self.held.drain(..whole);
            }
            Decoding::Other(decoder) => {
                text.reserve(decoder.max_utf8_buffer_length(self.held.len()).unwrap_or(PIECE * 4));
                let _ = decoder.decode_to_string(&self.held, text, self.ended);
                self.held.clear();
            }
            Decoding::Utf32 { is_big } => {
                let (units, rest) = self.held.as_chunks::<4>();
                let unit =
                    |bytes: &[u8; 4]| if *is_big { u32::from_be_bytes(*bytes) } else { u32::from_le_bytes(*bytes) };
                text.extend(
                    units.iter().map(|bytes| char::from_u32(unit(bytes)).unwrap_or(char::REPLACEMENT_CHARACTER)),
                );
                self.held = rest.to_vec();
            }
        }
        if self.is_first && text.len() > begins {
            self.is_first = false;
            if text[begins..].starts_with('\u{feff}') {
                text.replace_range(begins..begins + '\u{feff}'.len_utf8(), "");
            }
        }
        Ok(!self.ended)
    }
}
