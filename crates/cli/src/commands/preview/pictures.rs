//! Every rendition of entries on one page.

use std::path::Path;

use diaporos_core::value::Address;
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::pictures::{contact_sheet, orders};
use diaporos_store::Store;
use diaporos_systems::Write;

use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::note;

/// Writes the page; entries that have no rendition made are not on it.
pub(super) async fn write(
    file: &Path,
    lane: &ConfiguredLane,
    (store, writer): (&Store, &dyn Write),
    addresses: &[Address],
) -> Result<Exit, Failure> {
    let Some(fetcher) = writer.asset_fetcher(&lane.lane.to.kind) else {
        return Err(Failure::wrong(format!("`{}` takes no files", lane.lane.to))
            .advise("its profile says how it takes them, in `assets`"));
    };
    let fetcher = fetcher.map_err(|error| Failure::failed(error.to_string()))?;
    let mut wanted = Vec::new();
    for address in addresses {
        let of_entry = orders(store, lane, address, Context::now())?;
        if !of_entry.is_empty() {
            wanted.push((address.clone(), of_entry));
        }
    }
    let count: usize = wanted.iter().map(|(_, of)| of.len()).sum();
    if count == 0 {
        return Err(Failure::failed(format!("no rendition is made on `{}` for these entries", lane.lane.name))
            .advise("a field says `image | rendition \"NAME\"`, and its kind is `asset`"));
    }
    let sheet = contact_sheet(&fetcher, &wanted).await;
    let (page, failed) = sheet.map_err(|error| Failure::failed(error.to_string()))?;
    std::fs::write(file, page).map_err(|error| Failure::failed(format!("{}: {error}", file.display())))?;
    let made = counted(count as u64 - failed, "rendition", "renditions");
    let more = if failed > 0 { format!("; {failed} could not be made, and say why") } else { String::new() };
    note(&format!("{made} of {}: {}{more}", counted(wanted.len() as u64, "entry", "entries"), file.display()));
    Ok(if failed > 0 { Exit::Partly } else { Exit::Done })
}
