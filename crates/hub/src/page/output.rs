//! An entry as the pages of an output would show it, before anything is delivered.

use std::collections::{BTreeMap, BTreeSet};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use diaporos_core::image::PictureOrder;
use diaporos_core::plan::DocumentPlan;
use diaporos_core::value::{EntryId, LanguageTag, Value};
use diaporos_store::Store;
use diaporos_systems::Write;
use jiff::Timestamp;

use super::{DocumentPage, PageError};
use crate::config::{Config, ConfiguredLane, OutputConfig};
use crate::outputs::{OutputError, Planned, PlannedDocument, PlannedPages, planned_pages};
use crate::push::EntryPlan;

/// Why an entry cannot be shown as an output would show it.
#[derive(Debug, thiserror::Error)]
pub enum OutputPageError {
    /// What is there cannot be read.
    #[error(transparent)]
    Output(#[from] OutputError),
    /// The template is faulty.
    #[error(transparent)]
    Page(#[from] PageError),
}

/// Where a plan goes, and by which output it is shown.
#[derive(Clone, Copy)]
pub struct Showing<'a> {
    /// The lane.
    pub lane: &'a ConfiguredLane,
    /// Its destination.
    pub writer: &'a dyn Write,
    /// The output that shows what is there.
    pub output: &'a OutputConfig,
    /// Whether the pages that are on view now stand beside.
    pub against: bool,
}

/// The pages of a plan by the very templates of an output, with its lists and outlines. Pictures are put into the pages.
///
/// # Errors
/// Where what is there cannot be read, or a template is faulty.
pub async fn output_pages(
    config: &Config,
    store: &Store,
    Showing { lane, writer, output, against }: Showing<'_>,
    plan: &EntryPlan,
    now: Timestamp,
) -> Result<Vec<DocumentPage>, OutputPageError> {
    let language_of = |language: Option<&LanguageTag>| language.unwrap_or(&output.language).clone();
    let to_be = |(place, document): (usize, &DocumentPlan)| {
        let ours = document.document.as_ref()?;
        let id = document.id_there().cloned().or_else(|| EntryId::new(format!("to-be-{place}")).ok())?;
        let language = language_of(ours.language.as_ref());
        Some(PlannedDocument { id, language, fields: ours.fields.clone() })
    };
    let to_be = plan.documents.iter().enumerate().filter_map(to_be).collect();
    let planned = Planned { lane, address: &plan.address, documents: to_be, at: now };
    let PlannedPages { pages, files, problems } = planned_pages(config, store, output, writer, planned).await?;
    if let Some(problem) = problems.into_iter().next() {
        return Err(PageError::Template(problem).into());
    }
    let mut pictures = renditions(lane, writer, plan).await;
    pictures.extend(files.iter().map(|(address, bytes)| (address.clone(), data(bytes))));
    let with_pictures = |page: String| pictures.iter().fold(page, |page, (address, data)| page.replace(address, data));
    let mut shown = Vec::new();
    for document in &plan.documents {
        let Some(ours) = &document.document else { continue };
        let language = language_of(ours.language.as_ref());
        let Some((path, page)) = pages.get(&language) else { continue };
        let there = if against { std::fs::read_to_string(output.folder.join(path)).ok() } else { None };
        shown.push(DocumentPage {
            language: language.to_string(),
            step: document.step.word().to_owned(),
            body: with_pictures(page.clone()),
            now: there.map(with_pictures),
        });
    }
    Ok(shown)
}

/// The pictures of a plan that are yet to be made, each by the address that stands in a page, as one that holds it (RFC
/// 2397).
async fn renditions(lane: &ConfiguredLane, writer: &dyn Write, plan: &EntryPlan) -> BTreeMap<String, String> {
    let documents = plan.documents.iter().filter_map(|document| document.document.as_ref());
    let texts = documents.flat_map(|document| document.fields.values()).filter_map(Value::as_text);
    let mut wanted: BTreeMap<&str, BTreeSet<String>> = BTreeMap::new();
    for text in texts {
        if let Some((picture, _)) = PictureOrder::of_address(text) {
            wanted.entry(picture).or_default().insert(text.to_owned());
        }
    }
    let mut found = BTreeMap::new();
    let Some(Ok(fetcher)) = writer.asset_fetcher(&lane.lane.to.kind) else { return found };
    for (picture, orders) in wanted {
        for (address, asset) in fetcher.fetch(picture, orders.into_iter().collect()).await {
            // A picture that cannot be had is missing in the page, as it would be.
            found.extend(asset.ok().map(|asset| (address, data(&asset.bytes))));
        }
    }
    found
}

fn data(bytes: &[u8]) -> String {
    let media = diaporos_systems::picture::media(bytes).unwrap_or("application/octet-stream");
    format!("data:{media};base64,{}", STANDARD.encode(bytes))
}
