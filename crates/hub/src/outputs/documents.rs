//! The documents that an output shows.

use diaporos_core::model::FieldKind;
use diaporos_core::value::{Address, EntryId, LaneName, LanguageTag, Record, TypeName};
use diaporos_store::Store;
use diaporos_systems::Write;
use futures::StreamExt;
use jiff::Timestamp;

use super::OutputError;
use crate::config::{Config, OutputConfig};

/// A document that is on view.
pub(super) struct Shown {
    pub(super) lane: LaneName,
    pub(super) entry: i64,
    pub(super) address: Address,
    pub(super) kind: TypeName,
    pub(super) id: EntryId,
    pub(super) language: LanguageTag,
    /// Whether it is there; else it was delivered, and cannot be found.
    pub(super) is_there: bool,
    pub(super) fields: Record,
    /// The fields that are HTML.
    pub(super) html: Vec<String>,
    /// When it was last delivered.
    pub(super) delivered: Timestamp,
}

/// How many files are read at once.
const AT_ONCE: usize = 16;

/// Reads every document that lanes have on view there, of types that have pages.
pub(super) async fn documents(
    config: &Config,
    store: &Store,
    output: &OutputConfig,
    writer: &dyn Write,
) -> Result<Vec<Shown>, OutputError> {
    let mut shown = Vec::new();
    for lane in config.lanes.values() {
        let to = &lane.lane.to;
        if to.system != output.of || !output.pages.contains_key(&to.kind) {
            continue;
        }
        let fields = lane.target.fields.iter().flat_map(|known| &known.fields);
        let html: Vec<String> =
            fields.filter(|(_, field)| field.kind == FieldKind::Html).map(|(name, _)| name.clone()).collect();
        let delivered = store.delivered_on(&lane.lane.name)?;
        let reads = delivered.into_iter().map(|(entry, row)| async move {
            let read = writer.read(&to.kind, &row.counterpart.id).await;
            (entry, row, read)
        });
        let reads: Vec<_> = futures::stream::iter(reads).buffered(AT_ONCE).collect().await;
        for (entry, row, read) in reads {
            let existing = read?;
            if existing.as_ref().is_some_and(|there| there.presence != diaporos_core::plan::Presence::Present) {
                continue;
            }
            let Some(known) = store.entry_numbered(entry)? else { continue };
            shown.push(Shown {
                lane: lane.lane.name.clone(),
                entry,
                address: known.row.address,
                kind: to.kind.clone(),
                id: row.counterpart.id,
                language: row.language.unwrap_or_else(|| output.language.clone()),
                is_there: existing.is_some(),
                // Where it is not there, its page is found by what was delivered.
                fields: existing.map_or(row.counterpart.fields, |there| there.fields),
                html: html.clone(),
                delivered: row.delivered,
            });
        }
    }
    Ok(shown)
}
