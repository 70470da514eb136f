//! Files that entries refer to: delivered before them, once for each content, and named in them by
//! what the destination calls them.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::lane::{Document, Mapped};
use diaporos_core::model::FieldKind;
use diaporos_core::value::{EntryId, Record, Value};
use diaporos_store::{Store, StoreError};
use diaporos_systems::asset::{Asset, Fetcher};
use diaporos_systems::{ErrorKind, SystemError, Write};
use futures::StreamExt;
use jiff::Timestamp;

use super::PushError;
use crate::config::ConfiguredLane;

/// What became of the file at each address.
pub(super) type Found = BTreeMap<String, Result<(), SystemError>>;

/// Puts in the place of each file's address what the destination calls it, as far as that is known.
///
/// # Errors
/// Where the store fails.
pub(crate) fn name_assets(store: &Store, lane: &ConfiguredLane, mapped: &mut Mapped) -> Result<(), StoreError> {
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
    (text.starts_with("http://") || text.starts_with("https://")).then_some(text.as_str())
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
pub(super) fn referred<'a>(lane: &ConfiguredLane, mapped: impl Iterator<Item = &'a Mapped>) -> BTreeSet<String> {
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

/// Fetches the files and delivers those whose content is not there yet. With `dry_run` nothing is
/// fetched.
pub(super) async fn deliver_assets(
    store: &mut Store,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    addresses: BTreeSet<String>,
    (dry_run, now): (bool, Timestamp),
) -> Result<Found, PushError> {
    let mut found = Found::new();
    // What would be sent is seen without asking anybody for anything.
    if dry_run {
        return Ok(found);
    }
    let Some(fetcher) = writer.asset_fetcher(&lane.lane.to.kind).transpose()? else { return Ok(found) };
    let system = &lane.lane.to.system;
    let fetched = futures::stream::iter(addresses.into_iter().map(|url| fetch(&fetcher, url)));
    let mut fetched = fetched.buffered(4);
    while let Some((url, asset)) = fetched.next().await {
        let asset = match asset {
            Ok(asset) => asset,
            Err(error) => {
                found.insert(url, Err(error));
                continue;
            }
        };
        let known = store.asset_of(system, &asset.hash)?;
        let id = match known {
            Some(id) => Ok(id),
            None => writer.deliver_asset(&lane.lane.to.kind, &asset).await,
        };
        match id {
            Ok(id) => {
                store.keep_asset((system, &url), &asset.hash, &id, now)?;
                found.insert(url, Ok(()));
            }
            Err(error) if error.kind.is_of_the_whole_system() => return Err(error.into()),
            Err(error) => drop(found.insert(url, Err(error))),
        }
    }
    Ok(found)
}

async fn fetch(fetcher: &Fetcher, url: String) -> (String, Result<Asset, SystemError>) {
    let asset = fetcher.fetch(&url).await;
    (url, asset)
}

/// Why an entry cannot go for a file that it refers to: what is wrong with the file, or why it could
/// not be had.
pub(super) fn obstacle(lane: &ConfiguredLane, mapped: &Mapped, found: &Found) -> Option<(bool, SystemError)> {
    let own = referred(lane, std::iter::once(mapped));
    let failed = own.iter().filter_map(|url| found.get(url)).find_map(|found| found.as_ref().err())?;
    let is_unfit = matches!(
        failed.kind,
        ErrorKind::Refused(_)
            | ErrorKind::TooLarge { .. }
            | ErrorKind::NotFound
            | ErrorKind::GoneForGood
            | ErrorKind::Status { status: 400..500, .. }
    );
    Some((is_unfit, failed.clone()))
}
