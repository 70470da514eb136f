//! The files of a batch: a file of units per language.

use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

use diaporos_core::translate::{Heading, Outgoing, Purpose, Unit, UnitFormat, pseudo, pseudo_length, write_units};
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchRow, BatchUnit, Origin, Store, UnitStanding};
use diaporos_systems::files::publish;

use super::BatchError;
use super::machine::suggestion;
use crate::config::Brief;

/// Units that are read together.
const TOGETHER: usize = 500;

/// The files that were written, by language.
pub type Written = Vec<(LanguageTag, PathBuf)>;

/// Which files of a batch are wanted, and where.
#[derive(Debug, Clone, Copy)]
pub struct FileWish<'a> {
    /// Only into this language; into all of the batch where there is none.
    pub into: Option<&'a LanguageTag>,
    /// In which format.
    pub format: UnitFormat,
    /// In which folder, which is made where it is not there.
    pub folder: &'a Path,
}

/// Writes the files that go out: what is sent, and has no translation yet.
///
/// # Errors
/// Where the store fails, or a file cannot be written.
pub fn write_files(store: &Store, brief: &Brief, batch: &BatchRow, wish: FileWish<'_>) -> Result<Written, BatchError> {
    each_language(batch, wish, "", |into, to| {
        write_out(store, brief, batch, into, &mut UnitFile { format: wish.format, to })
    })
}

/// Writes a file of units for a language, as it goes out, and says how many there are.
pub(super) fn write_out(
    store: &Store,
    brief: &Brief,
    batch: &BatchRow,
    into: &LanguageTag,
    to: &mut UnitFile<'_>,
) -> Result<u64, BatchError> {
    to.units(store, batch, &heading(batch, into, Purpose::Work), |unit, write| {
        if unit.origin == Origin::Repeated || unit.standing != UnitStanding::Out {
            return Ok(0);
        }
        let mut outgoing = with_terms(brief, into, unit);
        outgoing.context.machine = suggestion(store, brief, unit, into)?;
        write(Outgoing { unit: &outgoing, target: None, complaints: &[] })
    })
}

/// A text that would be longer than it may be, were it translated as freely as translations are.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Overflow {
    /// The language.
    pub language: LanguageTag,
    /// Where it stands.
    pub name: String,
    /// How many characters it would have.
    pub length: usize,
    /// How many it may have.
    pub limit: usize,
}

/// Writes files of pseudo-translations, as if they came back; says what was cut to its limit.
///
/// # Errors
/// Where the store fails, or a file cannot be written.
pub fn pseudo_files(
    store: &Store,
    batch: &BatchRow,
    wish: FileWish<'_>,
) -> Result<(Written, Vec<Overflow>), BatchError> {
    let mut overflows = Vec::new();
    let written = pseudo_written(store, batch, wish, &mut overflows)?;
    Ok((written, overflows))
}

fn pseudo_written(
    store: &Store,
    batch: &BatchRow,
    wish: FileWish<'_>,
    overflows: &mut Vec<Overflow>,
) -> Result<Written, BatchError> {
    each_language(batch, wish, "pseudo", |into, to| {
        let mut file = UnitFile { format: wish.format, to };
        file.units(store, batch, &heading(batch, into, Purpose::Pseudo), |unit, write| {
            if unit.origin == Origin::Repeated {
                return Ok(0);
            }
            let limit = unit.unit.context.limit;
            let length = pseudo_length(&unit.unit.source, into);
            if let Some(limit) = limit.filter(|limit| length > *limit) {
                let name = unit.unit.name.clone();
                overflows.push(Overflow { language: into.clone(), name, length, limit });
            }
            let target = pseudo(&unit.unit.source, into, limit);
            write(Outgoing { unit: &unit.unit, target: Some(&target), complaints: &[] })
        })
    })
}

/// Writes what was rejected, with what came back and why it goes back.
///
/// # Errors
/// Where the store fails, or a file cannot be written.
pub fn reject_notes(store: &Store, brief: &Brief, batch: &BatchRow, wish: FileWish<'_>) -> Result<Written, BatchError> {
    each_language(batch, wish, "rejected", |into, to| {
        let mut file = UnitFile { format: wish.format, to };
        file.units(store, batch, &heading(batch, into, Purpose::Mending), |unit, write| {
            if unit.standing != UnitStanding::Rejected {
                return Ok(0);
            }
            let outgoing = with_terms(brief, into, unit);
            write(Outgoing { unit: &outgoing, target: unit.target.as_ref(), complaints: &unit.reasons })
        })
    })
}

fn heading(batch: &BatchRow, into: &LanguageTag, purpose: Purpose) -> Heading {
    Heading { batch: batch.name.clone(), from: batch.from.clone(), into: into.clone(), purpose }
}

/// A file per language, whole or not at all; one without units is not kept.
fn each_language(
    batch: &BatchRow,
    wish: FileWish<'_>,
    what: &str,
    mut write: impl FnMut(&LanguageTag, &mut dyn Write) -> Result<u64, BatchError>,
) -> Result<Written, BatchError> {
    let mut written = Vec::new();
    std::fs::create_dir_all(wish.folder).map_err(|error| BatchError::file(wish.folder, error))?;
    for into in batch.into.iter().filter(|into| wish.into.is_none_or(|wanted| wanted == *into)) {
        let what = if what.is_empty() { String::new() } else { format!(".{what}") };
        let file = wish.folder.join(format!("{}.{into}{what}.{}", batch.name, wish.format.extension()));
        let failed = |error: &dyn std::fmt::Display| BatchError::file(&file, error);
        let temporary = tempfile::NamedTempFile::new_in(wish.folder).map_err(|error| failed(&error))?;
        let mut to = BufWriter::new(temporary);
        let count = write(into, &mut to)?;
        if count == 0 {
            continue;
        }
        let temporary = to.into_inner().map_err(|error| failed(&error))?;
        temporary.as_file().sync_all().map_err(|error| failed(&error))?;
        publish(temporary, &file).map_err(|error| failed(&error))?;
        written.push((into.clone(), file));
    }
    Ok(written)
}

type WriteUnit<'a> = dyn FnMut(Outgoing<'_>) -> Result<u64, BatchError> + 'a;

/// A file of units that is written, in its format.
pub(super) struct UnitFile<'a> {
    pub(super) format: UnitFormat,
    pub(super) to: &'a mut dyn Write,
}

impl UnitFile<'_> {
    /// Goes through the units of a batch in the heading's language, a page at a time.
    fn units(
        &mut self,
        store: &Store,
        batch: &BatchRow,
        heading: &Heading,
        mut each: impl FnMut(&BatchUnit, &mut WriteUnit<'_>) -> Result<u64, BatchError>,
    ) -> Result<u64, BatchError> {
        let failed = |error: std::io::Error| BatchError::File { file: batch.name.clone(), reason: error.to_string() };
        let mut writer = write_units(self.format, heading, &mut *self.to).map_err(failed)?;
        let (mut after, mut count) = (0, 0);
        loop {
            let page = store.batch_units(batch.number, &heading.into, after, TOGETHER)?;
            let Some(last) = page.last() else { break };
            after = last.text;
            for unit in &page {
                count += each(unit, &mut |outgoing| writer.unit(outgoing).map(|()| 1).map_err(failed))?;
            }
        }
        writer.end().map_err(failed)?;
        Ok(count)
    }
}

/// A unit with what the glossary says of its text.
fn with_terms(brief: &Brief, into: &LanguageTag, unit: &BatchUnit) -> Unit {
    let mut outgoing = unit.unit.clone();
    let source = unit.unit.source.plain().into_owned();
    for (term, say, avoid) in brief.rules(into).terms.called_for(into, &source) {
        let mut note = format!("`{term}`");
        if !say.is_empty() {
            note.push_str(&format!(": say {}", quoted(&say, " or ")));
        }
        if !avoid.is_empty() {
            note.push_str(&format!("{} avoid {}", if say.is_empty() { ":" } else { ";" }, quoted(&avoid, ", ")));
        }
        outgoing.context.notes.push(note);
    }
    outgoing
}

fn quoted(texts: &[&str], between: &str) -> String {
    texts.iter().map(|text| format!("`{text}`")).collect::<Vec<_>>().join(between)
}

/// The texts of a batch as they stand in the store, in their order; for the page that goes along.
pub(super) fn all_units(
    store: &Store,
    batch: &BatchRow,
    into: &LanguageTag,
    mut each: impl FnMut(&BatchUnit) -> Result<(), BatchError>,
) -> Result<(), BatchError> {
    let mut after = 0;
    loop {
        let page = store.batch_units(batch.number, into, after, TOGETHER)?;
        let Some(last) = page.last() else { return Ok(()) };
        after = last.text;
        page.iter().try_for_each(&mut each)?;
    }
}
