//! One entry, gathered to be looked at.

use diaporos_core::change::differences;
use diaporos_core::value::{Address, Record, Value, to_json};
use diaporos_store::{LaneStanding, LedgerFilter, Store, StoreError};
use serde::Serialize;

use super::views::shown;
use crate::config::Config;
use crate::look::title;

/// Versions whose differences are shown, and rows of the ledger.
const VERSIONS: usize = 10;
const LEDGER: u32 = 30;
/// The most characters of a value that are shown.
const LONGEST: usize = 2_000;

/// An entry.
#[derive(Serialize)]
pub(super) struct EntryView {
    address: String,
    title: String,
    state: &'static str,
    version: u64,
    fields: Vec<FieldView>,
    lanes: Vec<LaneView>,
    versions: Vec<VersionView>,
    ledger: Vec<LedgerView>,
}

#[derive(Serialize)]
struct FieldView {
    name: String,
    values: Vec<(String, String)>,
}

#[derive(Serialize)]
struct LaneView {
    lane: String,
    standing: &'static str,
    reason: Option<String>,
    documents: Vec<DocumentView>,
}

#[derive(Serialize)]
struct DocumentView {
    language: String,
    id: String,
    presence: &'static str,
    revision: Option<String>,
}

#[derive(Serialize)]
struct VersionView {
    number: u64,
    at: String,
    state: &'static str,
    changes: Vec<ChangeView>,
}

#[derive(Serialize)]
struct ChangeView {
    field: String,
    language: String,
    old: String,
    new: String,
}

#[derive(Serialize)]
struct LedgerView {
    at: String,
    lane: String,
    language: String,
    action: String,
    request: String,
    result: String,
    status: Option<i64>,
    message: Option<String>,
}

fn text_of(value: &Value) -> String {
    let text = match value {
        Value::Null => String::new(),
        Value::List(items) if items.iter().all(|item| item.scalar_text().is_some()) => {
            items.iter().filter_map(Value::scalar_text).collect::<Vec<_>>().join(", ")
        }
        other => match (other.scalar_text(), to_json(other)) {
            (Some(text), _) => text.into_owned(),
            (None, serde_json::Value::String(text)) => text,
            (None, json) => format!("{json:#}"),
        },
    };
    match text.char_indices().nth(LONGEST) {
        Some((end, _)) => format!("{}…", &text[..end]),
        None => text,
    }
}

fn fields(record: &Record) -> Vec<FieldView> {
    let view = |(name, value): (&String, &Value)| {
        let values = match value {
            Value::Localised(by_language) => {
                by_language.iter().map(|(tag, value)| (tag.to_string(), text_of(value))).collect()
            }
            other => vec![(String::new(), text_of(other))],
        };
        FieldView { name: name.clone(), values }
    };
    record.iter().map(view).collect()
}

/// Gathers an entry; none where it is not known.
///
/// # Errors
/// Where the store fails.
pub(super) fn entry_view(config: &Config, store: &Store, address: &Address) -> Result<Option<EntryView>, StoreError> {
    let Some(entry) = store.entry(address)? else { return Ok(None) };
    let counterparts = store.counterparts(entry.number)?;
    let standings = store.standings(address)?.into_iter().filter(|known| config.lanes.contains_key(&known.lane));
    let lanes = standings.map(|LaneStanding { lane, standing, reason, .. }| {
        let own = counterparts.iter().filter(|row| row.lane == lane.as_str());
        let documents = own.map(|row| DocumentView {
            language: row.language.as_ref().map_or(String::new(), ToString::to_string),
            id: row.counterpart.id.to_string(),
            presence: row.counterpart.presence.word(),
            revision: row.counterpart.revision.as_ref().map(ToString::to_string),
        });
        LaneView { documents: documents.collect(), lane: lane.to_string(), standing: standing.word(), reason }
    });
    Ok(Some(EntryView {
        address: address.to_string(),
        title: title(&entry.row.fields).unwrap_or_default().to_owned(),
        state: entry.row.state.word(),
        version: entry.row.version,
        fields: fields(&entry.row.fields),
        lanes: lanes.collect(),
        versions: versions(store, entry.number)?,
        ledger: ledger(store, address)?,
    }))
}

/// The newest versions, each with what differs from the one before.
fn versions(store: &Store, entry: i64) -> Result<Vec<VersionView>, StoreError> {
    let mut known = store.versions(entry)?;
    known.sort_by_key(|version| std::cmp::Reverse(version.number));
    let mut views = Vec::new();
    let mut newer: Option<Record> = None;
    for version in known.iter().take(VERSIONS + 1) {
        let fields = store.version(entry, version.number)?.map(|content| content.fields).unwrap_or_default();
        if let (Some(newer), Some(view)) = (newer.take(), views.last_mut()) {
            let view: &mut VersionView = view;
            view.changes = differences(&fields, &newer)
                .into_iter()
                .map(|found| ChangeView {
                    language: found.language.map_or(String::new(), |tag| tag.to_string()),
                    old: text_of(&found.old),
                    new: text_of(&found.new),
                    field: found.field,
                })
                .collect();
        }
        if views.len() == VERSIONS {
            break;
        }
        let (number, at, state) = (version.number, shown(version.at), version.state.word());
        views.push(VersionView { number, at, state, changes: Vec::new() });
        newer = Some(fields);
    }
    Ok(views)
}

fn ledger(store: &Store, address: &Address) -> Result<Vec<LedgerView>, StoreError> {
    let mut views = Vec::new();
    let filter = LedgerFilter { entry: Some(address.clone()), most: Some(LEDGER), ..LedgerFilter::default() };
    store.ledger(&filter, |row| -> Result<(), StoreError> {
        views.push(LedgerView {
            at: shown(row.at),
            lane: row.lane,
            language: row.language,
            action: row.action,
            request: row.request,
            result: row.result.unwrap_or_else(|| "open".to_owned()),
            status: row.status,
            message: row.message,
        });
        Ok(())
    })?;
    views.reverse();
    Ok(views)
}
