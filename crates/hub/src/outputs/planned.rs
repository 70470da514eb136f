//! The pages of an entry as they would be, before anything is delivered.

use std::collections::BTreeMap;

use diaporos_core::model::{Field, FieldKind};
use diaporos_core::value::{Address, EntryId, LanguageTag, Record};
use diaporos_store::Store;
use diaporos_systems::Write;
use jiff::Timestamp;

use super::documents::{Shown, documents};
use super::pages::PageMaker;
use super::places::{Site, rooted};
use super::{OutputError, Wanted};
use crate::config::{Config, ConfiguredLane, OutputConfig};

/// What is to be there of an entry.
pub(crate) struct Planned<'a> {
    pub(crate) lane: &'a ConfiguredLane,
    pub(crate) address: &'a Address,
    pub(crate) documents: Vec<PlannedDocument>,
    /// When.
    pub(crate) at: Timestamp,
}

/// A document that is to be there.
pub(crate) struct PlannedDocument {
    pub(crate) id: EntryId,
    pub(crate) language: LanguageTag,
    pub(crate) fields: Record,
}

/// The pages of an entry as they would be.
pub(crate) struct PlannedPages {
    /// The path below the output's folder, and the page, by language.
    pub(crate) pages: BTreeMap<LanguageTag, (String, String)>,
    /// Files that the pages show, by their addresses there.
    pub(crate) files: BTreeMap<String, Vec<u8>>,
    /// What is wrong with them.
    pub(crate) problems: Vec<String>,
}

/// Makes the pages of an entry by the output's templates, with its lists and outlines as they are now.
///
/// # Errors
/// Where what is there cannot be read.
pub(crate) async fn planned_pages(
    config: &Config,
    store: &Store,
    output: &OutputConfig,
    writer: &dyn Write,
    planned: Planned<'_>,
) -> Result<PlannedPages, OutputError> {
    let Planned { lane, address, documents: to_be, at } = planned;
    let kind = &lane.lane.to.kind;
    let mut all = documents(config, store, output, writer).await?;
    all.retain(|shown| shown.address != *address || shown.kind != *kind);
    let entry = store.entry(address)?.map(|entry| entry.number).unwrap_or_default();
    let fields = lane.target.fields.iter().flat_map(|known| &known.fields);
    let is_html = |field: &Field| field.kind == FieldKind::Html;
    let html: Vec<String> = fields.filter(|(_, field)| is_html(field)).map(|(name, _)| name.clone()).collect();
    all.extend(to_be.into_iter().map(|PlannedDocument { id, language, fields }| Shown {
        lane: lane.lane.name.clone(),
        entry,
        address: address.clone(),
        kind: kind.clone(),
        id,
        language,
        is_there: true,
        fields,
        html: html.clone(),
        delivered: at,
    }));
    let site = Site::of(output, &all);
    let mut made = Wanted::default();
    PageMaker { config, store, site: &site, now: at }.make_of(address, &mut made)?;
    let mut files = BTreeMap::new();
    for asset in site.assets() {
        let at = rooted(&output.url, asset.as_str());
        let is_shown = |bytes: &Vec<u8>| memchr::memmem::find(bytes, at.as_bytes()).is_some();
        if made.files.values().any(is_shown)
            && let Some(bytes) = writer.kept_asset(&asset).await?
        {
            files.insert(at, bytes);
        }
    }
    let page = |(language, place): (&LanguageTag, &super::places::PagePlace)| {
        let bytes = made.files.get(&place.path)?;
        Some((language.clone(), (place.path.clone(), String::from_utf8_lossy(bytes).into_owned())))
    };
    let pages = site.pages_of(address).filter_map(page).collect();
    let problems = made.problems.into_iter().map(|problem| problem.message).collect();
    Ok(PlannedPages { pages, files, problems })
}
