//! Entries from a file or standard input, mapped line by line without a store or a system.

use std::io::{self, BufRead, Write};

use diaporos_core::expr::{NoWorld, Subject};
use diaporos_core::lane::{Borrowed, Line, LineReader, Mapped, describe_faults, map_borrowed};
use diaporos_core::plan::Document;
use diaporos_core::value::{Plain, Value};
use jiff::Timestamp;
use memchr::memchr_iter;
use rayon::prelude::*;
use serde::ser::{Serialize, SerializeMap, Serializer};

use crate::config::ConfiguredLane;

/// How many bytes of lines are mapped together, on all cores.
const BATCH: usize = 1 << 17;
/// The longest line; anything longer is refused.
const LONGEST: usize = 32 << 20;

/// What became of the lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct StreamTally {
    /// Lines that were read.
    pub lines: u64,
    /// Documents that were written.
    pub documents: u64,
    /// Entries that do not go.
    pub outside: u64,
    /// Lines that could not be read, and entries that would be held.
    pub faulty: u64,
}

/// Maps every line of JSON and writes a line for each document, in order. What is wrong with a line
/// is told, and costs that line alone.
///
/// # Errors
/// Where reading or writing fails.
pub fn stream(
    lane: &ConfiguredLane,
    from: &mut (dyn BufRead + Send),
    to: &mut (dyn Write + Send),
    now: Timestamp,
    told: &mut dyn FnMut(u64, &str),
) -> io::Result<StreamTally> {
    let reader = LineReader::new(&lane.lane, lane.source.get(&lane.lane.from.kind));
    let mut tally = StreamTally::default();
    let mut batch = Batch::default();
    batch.fill(from)?;
    let mut before: Vec<Part> = Vec::new();
    // While a batch is mapped, what came of the one before is written and the next is read.
    while !batch.text.is_empty() {
        let lines = batch.lines();
        let mut next = Batch { first: batch.first + lines.len() as u64, ..Batch::default() };
        let map = || map_batch(lane, &reader, &lines, now);
        let mut turn = || -> io::Result<()> {
            write(&before, to)?;
            next.fill(from)
        };
        let (parts, turned) = if rayon::current_num_threads() == 1 { (map(), turn()) } else { rayon::join(map, turn) };
        turned?;
        tally.lines += next.first - batch.first;
        for part in &parts {
            part.told.iter().for_each(|(line, message)| told(*line, message));
            tally.documents += part.documents;
            tally.outside += part.outside;
            tally.faulty += part.told.len() as u64;
        }
        before = parts;
        batch = next;
    }
    write(&before, to)?;
    Ok(tally)
}

/// Lines that are mapped together.
struct Batch {
    /// The number of the first line, from 1.
    first: u64,
    text: Vec<u8>,
}

impl Default for Batch {
    fn default() -> Self {
        Batch { first: 1, text: Vec::with_capacity(BATCH + (BATCH >> 2)) }
    }
}

impl Batch {
    fn fill(&mut self, from: &mut dyn BufRead) -> io::Result<()> {
        while self.text.len() < BATCH {
            let before = self.text.len();
            let read = io::Read::take(&mut *from, LONGEST as u64).read_until(b'\n', &mut self.text)?;
            if read == 0 {
                break;
            }
            if read == LONGEST && self.text.last() != Some(&b'\n') {
                let line = self.first + self.text[..before].iter().filter(|byte| **byte == b'\n').count() as u64;
                return Err(io::Error::other(format!("line {line} has more than {LONGEST} bytes")));
            }
        }
        Ok(())
    }

    fn lines(&self) -> Vec<(u64, &[u8])> {
        let text = self.text.strip_suffix(b"\n").unwrap_or(&self.text);
        let mut start = 0;
        let mut lines = Vec::with_capacity(text.len() / 1_024);
        for end in memchr_iter(b'\n', text).chain([text.len()]) {
            lines.push((self.first + lines.len() as u64, &text[start..end]));
            start = end + 1;
        }
        lines
    }
}

fn write(parts: &[Part], to: &mut dyn Write) -> io::Result<()> {
    parts.iter().try_for_each(|part| to.write_all(&part.text))
}

fn map_batch(lane: &ConfiguredLane, reader: &LineReader<'_>, lines: &[(u64, &[u8])], now: Timestamp) -> Vec<Part> {
    let threads = rayon::current_num_threads();
    if threads == 1 {
        return vec![map_lines(lane, reader, lines, now)];
    }
    // Two parts a core, so that one slow line does not leave the others waiting.
    let size = lines.len().div_ceil(2 * threads).max(1);
    lines.par_chunks(size).map(|lines| map_lines(lane, reader, lines, now)).collect()
}

#[derive(Default)]
struct Part {
    text: Vec<u8>,
    told: Vec<(u64, String)>,
    documents: u64,
    outside: u64,
}

fn map_lines(lane: &ConfiguredLane, reader: &LineReader<'_>, lines: &[(u64, &[u8])], now: Timestamp) -> Part {
    let mut part = Part::default();
    for (number, text) in lines {
        if text.trim_ascii().is_empty() {
            continue;
        }
        let line = match reader.read(text, *number) {
            Ok(line) => line,
            Err(message) => {
                part.told.push((*number, message));
                continue;
            }
        };
        let Line { address, state, values } = &line;
        let values: Vec<&Value> = values.iter().collect();
        let subject = Subject { address, state: *state, values: &values, now, previous: None };
        let mapping = match map_borrowed(&lane.lane, &lane.target, subject, &NoWorld, now) {
            Ok(mapping) => mapping,
            Err(error) => {
                part.told.push((*number, error.to_string()));
                continue;
            }
        };
        match mapping.mapped {
            Mapped::Outside => part.outside += 1,
            Mapped::Broken(messages) => part.told.push((*number, messages.join("; "))),
            Mapped::Faulty(faults) => part.told.push((*number, describe_faults(&faults).join("; "))),
            Mapped::Goes { documents, .. } => {
                for document in &documents {
                    part.documents += 1;
                    // Writing to memory does not fail.
                    let _ = serde_json::to_writer(
                        &mut part.text,
                        &Written { address: &line.address.to_string(), document },
                    );
                    part.text.push(b'\n');
                }
            }
        }
    }
    part
}

struct Written<'a> {
    address: &'a str,
    document: &'a Document<Borrowed<'a>>,
}

impl Serialize for Written<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let mut map = to.serialize_map(None)?;
        map.serialize_entry("address", self.address)?;
        if let Some(language) = &self.document.language {
            map.serialize_entry("language", language.as_str())?;
        }
        map.serialize_entry("fields", &Fields(&self.document.fields))?;
        map.end()
    }
}

struct Fields<'a>(&'a Borrowed<'a>);

impl Serialize for Fields<'_> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_map(self.0.iter().map(|(name, value)| (name, Plain(value))))
    }
}

#[cfg(test)]
mod tests {
    use std::fmt::Write as _;

    use super::*;
    use crate::config::{FILE, load};

    const HUB: &str = r#"
[systems.s]
kind = "rest"
url = "https://s.example"
profile = "p.toml"
[lanes.l]
from = "s/post"
to = "s/page"
match = "slug"
gone = "keep"
fields = { slug = 'title | slug', words = 'body | words | count' }
"#;
    const PROFILE: &str = r#"
[types.post.read]
list = "/p"
items = "$[*]"
id = "$.id"
[types.page.write]
find = "GET /pages?slug={key}"
found = "$[*]"
read = "GET /pages/{id}"
create = "POST /pages"
update = "PATCH /pages/{id}"
id = "$.id"
"#;

    /// What is written, what is told, and the tally.
    fn streamed(text: &str) -> (Vec<String>, Vec<String>, io::Result<StreamTally>) {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join(FILE), HUB).unwrap();
        std::fs::write(folder.path().join("p.toml"), PROFILE).unwrap();
        let loaded = load(folder.path(), &|_, _| Vec::new(), Timestamp::UNIX_EPOCH).unwrap();
        let config = loaded.config.unwrap_or_else(|| panic!("{:?}", loaded.reports));
        let (mut out, mut told) = (Vec::new(), Vec::new());
        let lane = config.lanes.values().next().unwrap();
        let mut tell = |line: u64, message: &str| told.push(format!("{line}: {message}"));
        let tally = stream(lane, &mut text.as_bytes(), &mut out, Timestamp::UNIX_EPOCH, &mut tell);
        (String::from_utf8(out).unwrap().lines().map(str::to_owned).collect(), told, tally)
    }

    #[test]
    fn order_and_numbers_go_on_over_batches_and_a_bad_line_costs_itself() {
        let mut text = String::new();
        for n in 1..=3_000 {
            match n {
                1_000 => text.push_str("{broken\n"),
                2_000 => text.push_str("  \n"),
                2_500 => text.push_str("{\"title\": 3}\r\n"),
                n => writeln!(text, "{{\"id\": {n}, \"title\": \"No {n}\", \"body\": \"{}\"}}", "fern ".repeat(40))
                    .unwrap(),
            }
        }
        assert!(text.len() > 4 * BATCH, "more than a few batches");
        let (out, told, tally) = streamed(text.trim_end());
        assert_eq!(tally.unwrap(), StreamTally { lines: 3_000, documents: 2_997, outside: 0, faulty: 2 });
        assert_eq!(told.len(), 2);
        assert!(told[0].starts_with("1000: key must be a string"), "{told:?}");
        assert!(told[1].starts_with("2500: slug has no value: `slug` takes text, not integer"), "{told:?}");
        let ids: Vec<u32> = out
            .iter()
            .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap())
            .map(|page| page["address"].as_str().unwrap().rsplit('/').next().unwrap().parse().unwrap())
            .collect();
        assert!(ids.is_sorted() && ids[0] == 1 && ids.last() == Some(&3_000), "in the order of the lines");
        assert_eq!(out[1], "{\"address\":\"s/post/2\",\"fields\":{\"slug\":\"no-2\",\"words\":40}}");
    }

    #[test]
    fn nothing_and_too_much() {
        let (out, told, tally) = streamed("");
        assert_eq!((out.len(), told.len(), tally.unwrap()), (0, 0, StreamTally::default()));
        let endless = format!("{{\"title\": \"a\"}}\n{{\"title\": \"{}\"}}\n", "x".repeat(LONGEST));
        assert!(streamed(&endless).2.unwrap_err().to_string().starts_with("line 2 has more than"));
    }
}
