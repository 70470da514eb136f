//! A page that goes along with a batch: its entries as they are read, with the ids of their units.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use diaporos_core::text::{clean, html_from_markdown};
use diaporos_core::translate::{Form, TextStructure, UnitId, UnitPlace};
use diaporos_store::{BatchRow, BatchUnit, Store};
use minijinja::context;

use super::BatchError;
use super::files::all_units;
use super::page_file::PageFile;
use super::texts::text_in;
use crate::config::Brief;
use crate::look::title;

/// The texts of an entry that are in the batch, by field, with the version that they are of.
type OfEntry = BTreeMap<String, Vec<(u32, u64)>>;

/// Writes the page into a folder, and gives its file.
///
/// # Errors
/// Where the store fails, or the file cannot be written.
pub fn write_page(store: &Store, brief: &Brief, batch: &BatchRow, folder: &Path) -> Result<PathBuf, BatchError> {
    let mut page = PageFile::begin(folder, &format!("{}.html", batch.name), TEMPLATE)?;
    let into: Vec<String> = batch.into.iter().map(ToString::to_string).collect();
    let due = batch.due.map(|due| due.strftime("%Y-%m-%d").to_string());
    let (name, from) = (batch.name.clone(), batch.from.to_string());
    page.part(context! { part => "head", name, from, into, due, notes => brief.notes.clone() })?;
    // The units of an entry follow each other, and every language has the same.
    let mut open: Option<(i64, OfEntry)> = None;
    let mut references = Vec::new();
    let mut seen = std::collections::BTreeSet::new();
    for language in &batch.into {
        all_units(store, batch, language, |unit: &BatchUnit| {
            if !seen.insert(unit.text) {
                return Ok(());
            }
            if open.as_ref().is_none_or(|(entry, _)| *entry != unit.entry)
                && let Some((entry, fields)) = open.replace((unit.entry, OfEntry::new()))
            {
                page.part(entry_part(store, brief, entry, (&fields, &references))?)?;
            }
            references.clone_from(&unit.unit.context.references);
            if let Some((_, fields)) = &mut open {
                fields.entry(unit.field.clone()).or_default().push((unit.block, unit.version));
            }
            Ok(())
        })?;
    }
    if let Some((entry, fields)) = open {
        page.part(entry_part(store, brief, entry, (&fields, &references))?)?;
    }
    page.part(context! { part => "foot" })?;
    page.end()
}

fn entry_part(
    store: &Store,
    brief: &Brief,
    number: i64,
    (in_batch, references): (&OfEntry, &[(String, String)]),
) -> Result<minijinja::Value, BatchError> {
    let Some(entry) = store.entry_numbered(number)? else { return Ok(context! { part => "nothing" }) };
    let mut fields = Vec::new();
    for (name, field) in &brief.fields {
        let Some(units) = in_batch.get(name) else { continue };
        let version = units.first().map_or(entry.row.version, |(_, version)| *version);
        let Some(content) = store.version(number, version)? else { continue };
        let Some(source) = text_in(&content.fields, name, &brief.from) else { continue };
        let shape = TextStructure::of(field.form, source, &brief.protected);
        let mut blocks = Vec::new();
        for (index, (block, at)) in shape.blocks().iter().zip(1_u32..).enumerate() {
            let place = UnitPlace { address: entry.row.address.clone(), field: name.clone(), block: at };
            let goes = units.iter().any(|(block, _)| *block == at);
            let id = goes.then(|| UnitId::of(&place).to_string());
            let html = alone(field.form, &shape.original(index));
            blocks.push(context! { id, within => block.within.clone(), html, limit => field.limit });
        }
        fields.push(context! { name, note => field.note.clone(), blocks });
    }
    let address = entry.row.address.to_string();
    let title = title(&entry.row.fields).unwrap_or(&address).to_owned();
    Ok(context! { part => "entry", address, title, references => references.to_vec(), fields })
}

/// A block by itself, as safe HTML.
pub(super) fn alone(form: Form, original: &str) -> String {
    let escape = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    let safe = match form {
        Form::Plain | Form::Message => Ok(escape(original)),
        Form::Html => clean(original),
        Form::Markdown => html_from_markdown(original),
    };
    let safe = safe.unwrap_or_else(|_| escape(original));
    // A block stands in a row of its own, and needs no paragraph.
    let inner = safe.strip_prefix("<p>").and_then(|rest| rest.strip_suffix("</p>"));
    inner.filter(|inner| form == Form::Markdown && !inner.contains("<p>")).unwrap_or(&safe).to_owned()
}

const TEMPLATE: &str = include_str!("page/batch.html");
