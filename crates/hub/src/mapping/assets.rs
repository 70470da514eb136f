//! Files that entries refer to, named in them by what the destination calls them.

use std::collections::BTreeSet;

use diaporos_core::image::PictureOrder;
use diaporos_core::lane::{Fault, Mapped};
use diaporos_core::model::FieldKind;
use diaporos_core::plan::Document;
use diaporos_core::value::{EntryId, Record, Value};
use diaporos_store::{CutPlace, Store, StoreError};

use crate::config::ConfiguredLane;

/// Puts in the place of each file's address what the destination calls it, as far as that is known.
///
/// # Errors
/// Where the store fails.
pub(super) fn name_assets(store: &Store, lane: &ConfiguredLane, mapped: &mut Mapped) -> Result<(), StoreError> {
    let fields = asset_fields(lane);
    let Mapped::Goes { documents, .. } = mapped else { return Ok(()) };
    if fields.is_empty() {
        return Ok(());
    }
    let system = &lane.lane.to.system;
    for Document { fields: values, .. } in documents {
        for (_, value) in values.iter_mut().filter(|(name, _)| fields.contains(name.as_str())) {
            rename(value, &|url| store.asset_at(system, url))?;
        }
    }
    Ok(())
}

/// Puts into what is ordered of an entry's pictures the parts that editors chose. A rendition in a field that takes no
/// files is a fault.
///
/// # Errors
/// Where the store fails.
pub(super) fn with_cuts(
    store: &Store,
    lane: &ConfiguredLane,
    entry: i64,
    mapped: &mut Mapped,
) -> Result<(), StoreError> {
    let Mapped::Goes { documents, .. } = mapped else { return Ok(()) };
    let fields = asset_fields(lane);
    let mut faults = Vec::new();
    for Document { fields: values, language, .. } in documents {
        for (name, value) in values {
            let mut cut = |text: &mut String| {
                let Some((picture, mut order)) = PictureOrder::of_address(text) else { return Ok(()) };
                if !fields.contains(name.as_str()) {
                    let message = "is a rendition, and the field takes no files".to_owned();
                    faults.push(Fault { field: name.clone(), language: language.clone(), message });
                    return Ok(());
                }
                if let Some(known) = store.cut(CutPlace { entry, picture, rendition: &order.name })? {
                    order.cut = Some((known.area, known.hash));
                    *text = format!("{picture}#{}", order.fragment());
                }
                Ok(())
            };
            each_text(value, &mut cut)?;
        }
    }
    if !faults.is_empty() {
        *mapped = Mapped::Faulty(faults);
    }
    Ok(())
}

fn each_text(value: &mut Value, each: &mut dyn FnMut(&mut String) -> Result<(), StoreError>) -> Result<(), StoreError> {
    match value {
        Value::Text(text) => each(text),
        Value::List(items) => items.iter_mut().try_for_each(|item| each_text(item, each)),
        Value::Localised(by_language) => by_language.values_mut().try_for_each(|inner| each_text(inner, each)),
        _ => Ok(()),
    }
}

/// The destination fields that are files.
fn asset_fields(lane: &ConfiguredLane) -> BTreeSet<&str> {
    let fields = lane.target.fields.iter().flat_map(|known| &known.fields);
    fields.filter(|(_, field)| field.kind == FieldKind::Asset).map(|(name, _)| name.as_str()).collect()
}

/// The address of a file: a text, or a record with one at `url`.
fn address(value: &Value) -> Option<&str> {
    let text = match value {
        Value::Text(text) => text,
        Value::Record(record) => match record.get("url") {
            Some(Value::Text(text)) => text,
            _ => return None,
        },
        _ => return None,
    };
    ["http://", "https://", "attachment:"].iter().any(|start| text.starts_with(start)).then_some(text.as_str())
}

type KnownAsset<'a> = dyn Fn(&str) -> Result<Option<EntryId>, StoreError> + 'a;

fn rename(value: &mut Value, known: &KnownAsset<'_>) -> Result<(), StoreError> {
    match value {
        Value::List(items) => items.iter_mut().try_for_each(|item| rename(item, known)),
        Value::Localised(by_language) => by_language.values_mut().try_for_each(|inner| rename(inner, known)),
        value => {
            if let Some(id) = address(value).map(known).transpose()?.flatten() {
                *value = id.as_str().parse().map_or_else(|_| Value::from(id.as_str()), Value::Integer);
            }
            Ok(())
        }
    }
}

fn addresses(values: &Record, fields: &BTreeSet<&str>, found: &mut BTreeSet<String>) {
    fn gather(value: &Value, found: &mut BTreeSet<String>) {
        match value {
            Value::List(items) => items.iter().for_each(|item| gather(item, found)),
            Value::Localised(by_language) => by_language.values().for_each(|inner| gather(inner, found)),
            value => found.extend(address(value).map(str::to_owned)),
        }
    }
    values.iter().filter(|(name, _)| fields.contains(name.as_str())).for_each(|(_, value)| gather(value, found));
}

/// The addresses of the files that entries refer to on a lane.
pub(crate) fn referred<'a>(lane: &ConfiguredLane, mapped: impl Iterator<Item = &'a Mapped>) -> BTreeSet<String> {
    let fields = asset_fields(lane);
    let mut found = BTreeSet::new();
    if fields.is_empty() {
        return found;
    }
    for mapped in mapped {
        if let Mapped::Goes { documents, .. } = mapped {
            documents.iter().for_each(|document| addresses(&document.fields, &fields, &mut found));
        }
    }
    found
}
