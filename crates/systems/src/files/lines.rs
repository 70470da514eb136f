//! Files of many entries, read piece by piece: JSON Lines, and CSV (RFC 4180).

use std::cell::Cell;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read as _, Seek, SeekFrom};
use std::path::Path;

use diaporos_core::change::Fingerprint;
use diaporos_core::change::fingerprint_bytes;
use rayon::prelude::*;
use serde_json::{Map, Value as Json};

use crate::decode::SHARE;

/// Entries of one piece.
const PIECE: u64 = 500;

/// The forms of files with an entry a line or record.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum LineForm {
    Json,
    Csv,
}

/// A piece of a file: whole lines or records.
pub(crate) struct Piece {
    form: LineForm,
    bytes: Vec<u8>,
    /// Of CSV: the names in the heading, and what stands between fields.
    heading: (Vec<String>, u8),
    /// The number of its first line.
    line: u64,
    /// The hash of the piece.
    pub(super) content: Fingerprint,
    /// Where the next begins, and the number of its first line; none at the end.
    pub(crate) next: Option<(u64, u64)>,
}

/// What stands in a line or record: its number, what it holds, and itself as it came.
pub(crate) type Line = (u64, Result<Json, String>, String);

/// Cuts a piece from a file, from an offset on at which a line or record begins.
pub(super) fn cut(path: &Path, form: LineForm, from: (u64, u64), most: u64) -> Result<Piece, String> {
    cut_from(File::open(path).map_err(|error| error.to_string())?, form, from, most)
}

pub(crate) fn cut_from(
    mut file: impl io::Read + Seek,
    form: LineForm,
    (offset, line): (u64, u64),
    most: u64,
) -> Result<Piece, String> {
    let heading = match form {
        LineForm::Json => (Vec::new(), 0),
        LineForm::Csv => heading(&mut file)?,
    };
    file.seek(SeekFrom::Start(offset)).map_err(|error| error.to_string())?;
    let (bytes, lines, ends) = match form {
        LineForm::Json => cut_lines(BufReader::new(file), line, most)?,
        LineForm::Csv => cut_records(file, offset == 0, heading.1, most)?,
    };
    let next = (!ends).then(|| (offset + bytes.len() as u64, line + lines));
    let content = fingerprint_bytes(&heading.0.join(","), &bytes);
    Ok(Piece { form, bytes, heading, line, content, next })
}

/// Lines up to a piece's size: their bytes, how many there are, and whether the file ends there.
fn cut_lines(mut reader: impl BufRead, line: u64, most: u64) -> Result<(Vec<u8>, u64, bool), String> {
    let mut bytes = Vec::new();
    for lines in 0..PIECE {
        let read = (&mut reader).take(most + 1).read_until(b'\n', &mut bytes).map_err(|error| error.to_string())?;
        if read == 0 {
            return Ok((bytes, lines, true));
        }
        if read as u64 > most {
            return Err(format!("line {} is longer than {most} bytes", line + lines));
        }
    }
    Ok((bytes, PIECE, false))
}

/// A longer record is most often a quote that is left open.
const LONGEST_RECORD: u32 = 4 << 20;
const MOST_COLUMNS: usize = 20_000;

/// Records up to a piece's size; a record may have several lines.
fn cut_records(file: impl io::Read, headed: bool, separator: u8, most: u64) -> Result<(Vec<u8>, u64, bool), String> {
    let from = Cell::new(0);
    let mut copied = Copied { inner: file, bytes: Vec::new(), from: &from };
    let mut reader = records(&mut copied, headed, separator);
    let mut record = csv::ByteRecord::default();
    let mut ends = false;
    for _ in 0..PIECE {
        if !reader.read_byte_record(&mut record).map_err(|error| error.to_string())? {
            ends = true;
            break;
        }
        from.set(usize::try_from(reader.position().byte()).unwrap_or(usize::MAX));
        if record.as_slice().len() as u64 > most.min(u64::from(LONGEST_RECORD)) {
            return Err(format!(
                "a record is longer than {} bytes; is a quote left open?",
                most.min(u64::from(LONGEST_RECORD))
            ));
        }
        if record.len() > MOST_COLUMNS {
            return Err(format!("a record has more than {MOST_COLUMNS} fields"));
        }
    }
    let (at, lines) = (reader.position().byte(), reader.position().line() - 1);
    drop(reader);
    let mut bytes = copied.bytes;
    bytes.truncate(usize::try_from(at).unwrap_or(usize::MAX));
    Ok((bytes, lines, ends))
}

fn records<R: io::Read>(from: R, headed: bool, separator: u8) -> csv::Reader<R> {
    csv::ReaderBuilder::new().delimiter(separator).has_headers(headed).flexible(true).from_reader(from)
}

fn heading(file: &mut impl io::Read) -> Result<(Vec<String>, u8), String> {
    let mut start = Vec::new();
    file.take(64 * 1024).read_to_end(&mut start).map_err(|error| error.to_string())?;
    let separator = separator(&start);
    let mut head = csv::ReaderBuilder::new().delimiter(separator).from_reader(start.as_slice());
    let names = head.headers().map_err(|error| format!("has a heading that cannot be read: {error}"))?.clone();
    let names: Vec<String> = names.iter().map(|name| name.trim_start_matches('\u{feff}').trim().to_owned()).collect();
    if let Some(twice) = names.iter().enumerate().find(|(place, name)| names[..*place].contains(name)) {
        return Err(format!("the heading names `{}` twice", twice.1));
    }
    Ok((names, separator))
}

impl Piece {
    /// How many bytes it has.
    pub(super) fn size(&self) -> u64 {
        self.bytes.len() as u64
    }

    /// Reads its lines or records.
    pub(crate) fn lines(&self) -> Vec<Line> {
        match self.form {
            LineForm::Json => self.json_lines(),
            LineForm::Csv => self.csv_records(),
        }
    }

    fn json_lines(&self) -> Vec<Line> {
        let lines: Vec<(u64, &[u8])> = (self.line..).zip(self.bytes.split(|byte| *byte == b'\n')).collect();
        let read = |(number, line): (u64, &[u8])| {
            let line = line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line);
            let is_blank = line.iter().all(u8::is_ascii_whitespace);
            let item = || serde_json::from_slice(line).map_err(|error| format!("is not JSON: {error}"));
            (!is_blank).then(|| (number, item(), received(line)))
        };
        lines.into_par_iter().with_min_len(SHARE).filter_map(read).collect()
    }

    fn csv_records(&self) -> Vec<Line> {
        let mut reader = records(self.bytes.as_slice(), self.line == 1, self.heading.1);
        let mut record = csv::ByteRecord::default();
        let mut lines = Vec::new();
        // What cannot be read was refused when the piece was cut.
        while let Ok(true) = reader.read_byte_record(&mut record) {
            let place = |position: &csv::Position| usize::try_from(position.byte()).unwrap_or(usize::MAX);
            let raw = self.bytes.get(record.position().map_or(0, place)..place(reader.position()));
            let line = self.line + record.position().map_or(1, csv::Position::line) - 1;
            lines.push((line, fields(&self.heading.0, &record), received(raw.unwrap_or_default())));
        }
        lines
    }
}

/// A line as it came, without its end.
fn received(line: &[u8]) -> String {
    String::from_utf8_lossy(line).trim_end_matches(['\r', '\n']).to_owned()
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

/// Keeps what was read.
struct Copied<'a, R> {
    inner: R,
    bytes: Vec<u8>,
    /// Where the record at hand begins.
    from: &'a Cell<usize>,
}

impl<R: io::Read> io::Read for &mut Copied<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        // Else a record that never ends is read to the end of the file.
        if self.bytes.len().saturating_sub(self.from.get()) > LONGEST_RECORD as usize + (64 << 10) {
            let why = format!("a record is longer than {LONGEST_RECORD} bytes; is a quote left open?");
            return Err(io::Error::other(why));
        }
        let read = self.inner.read(buffer)?;
        self.bytes.extend_from_slice(&buffer[..read]);
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(form: LineForm, text: &str) -> String {
        match cut_from(io::Cursor::new(text), form, (0, 1), 60) {
            Err(error) => error,
            Ok(piece) => {
                let shown = |(line, item, raw): Line| {
                    format!("{line} {} <- {raw}", item.map_or_else(|error| error, |json| json.to_string()))
                };
                piece.lines().into_iter().map(shown).collect::<Vec<_>>().join("\n")
            }
        }
    }

    #[test]
    fn pieces_go_on_where_the_last_ended() {
        let json: String = (1..=2_500).map(|n| format!("{{\"n\": {n}}}\n")).collect();
        let csv: String =
            std::iter::once("n,t\n".to_owned()).chain((2..=2_500).map(|n| format!("{n},\"a\nb\"\n"))).collect();
        for (form, text) in [(LineForm::Json, json), (LineForm::Csv, csv)] {
            let (mut from, mut numbers, mut lines) = (Some((0, 1)), Vec::new(), Vec::new());
            while let Some(place) = from {
                let piece = cut_from(io::Cursor::new(&text), form, place, 1_000).unwrap();
                for (line, item, _) in piece.lines() {
                    lines.push(line);
                    numbers.push(item.unwrap()["n"].to_string().trim_matches('"').parse::<u64>().unwrap());
                }
                from = piece.next;
            }
            let expected: Vec<u64> = if form == LineForm::Json { (1..=2_500).collect() } else { (2..=2_500).collect() };
            assert_eq!(numbers, expected);
            let line = |n: &u64| if form == LineForm::Json { *n } else { 2 * n - 2 };
            assert_eq!(lines, expected.iter().map(line).collect::<Vec<_>>());
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
