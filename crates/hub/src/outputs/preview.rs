//! An entry as the pages of an output would show it, before anything is delivered.

use std::collections::{BTreeMap, BTreeSet};

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use diaporos_core::image::PictureOrder;
use diaporos_core::value::{EntryId, Value};
use diaporos_store::Store;
use diaporos_systems::Write;
use jiff::Timestamp;

use super::documents::{Shown, documents};
use super::places::{Site, rooted};
use super::{OutputError, Wanted, pages};
use crate::config::{Config, ConfiguredLane, OutputConfig};
use crate::page::{DocumentPage, PageError};
use crate::push::EntryPlan;

/// Why an entry cannot be shown as an output would show it.
#[derive(Debug, thiserror::Error)]
pub enum OutputPreviewError {
    /// What is there cannot be read.
    #[error(transparent)]
    Output(#[from] OutputError),
    /// The template is faulty.
    #[error(transparent)]
    Page(#[from] PageError),
}

/// The pages of a plan by the very templates of an output, with its lists and outlines; `against` puts the pages beside
/// them that are on view now. Pictures are put into the pages.
///
/// # Errors
/// Where what is there cannot be read, or a template is faulty.
pub async fn output_pages(
    (config, store): (&Config, &Store),
    output: &OutputConfig,
    (lane, writer): (&ConfiguredLane, &dyn Write),
    plan: &EntryPlan,
    (against, now): (bool, Timestamp),
) -> Result<Vec<DocumentPage>, OutputPreviewError> {
    let mut all = documents(config, store, output, writer).await?;
    let entry = store.entry(&plan.address).map_err(OutputError::from)?.map(|entry| entry.number).unwrap_or_default();
    all.retain(|shown| shown.address != plan.address || shown.kind != lane.lane.to.kind);
    let fields = lane.target.fields.iter().flat_map(|known| &known.fields);
    let is_html = |field: &diaporos_core::model::Field| field.kind == diaporos_core::model::FieldKind::Html;
    let html: Vec<String> = fields.filter(|(_, field)| is_html(field)).map(|(name, _)| name.clone()).collect();
    for (place, document) in plan.documents.iter().enumerate() {
        let Some(ours) = &document.document else { continue };
        let id = document.id_there().cloned().or_else(|| EntryId::new(format!("to-be-{place}")).ok());
        let Some(id) = id else { continue };
        all.push(Shown {
            lane: lane.lane.name.clone(),
            entry,
            address: plan.address.clone(),
            kind: lane.lane.to.kind.clone(),
            id,
            language: ours.language.clone().unwrap_or_else(|| output.language.clone()),
            fields: ours.fields.clone(),
            html: html.clone(),
            delivered: now,
        });
    }
    let site = Site::of(output, &all);
    let mut pictures = renditions((lane, writer), plan).await;
    let mut made = Wanted::default();
    pages::make_some(config, store, (output, &site), now, (&mut made, Some(&plan.address)))
        .map_err(OutputError::from)?;
    if let Some(problem) = made.problems.into_iter().next() {
        return Err(PageError::Template(problem.message).into());
    }
    for asset in site.assets() {
        let address = rooted(&output.url, asset.as_str());
        let is_shown = |bytes: &Vec<u8>| memchr::memmem::find(bytes, address.as_bytes()).is_some();
        if made.files.values().any(is_shown)
            && let Some(bytes) = writer.kept_asset(&asset).await.map_err(OutputError::from)?
        {
            pictures.insert(address, data(&bytes));
        }
    }
    let mut shown = Vec::new();
    for document in &plan.documents {
        let Some(ours) = &document.document else { continue };
        let language = ours.language.clone().unwrap_or_else(|| output.language.clone());
        let Some((_, place)) = site.page_of(&plan.address, &language) else { continue };
        let Some(bytes) = made.files.get(&place.path) else { continue };
        let there = if against { std::fs::read_to_string(output.folder.join(&place.path)).ok() } else { None };
        let with_pictures =
            |page: String| pictures.iter().fold(page, |page, (address, data)| page.replace(address, data));
        shown.push(DocumentPage {
            language: language.to_string(),
            step: document.step.word().to_owned(),
            body: with_pictures(String::from_utf8_lossy(bytes).into_owned()),
            now: there.map(with_pictures),
        });
    }
    Ok(shown)
}

/// The pictures of a plan that are yet to be made, each by the address that stands in a page, as one that holds it (RFC
/// 2397).
async fn renditions((lane, writer): (&ConfiguredLane, &dyn Write), plan: &EntryPlan) -> BTreeMap<String, String> {
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
