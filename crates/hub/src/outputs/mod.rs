//! Whole outputs: a site of pages, feeds and a map, made anew of what a system of files holds. Only what differs is
//! written, and only our own is removed.

mod documents;
mod feeds;
mod folder;
mod pages;
mod places;
mod planned;
mod xml;

use std::collections::BTreeMap;

use diaporos_core::plan::HoldReason;
use diaporos_core::value::LaneName;
use diaporos_store::{Standing, Store, StoreError, Verdict};
use diaporos_systems::{SystemError, Write};
use jiff::Timestamp;

use crate::config::{Config, OutputConfig};
use documents::documents;
use folder::OutputFolder;
use pages::PageMaker;
pub(crate) use planned::{Planned, PlannedDocument, PlannedPages, planned_pages};

/// What an output came to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct OutputTally {
    /// Files that were written.
    pub written: u64,
    /// Files that are as they should be.
    pub unchanged: u64,
    /// Files of ours that nothing needs any more.
    pub removed: u64,
    /// What is wrong, each with the entry that it is of, where it is of one.
    pub problems: Vec<OutputProblem>,
}

/// What is wrong with an output.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OutputProblem {
    /// The lane and the number of the entry that it is of, where it is of one.
    pub of: Option<(LaneName, i64)>,
    /// What is wrong.
    pub message: String,
}

/// Why an output cannot be made.
#[derive(Debug, thiserror::Error)]
pub enum OutputError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The documents cannot be read.
    #[error(transparent)]
    System(#[from] SystemError),
    /// The folder cannot be written.
    #[error("the folder {0}: {1}")]
    Folder(String, std::io::Error),
}

/// Everything that an output is to have: files by their paths below its folder. Of what is `kept` nobody can tell what
/// it should be; it stays as it is.
#[derive(Default)]
struct Wanted {
    files: BTreeMap<String, Vec<u8>>,
    kept: Vec<String>,
    problems: Vec<OutputProblem>,
}

impl Wanted {
    /// Adds a file; where another has its path, that is told.
    fn add(&mut self, path: String, bytes: Vec<u8>, of: Option<(LaneName, i64)>) {
        if self.files.contains_key(&path) {
            self.problems.push(OutputProblem { of, message: format!("another page has the path `{path}`") });
            return;
        }
        self.files.insert(path, bytes);
    }
}

/// Makes an output anew, and writes what differs. An entry whose page cannot be made is held; its page stays as it was.
///
/// # Errors
/// Where the store fails, a document cannot be read, or the folder cannot be written; what was written stands.
pub async fn make_output(
    config: &Config,
    store: &mut Store,
    output: &OutputConfig,
    writer: &dyn Write,
    now: Timestamp,
) -> Result<OutputTally, OutputError> {
    let all = documents(config, store, output, writer).await?;
    let mut wanted = Wanted::default();
    let site = places::Site::of(output, &all);
    PageMaker { config, store, site: &site, now }.make(&mut wanted)?;
    for asset in site.assets() {
        match writer.kept_asset(&asset).await? {
            Some(bytes) => wanted.add(asset.to_string(), bytes, None),
            None => {
                wanted.kept.push(asset.to_string());
                wanted.problems.push(OutputProblem { of: None, message: format!("the file `{asset}` is not there") });
            }
        }
    }
    feeds::make(&site, &mut wanted);
    xml::map(&site, &mut wanted);
    let (files, kept) = (wanted.files, wanted.kept);
    let folder = OutputFolder::new(&output.folder);
    let written = folder.write(&files, &kept);
    let mut tally = written.map_err(|error| OutputError::Folder(output.folder.display().to_string(), error))?;
    tally.problems.extend(wanted.problems);
    hold(store, &tally.problems, now)?;
    Ok(tally)
}

/// Holds entries whose pages cannot be made; the next push looks at them again.
fn hold(store: &mut Store, problems: &[OutputProblem], now: Timestamp) -> Result<(), StoreError> {
    for OutputProblem { of, message } in problems {
        let Some((lane, entry)) = of else { continue };
        let Some(due) = store.look_at_number(lane, *entry)? else { continue };
        let mut verdict = Verdict::new((due.number, due.touched), Standing::Held);
        verdict.reads = store.reads_of(lane, *entry)?;
        store.note(lane, &[verdict.because(HoldReason::Unfit.word(), message.clone())], now)?;
    }
    Ok(())
}
