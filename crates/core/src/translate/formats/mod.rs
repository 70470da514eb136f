//! The formats in which units travel: XLIFF 2.1 and 1.2 (OASIS), gettext PO, a sheet of CSV, and TMX
//! for the memory. All are written and read as streams.

mod po;
mod sheet;
mod tmx;
mod xliff1;
mod xliff2;
mod xliff_read;
mod xliff_unit;
mod xml;
mod xml_read;

use std::io::{self, BufRead, Write};

use super::{Inline, StageTold, Unit, nearness_of};
use crate::value::LanguageTag;

pub use tmx::{MemoryPair, TmxWriter, read_tmx};
pub(super) use xml::Xml;

/// A format of a file of units.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum UnitFormat {
    /// XLIFF 2.1, with notes, limits and earlier translations.
    #[default]
    Xliff2,
    /// XLIFF 1.2.
    Xliff1,
    /// gettext PO.
    Po,
    /// CSV: source and target, for a small job.
    Sheet,
}

impl UnitFormat {
    /// Every format with its word.
    pub const WORDS: [(&str, UnitFormat); 4] = [
        ("xliff-2.1", UnitFormat::Xliff2),
        ("xliff-1.2", UnitFormat::Xliff1),
        ("po", UnitFormat::Po),
        ("csv", UnitFormat::Sheet),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, format)| *format == self).map_or("", |(word, _)| word)
    }

    /// What its files' names end in.
    #[must_use]
    pub fn extension(self) -> &'static str {
        match self {
            UnitFormat::Xliff2 | UnitFormat::Xliff1 => "xlf",
            UnitFormat::Po => "po",
            UnitFormat::Sheet => "csv",
        }
    }

    /// Its media type.
    #[must_use]
    pub fn media_type(self) -> &'static str {
        match self {
            UnitFormat::Xliff2 | UnitFormat::Xliff1 => "application/xliff+xml",
            UnitFormat::Po => "text/x-gettext-translation",
            UnitFormat::Sheet => "text/csv",
        }
    }
}

/// What a file of units says of itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heading {
    /// The batch.
    pub batch: String,
    /// The language of the sources.
    pub from: LanguageTag,
    /// The language of the targets.
    pub into: LanguageTag,
    /// What it is for.
    pub purpose: Purpose,
}

/// What a file of units is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Purpose {
    /// To be translated.
    #[default]
    Work,
    /// To be mended: each unit says what is wrong with it.
    Mending,
    /// For trying: its targets are made up.
    Pseudo,
}

/// A unit as it is written.
#[derive(Debug, Clone, Copy)]
pub struct Outgoing<'a> {
    /// The unit.
    pub unit: &'a Unit,
    /// Its translation so far.
    pub target: Option<&'a Inline>,
    /// What is wrong with that.
    pub complaints: &'a [String],
}

impl<'a> Outgoing<'a> {
    /// What a machine made of it, where it has no translation: for people to mend.
    fn suggested(&self) -> Option<&'a Inline> {
        self.unit.context.machine.as_ref().filter(|_| self.target.is_none())
    }

    /// What stands there to be looked at.
    fn shown(&self) -> Option<&'a Inline> {
        self.target.or(self.suggested())
    }
}

/// What is said of a candidate that a machine made.
const MACHINE: &str = "machine";

/// Writes a file of units.
pub trait WriteUnits {
    /// Writes a unit. Those of an entry follow each other.
    ///
    /// # Errors
    /// Where writing fails.
    fn unit(&mut self, outgoing: Outgoing<'_>) -> io::Result<()>;

    /// Ends the file.
    ///
    /// # Errors
    /// Where writing fails.
    fn end(self: Box<Self>) -> io::Result<()>;
}

/// Begins a file of units.
///
/// # Errors
/// Where writing fails.
pub fn write_units<'a>(
    format: UnitFormat,
    heading: &Heading,
    to: impl Write + 'a,
) -> io::Result<Box<dyn WriteUnits + 'a>> {
    Ok(match format {
        UnitFormat::Xliff2 => Box::new(xliff2::Writer::begin(heading, to)?),
        UnitFormat::Xliff1 => Box::new(xliff1::Writer::begin(heading, to)?),
        UnitFormat::Po => Box::new(po::Writer::begin(heading, to)?),
        UnitFormat::Sheet => Box::new(sheet::Writer::begin(heading, to)?),
    })
}

/// A translation that may help.
struct Candidate<'a> {
    source: &'a Inline,
    target: &'a Inline,
    percent: Option<u8>,
    origin: &'a str,
}

/// What may help to translate a unit: what it said before, then what is nearly the same.
fn candidates(unit: &Unit) -> Vec<Candidate<'_>> {
    let earlier = unit.context.earlier.iter().map(|(source, target)| Candidate {
        source,
        target,
        percent: nearness_of(&unit.source, source, 1).map(|near| near.percent),
        origin: "earlier",
    });
    let near = unit.context.near.iter().map(|near| Candidate {
        source: &near.source,
        target: &near.target,
        percent: Some(near.percent),
        origin: &near.origin,
    });
    let machine = unit.context.machine.iter().map(|target| Candidate {
        source: &unit.source,
        target,
        percent: None,
        origin: MACHINE,
    });
    earlier.chain(near).chain(machine).collect()
}

/// What stands in a file that came back.
#[derive(Debug, Clone, PartialEq)]
pub enum Incoming {
    /// What a part of the file says of the units that follow.
    Heading(Told),
    /// A unit.
    Unit(Returned),
}

/// What a file says of itself, as far as the tools it went through have left it there.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Told {
    /// The batch.
    pub batch: Option<String>,
    /// The language of the sources, as it stands there.
    pub from: Option<String>,
    /// The language of the targets.
    pub into: Option<String>,
    /// Whether its targets are made up, for trying.
    pub pseudo: bool,
}

/// A unit that came back.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Returned {
    /// Its id, as it stands there; none of a sheet.
    pub id: Option<String>,
    /// The source, where it is there.
    pub source: Option<Inline>,
    /// The translation; none where the translator has not come to it.
    pub target: Option<Inline>,
    /// How far that is, where the file says so.
    pub stage: Option<StageTold>,
    /// Why it cannot be told what it is, where it cannot.
    pub fault: Option<String>,
    /// Where in the file it ends, in bytes, or in lines of a sheet.
    pub at: u64,
}

/// Why a file cannot be read on.
#[derive(Debug, thiserror::Error)]
pub enum UnitsError {
    /// It is of no format that we know.
    #[error("this is no XLIFF, PO or CSV of units")]
    Foreign,
    /// It is of a version that we do not know.
    #[error("XLIFF {0} is not read; 1.2 and 2.0 to 2.2 are")]
    Version(String),
    /// It ends in the middle.
    #[error("it ends in the middle, after {units} whole units")]
    CutOff {
        /// How many were whole.
        units: u64,
    },
    /// It is not as its format has it.
    #[error("{message}, at byte {at}")]
    IllFormed {
        /// What is wrong.
        message: String,
        /// Where.
        at: u64,
    },
    /// It declares entities, which are not read: they can make a small file endless, or take in
    /// others.
    #[error("it declares entities, which are not read")]
    Entities,
    /// More than any honest file has.
    #[error("it has more than {0}")]
    TooMuch(&'static str),
    /// Reading failed.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// Whoever takes the units failed.
    #[error("{0}")]
    Taker(String),
}

/// The most bytes of one unit.
const LARGEST_UNIT: usize = 4 << 20;

/// Reads a file of units of any format, which its first bytes tell; hands each over as it comes.
///
/// # Errors
/// Where it cannot be read on; what was handed over before was whole.
pub fn read_units(
    from: &mut dyn BufRead,
    take: &mut dyn FnMut(Incoming) -> Result<(), String>,
) -> Result<UnitFormat, UnitsError> {
    let start = from.fill_buf()?;
    let start = start.strip_prefix(b"\xef\xbb\xbf").unwrap_or(start);
    let start = String::from_utf8_lossy(&start[..start.len().min(4_096)]).trim_start().to_owned();
    if start.starts_with('<') {
        return xliff_read::read(from, take);
    }
    if start.starts_with("msgid") || start.starts_with("#") || start.starts_with("msgctxt") {
        return po::read(from, take).map(|()| UnitFormat::Po);
    }
    if sheet::is_one(&start) {
        return sheet::read(from, take).map(|()| UnitFormat::Sheet);
    }
    Err(UnitsError::Foreign)
}

#[cfg(test)]
mod tests;
