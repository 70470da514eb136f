//! A sheet of CSV (RFC 4180) for a small job: source and target, headed by their languages. A unit is
//! known by its source text.

use std::io::{self, BufRead, Write};

use super::{Heading, Incoming, LARGEST_UNIT, Outgoing, Purpose, Returned, Told, UnitsError, WriteUnits};
use crate::translate::Inline;
use crate::value::LanguageTag;

pub(super) struct Writer<W: Write> {
    to: csv::Writer<W>,
    /// Whether each row says what is wrong with it.
    says_why: bool,
}

impl<W: Write> Writer<W> {
    pub(super) fn begin(heading: &Heading, to: W) -> io::Result<Writer<W>> {
        let mut to = csv::Writer::from_writer(to);
        let says_why = heading.purpose == Purpose::Mending;
        to.write_record([heading.from.as_str(), heading.into.as_str()].into_iter().chain(says_why.then_some("why")))?;
        Ok(Writer { to, says_why })
    }
}

impl<W: Write> WriteUnits for Writer<W> {
    fn unit(&mut self, Outgoing { unit, target, complaints }: Outgoing<'_>) -> io::Result<()> {
        let why = self.says_why.then(|| complaints.join("; "));
        let texts = [unit.source.coded(), target.map(Inline::coded).unwrap_or_default()];
        Ok(self.to.write_record(texts.into_iter().chain(why))?)
    }

    fn end(mut self: Box<Self>) -> io::Result<()> {
        self.to.flush()
    }
}

fn languages(line: &str) -> Option<(LanguageTag, LanguageTag, u8)> {
    let separator = [',', ';', '\t'].into_iter().find(|separator| line.contains(*separator))?;
    let mut cells =
        line.trim_start_matches('\u{feff}').trim().split(separator).map(|cell| cell.trim().trim_matches('"'));
    let from = cells.next()?.parse().ok()?;
    let into = cells.next()?.parse().ok()?;
    Some((from, into, u8::try_from(separator).ok()?))
}

/// Whether a file's first line is the heading of a sheet.
pub(super) fn is_one(start: &str) -> bool {
    start.lines().next().and_then(languages).is_some()
}

/// Reads rows; one without a target nobody has come to yet.
pub(super) fn read(
    from: &mut dyn BufRead,
    take: &mut dyn FnMut(Incoming) -> Result<(), String>,
) -> Result<(), UnitsError> {
    let mut heading = String::new();
    io::Read::take(&mut *from, 4_096).read_line(&mut heading)?;
    let Some((source, target, separator)) = languages(&heading) else { return Err(UnitsError::Foreign) };
    let told = Told { from: Some(source.to_string()), into: Some(target.to_string()), ..Told::default() };
    take(Incoming::Heading(told)).map_err(UnitsError::Taker)?;
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).delimiter(separator).from_reader(from);
    let mut row = csv::StringRecord::new();
    loop {
        let at = reader.position().line() + 1;
        let more =
            reader.read_record(&mut row).map_err(|error| UnitsError::IllFormed { message: error.to_string(), at })?;
        if !more {
            return Ok(());
        }
        if row.as_slice().len() > LARGEST_UNIT {
            return Err(UnitsError::TooMuch("4 MiB in one row"));
        }
        let cell = |at: usize| row.get(at).filter(|text| !text.is_empty()).map(Inline::from_coded);
        let returned = Returned { id: None, source: cell(0), target: cell(1), at, ..Returned::default() };
        take(Incoming::Unit(returned)).map_err(UnitsError::Taker)?;
    }
}
