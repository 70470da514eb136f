//! Sending a batch: to an agency, ordered once whatever answers are lost, or to a folder that others
//! carry.

use std::path::{Path, PathBuf};

use diaporos_core::change::fingerprint_texts;
use diaporos_store::{BatchRow, BatchStanding, Store};
use diaporos_systems::SystemError;
use diaporos_systems::agency::{Agency, TranslationOrder};
use jiff::Timestamp;

use super::BatchError;
use super::files::{FileWish, UnitFile, write_files, write_out};
use super::page::write_page;
use crate::config::Brief;

/// What became of sending a batch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Sent {
    /// It is ordered.
    Ordered {
        /// What the agency calls the order.
        order: String,
        /// How many files went.
        files: usize,
    },
    /// It was ordered already, by a send whose answer was lost.
    Found {
        /// What the agency calls the order.
        order: String,
    },
    /// It was sent before; nothing was done.
    Already(Timestamp),
    /// Its files lie in the folder.
    Written(Vec<PathBuf>),
    /// It stays here, where people review what the machine made.
    InHouse,
}

/// Whether a batch can be sent, or was.
fn ready(batch: &BatchRow) -> Result<Option<Sent>, BatchError> {
    match batch.standing {
        BatchStanding::Made | BatchStanding::Sending => Ok(None),
        BatchStanding::Sent => Ok(Some(Sent::Already(batch.sent.unwrap_or(batch.made)))),
        BatchStanding::Filled => Err(BatchError::Standing(format!(
            "all of `{}` was known from before; there is nothing to send",
            batch.name
        ))),
        BatchStanding::Cancelled => Err(BatchError::Standing(format!("`{}` was cancelled", batch.name))),
    }
}

/// By what an agency knows a batch from those of others: its name, and the moment it was made.
pub(super) fn reference(batch: &BatchRow) -> String {
    let made = fingerprint_texts([batch.name.as_str(), &batch.made.to_string()]).to_string();
    format!("{}-{}", batch.name, made.get(..8).unwrap_or(&made))
}

/// Sends a batch to an agency. What was done is noted at every step, so that a send that was broken
/// off goes on where it was, and an order whose answer was lost is found.
///
/// # Errors
/// Where the agency fails; sending again goes on.
pub(super) async fn send(
    store: &mut Store,
    agency: &Agency,
    brief: &Brief,
    batch: &mut BatchRow,
    clock: &(dyn Fn() -> Timestamp + Sync),
) -> Result<Sent, BatchError> {
    if let Some(done) = ready(batch)? {
        return Ok(done);
    }
    let reference = reference(batch);
    if batch.standing == BatchStanding::Sending {
        if let Some(order) = agency.find(&reference).await? {
            ordered(store, batch, &order, clock())?;
            return Ok(Sent::Found { order });
        }
    } else {
        batch.standing = BatchStanding::Sending;
        store.note_batch(batch)?;
    }
    let mut files = std::collections::BTreeMap::new();
    for into in batch.into.clone() {
        let id = match batch.files_there.get(into.as_str()) {
            Some(id) => id.clone(),
            None => {
                let mut bytes = Vec::new();
                if write_out(store, brief, batch, &into, &mut UnitFile { format: brief.format, to: &mut bytes })? == 0 {
                    continue;
                }
                let name = format!("{reference}.{into}.{}", brief.format.extension());
                let id = agency.upload(&name, &into, bytes, brief.format.media_type()).await?;
                batch.files_there.insert(into.to_string(), id.clone());
                store.note_batch(batch)?;
                id
            }
        };
        files.insert(into, id);
    }
    let order = TranslationOrder { reference: &reference, from: &batch.from, due: batch.due, files: &files };
    match agency.order(order).await {
        Ok(order) => {
            ordered(store, batch, &order, clock())?;
            Ok(Sent::Ordered { order, files: files.len() })
        }
        Err(error) if error.kind.leaves_doubt() => {
            let order = found_after(agency, &reference, error).await?;
            ordered(store, batch, &order, clock())?;
            Ok(Sent::Found { order })
        }
        Err(error) => Err(error.into()),
    }
}

/// The order after its answer was lost; the loss itself where it is not there.
async fn found_after(agency: &Agency, reference: &str, lost: SystemError) -> Result<String, BatchError> {
    match agency.find(reference).await {
        Ok(Some(order)) => Ok(order),
        Ok(None) | Err(_) => Err(lost.into()),
    }
}

fn ordered(store: &mut Store, batch: &mut BatchRow, order: &str, now: Timestamp) -> Result<(), BatchError> {
    batch.standing = BatchStanding::Sent;
    batch.sent = Some(now);
    batch.order_there = Some(order.to_owned());
    Ok(store.note_batch(batch)?)
}

/// A batch that stays in the house: what the machine made is what comes back.
///
/// # Errors
/// Where the store fails, or the batch stands where it cannot be sent.
pub(super) fn keep_in_house(store: &mut Store, batch: &mut BatchRow, now: Timestamp) -> Result<Sent, BatchError> {
    if let Some(done) = ready(batch)? {
        return Ok(done);
    }
    batch.standing = BatchStanding::Sent;
    batch.sent = Some(now);
    store.note_batch(batch)?;
    Ok(Sent::InHouse)
}

/// Writes what of a batch is still out into a folder once more, in whatever format; nothing is sent by that.
///
/// # Errors
/// Where a file cannot be written.
pub fn write_again(store: &Store, brief: &Brief, batch: &BatchRow, folder: &Path) -> Result<Vec<PathBuf>, BatchError> {
    let out = folder.join("out");
    let wish = FileWish { into: None, format: brief.format, folder: &out };
    Ok(write_files(store, brief, batch, wish)?.into_iter().map(|(_, file)| file).collect())
}

/// Puts a batch's files and its page into a folder, from which others carry them: `out/` of it. What
/// comes back is looked for in `back/`.
///
/// # Errors
/// Where a file cannot be written.
pub(super) fn send_to_folder(
    store: &mut Store,
    folder: &Path,
    brief: &Brief,
    batch: &mut BatchRow,
    now: Timestamp,
) -> Result<Sent, BatchError> {
    if let Some(done) = ready(batch)? {
        return Ok(done);
    }
    let out = folder.join("out");
    let back = folder.join("back");
    std::fs::create_dir_all(&back).map_err(|error| BatchError::file(&back, error))?;
    let wish = FileWish { into: None, format: brief.format, folder: &out };
    let mut written: Vec<PathBuf> = write_files(store, brief, batch, wish)?.into_iter().map(|(_, file)| file).collect();
    written.push(write_page(store, brief, batch, &out)?);
    batch.standing = BatchStanding::Sent;
    batch.sent = Some(now);
    store.note_batch(batch)?;
    Ok(Sent::Written(written))
}
