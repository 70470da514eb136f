//! A page for a reviewer: what came back into a language, beside its source and what was there before.

use std::path::{Path, PathBuf};

use diaporos_core::change::{Stretch, word_difference};
use diaporos_core::translate::Inline;
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchRow, BatchUnit, Store, UnitStanding};
use minijinja::context;

use super::BatchError;
use super::files::all_units;
use super::page::alone;
use super::page_file::PageFile;
use super::returned::returned_values;
use crate::config::Brief;
use crate::look::title;

/// Writes the page of a language into a folder. Gives its file, and how many units wait on it.
///
/// # Errors
/// Where the store fails, or the file cannot be written.
pub fn write_review(
    store: &Store,
    brief: &Brief,
    (batch, into): (&BatchRow, &LanguageTag),
    folder: &Path,
) -> Result<(PathBuf, u64), BatchError> {
    let mut page = PageFile::begin(folder, &format!("{}.{into}.review.html", batch.name), TEMPLATE)?;
    let (name, from, into_text) = (batch.name.clone(), batch.from.to_string(), into.to_string());
    let mut part = |values: minijinja::Value| {
        let (name, from, into) = (&name, &from, &into_text);
        page.part(context! { name, from, into, ..values })
    };
    part(context! { part => "head" })?;
    // The units of an entry follow each other.
    let mut count = 0;
    let mut open: Vec<BatchUnit> = Vec::new();
    let mut close = |open: &mut Vec<BatchUnit>| -> Result<(), BatchError> {
        let units = std::mem::take(open);
        let waiting = units.iter().filter(|unit| waits(unit)).count();
        count += waiting as u64;
        if waiting > 0 { part(entry_part(store, brief, into, &units)?) } else { Ok(()) }
    };
    all_units(store, batch, into, |unit| {
        if open.last().is_some_and(|last| last.entry != unit.entry) {
            close(&mut open)?;
        }
        open.push(unit.clone());
        Ok(())
    })?;
    close(&mut open)?;
    part(context! { part => "foot", units => count })?;
    Ok((page.end()?, count))
}

/// Whether a person has to see to a unit.
fn waits(unit: &BatchUnit) -> bool {
    unit.target.is_some() && matches!(unit.standing, UnitStanding::Pending | UnitStanding::Rejected)
}

fn entry_part(
    store: &Store,
    brief: &Brief,
    into: &LanguageTag,
    units: &[BatchUnit],
) -> Result<minijinja::Value, BatchError> {
    let Some(first) = units.first() else { return Ok(context! { part => "nothing" }) };
    let Some(entry) = store.entry_numbered(first.entry)? else { return Ok(context! { part => "nothing" }) };
    let rows: Vec<_> = units.iter().filter(|unit| waits(unit)).map(unit_part).collect();
    let address = entry.row.address.to_string();
    let title = title(&entry.row.fields).unwrap_or(&address).to_owned();
    let looks = looks(store, brief, into, units)?;
    let references = first.unit.context.references.clone();
    Ok(context! { part => "entry", address, title, references, units => rows, looks })
}

fn unit_part(unit: &BatchUnit) -> minijinja::Value {
    let context = &unit.unit.context;
    let target = unit.target.as_ref().map(Inline::coded).unwrap_or_default();
    let source = unit.unit.source.coded();
    // What it said before, or what is nearest, and how that was translated.
    let near = context.near.first().map(|near| (&near.source, &near.target, format!("{} %", near.percent)));
    let before = context.earlier.as_ref().map(|(said, earlier)| (said, earlier, "what it was".to_owned())).or(near);
    let said = before.as_ref().map(|(said, ..)| pieces(&said.coded(), &source));
    let earlier = before.as_ref().map(|(_, earlier, _)| pieces(&earlier.coded(), &target));
    let earlier_of = before.map(|(.., of)| of);
    let (id, place) = (unit.unit.id.to_string(), context.within.clone());
    context! { id, place, source, target, said, earlier, earlier_of, reasons => unit.reasons.clone() }
}

fn pieces(before: &str, after: &str) -> Vec<minijinja::Value> {
    let of = |stretch| match stretch {
        Stretch::Same(text) => context! { kind => "same", text },
        Stretch::Gone(text) => context! { kind => "gone", text },
        Stretch::New(text) => context! { kind => "new", text },
    };
    word_difference(before, after).into_iter().map(of).collect()
}

/// The fields of an entry as they would be read.
fn looks(
    store: &Store,
    brief: &Brief,
    into: &LanguageTag,
    units: &[BatchUnit],
) -> Result<Vec<minijinja::Value>, BatchError> {
    let values = returned_values(store, brief, into, units)?;
    Ok(values.into_iter().map(|(name, form, value)| context! { name, html => alone(form, &value) }).collect())
}

const TEMPLATE: &str = include_str!("page/review.html");
