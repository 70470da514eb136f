//! Files that entries refer to: delivered before them, once for each content, and named in them by
//! what the destination calls them.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::image::PictureOrder;
use diaporos_core::lane::Mapped;
use diaporos_store::Store;
use diaporos_systems::{ErrorKind, SystemError, Write};
use futures::StreamExt;
use jiff::Timestamp;

use super::PushError;
use crate::config::ConfiguredLane;
use crate::mapping::referred;

/// What became of the file at each address.
pub(super) type AssetOutcomes = BTreeMap<String, Result<(), SystemError>>;

/// Fetches the files and delivers those whose content is not there yet.
pub(super) async fn deliver_assets(
    store: &mut Store,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    addresses: BTreeSet<String>,
    now: Timestamp,
) -> Result<AssetOutcomes, PushError> {
    let mut found = AssetOutcomes::new();
    if addresses.is_empty() {
        return Ok(found);
    }
    let Some(fetcher) = writer.asset_fetcher(&lane.lane.to.kind).transpose()? else { return Ok(found) };
    let system = &lane.lane.to.system;
    // What is made of one picture is made together, so that it is fetched once.
    let mut by_picture: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for address in addresses {
        let picture = PictureOrder::of_address(&address).map_or(address.as_str(), |(picture, _)| picture).to_owned();
        by_picture.entry(picture).or_default().push(address);
    }
    let fetcher = &fetcher;
    let fetch = |(picture, wanted): (String, Vec<String>)| async move { fetcher.fetch(&picture, wanted).await };
    let fetched = futures::stream::iter(by_picture.into_iter().map(fetch));
    let mut fetched = fetched.buffered(4).map(futures::stream::iter).flatten();
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

/// Why an entry cannot go for a file that it refers to: what is wrong with the file, or why it could
/// not be had.
pub(super) fn obstacle(lane: &ConfiguredLane, mapped: &Mapped, found: &AssetOutcomes) -> Option<(bool, SystemError)> {
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
