//! Files of many entries, read piece by piece: JSON Lines, and CSV (RFC 4180).

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read as _, Seek, SeekFrom};
use std::path::Path;

use diaporos_core::change::Fingerprint;
use diaporos_core::change::fingerprint_bytes;
use serde_json::{Map, Value as Json};

/// Entries of one piece.
const PIECE: usize = 1_000;

/// The forms of files with an entry a line or record.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum LineForm {
    Json,
    Csv,
}

/// A piece of a file.
pub(crate) struct Piece {
    /// What stands in each line, with the line's number and the line itself.
    pub(crate) items: Vec<(u64, Result<Json, String>, String)>,
    /// The hash of the piece.
    pub(super) content: Fingerprint,
    /// How many bytes it has.
    pub(super) bytes: u64,
    /// Where the next begins; none at the end.
    pub(crate) next: Option<u64>,
}

/// Reads a piece from an offset on, at which a line or record begins.
pub(super) fn read(path: &Path, form: LineForm, offset: u64, most: u64) -> Result<Piece, String> {
    read_from(File::open(path).map_err(|error| error.to_string())?, form, offset, most)
}

pub(crate) fn read_from(file: impl io::Read + Seek, form: LineForm, offset: u64, most: u64) -> Result<Piece, String> {
    match form {
        LineForm::Json => json_lines(file, offset, most),
        LineForm::Csv => csv_records(file, offset, most),
    }
}

fn json_lines(file: impl io::Read, offset: u64, most: u64) -> Result<Piece, String> {
    let mut reader = BufReader::new(file);
    let mut number = lines_before(&mut reader, offset)?;
    let mut items = Vec::new();
    let mut all = Vec::new();
    let mut at = offset;
    while items.len() < PIECE {
        let start = all.len();
        let read = (&mut reader).take(most + 1).read_until(b'\n', &mut all).map_err(|error| error.to_string())?;
        if read == 0 {
            return Ok(piece(items, &all, None));
        }
        if read as u64 > most {
            return Err(format!("line {} is longer than {most} bytes", number + 1));
        }
        at += read as u64;
        number += 1;
        let line = all[start..].strip_prefix(b"\xef\xbb\xbf").unwrap_or(&all[start..]);
        if !line.iter().all(u8::is_ascii_whitespace) {
            let item = serde_json::from_slice(line).map_err(|error| format!("is not JSON: {error}"));
            items.push((number, item, received(line)));
        }
    }
    Ok(piece(items, &all, Some(at)))
}

/// How many lines stand before an offset; the reader is at the offset afterwards.
fn lines_before(reader: &mut BufReader<impl io::Read>, offset: u64) -> Result<u64, String> {
    let mut lines = 0;
    let mut left = offset;
    let mut buffer = vec![0; 64 * 1024];
    while left > 0 {
        let most = usize::try_from(left).unwrap_or(usize::MAX).min(buffer.len());
        let read = reader.read(&mut buffer[..most]).map_err(|error| error.to_string())?;
        if read == 0 {
            break;
        }
        lines += buffer[..read].iter().filter(|byte| **byte == b'\n').count() as u64;
        left -= read as u64;
    }
    Ok(lines)
}

/// A line as it came, without its end.
fn received(line: &[u8]) -> String {
    String::from_utf8_lossy(line).trim_end_matches(['\r', '\n']).to_owned()
}

fn piece(items: Vec<(u64, Result<Json, String>, String)>, all: &[u8], next: Option<u64>) -> Piece {
    Piece { items, content: fingerprint_bytes("", all), bytes: all.len() as u64, next }
}

fn csv_records(mut file: impl io::Read + Seek, offset: u64, most: u64) -> Result<Piece, String> {
    let mut start = Vec::new();
    (&mut file).take(64 * 1024).read_to_end(&mut start).map_err(|error| error.to_string())?;
    let separator = separator(&start);
    let mut head = csv::ReaderBuilder::new().delimiter(separator).from_reader(start.as_slice());
    let names = head.headers().map_err(|error| format!("has a heading that cannot be read: {error}"))?.clone();
    let names: Vec<String> = names.iter().map(|name| name.trim_start_matches('\u{feff}').trim().to_owned()).collect();
    if let Some(twice) = names.iter().enumerate().find(|(place, name)| names[..*place].contains(name)) {
        return Err(format!("the heading names `{}` twice", twice.1));
    }
    file.seek(SeekFrom::Start(offset)).map_err(|error| error.to_string())?;
    let mut counted = Counted { inner: file, hash: Vec::new() };
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(separator)
        .has_headers(offset == 0)
        .flexible(true)
        .from_reader(&mut counted);
    let mut items = Vec::new();
    let mut ends: Vec<usize> = Vec::new();
    let mut record = csv::ByteRecord::new();
    let mut next = None;
    loop {
        let at = reader.position().byte();
        if items.len() >= PIECE {
            next = Some(offset + at);
            break;
        }
        if !reader.read_byte_record(&mut record).map_err(|error| error.to_string())? {
            break;
        }
        if record.as_slice().len() as u64 > most {
            return Err(format!("a record is longer than {most} bytes"));
        }
        let line = record.position().map_or(0, csv::Position::line);
        ends.push(usize::try_from(reader.position().byte()).unwrap_or(usize::MAX));
        let start = record.position().map_or(0, |position| usize::try_from(position.byte()).unwrap_or(usize::MAX));
        items.push((line, fields(&names, &record), start));
    }
    let read = reader.position().byte();
    let mut content = counted.hash;
    content.truncate(usize::try_from(read).unwrap_or(usize::MAX));
    let slice = |start: usize, end: usize| received(content.get(start..end).unwrap_or_default());
    let items = items.into_iter().zip(ends).map(|((line, item, start), end)| (line, item, slice(start, end))).collect();
    Ok(Piece { items, content: fingerprint_bytes(&names.join(","), &content), bytes: read, next })
}

fn fields(names: &[String], record: &csv::ByteRecord) -> Result<Json, String> {
    if record.len() != names.len() {
        return Err(format!("has {} fields, and the heading has {}", record.len(), names.len()));
    }
    let mut members = Map::new();
    for (name, field) in names.iter().zip(record) {
        let text = std::str::from_utf8(field).map_err(|_| format!("its field `{name}` is not UTF-8"))?;
        if !text.is_empty() {
            members.insert(name.clone(), Json::String(text.to_owned()));
        }
    }
    Ok(Json::Object(members))
}

/// What stands between fields: of comma, semicolon and tab the one that the heading has most of.
fn separator(start: &[u8]) -> u8 {
    let heading = start.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let count = |separator: u8| heading.iter().filter(|byte| **byte == separator).count();
    [b',', b';', b'\t'].into_iter().rev().max_by_key(|separator| count(*separator)).unwrap_or(b',')
}

/// Keeps what was read, for the hash.
struct Counted<R> {
    inner: R,
    hash: Vec<u8>,
}

impl<R: io::Read> io::Read for Counted<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(buffer)?;
        self.hash.extend_from_slice(&buffer[..read]);
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(form: LineForm, text: &str) -> String {
        let folder = std::env::temp_dir().join(format!(
            "diaporos-lines-{}-{}",
            std::process::id(),
            fingerprint_bytes("", text.as_bytes())
        ));
        std::fs::write(&folder, text).unwrap();
        let read = read(&folder, form, 0, 60);
        std::fs::remove_file(&folder).unwrap();
        match read {
            Err(error) => error,
            Ok(piece) => piece
                .items
                .into_iter()
                .map(|(line, item, raw)| {
                    format!("{line} {} <- {raw}", item.map_or_else(|error| error, |json| json.to_string()))
                })
                .collect::<Vec<_>>()
                .join("\n"),
        }
    }

    #[test]
    fn good_and_broken_lines() {
        let long = format!("{{\"a\": \"{}\"}}", "x".repeat(80));
        let table = [
            (LineForm::Json, "{\"a\": 1}\n\n{\"a\": \n{\"a\": 3}"),
            (LineForm::Json, long.as_str()),
            (LineForm::Csv, "id,name\n1,\"Fern, royal\"\n2\n3,\"two\nlines\"\n"),
            (LineForm::Csv, "\u{feff}id;name\n1;Fougère\n"),
            (LineForm::Csv, "id\tname\n1\tFern\n"),
            (LineForm::Csv, "id,id\n1,2\n"),
            (LineForm::Csv, ""),
        ];
        insta::assert_snapshot!(table.map(|(form, text)| drawn(form, text)).join("\n---\n"));
    }
}
