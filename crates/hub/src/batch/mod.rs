//! Batches: what is missing in a language goes out, what comes back is checked, and nothing is sent
//! twice.

mod cancel;
mod carrier;
mod collect;
mod complete;
mod coverage;
mod files;
mod machine;
mod make;
mod near;
mod page;
mod page_file;
mod price;
mod progress;
mod quote;
mod returned;
mod review_page;
mod send;
mod source_check;
mod texts;
mod timed;

use diaporos_store::StoreError;
use diaporos_systems::SystemError;

pub use cancel::cancel;
pub use carrier::{Carrying, CollectListener, Sending, take};
pub use collect::{
    CollectTally, Collected, Collector, Decided, Decision, FileSource, Refusal, UnitRow, batch_told, returned_files,
};
pub use coverage::{Coverage, Portion, TextStanding, coverage};
pub use files::{FileWish, Overflow, Written, pseudo_files, reject_notes, write_files};
pub use machine::MachineTally;
pub use make::{Made, MakeOptions, Making, make};
pub use page::write_page;
pub use price::{Carried, Price, price};
pub use progress::{BatchProgress, LanguageTally, progress, tallies};
pub use quote::{Quoted, accept_quote, quoted};
pub use returned::Returns;
pub use review_page::write_review;
pub use send::{Sent, write_again};
pub use source_check::{SourceRow, check_sources};
pub use timed::{TimedBatch, TimedBatches, TimedCollection};

use crate::ConnectError;
use crate::look::LookError;

/// Why a batch cannot be dealt with.
#[derive(Debug, thiserror::Error)]
pub enum BatchError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A condition has no value for an entry.
    #[error(transparent)]
    Look(LookError),
    /// The agency cannot be reached as it is set up.
    #[error(transparent)]
    Connect(#[from] ConnectError),
    /// The agency failed.
    #[error(transparent)]
    System(#[from] SystemError),
    /// A file cannot be written or read.
    #[error("{file}: {reason}")]
    File {
        /// Which.
        file: String,
        /// Why.
        reason: String,
    },
    /// The machine that translates before people do gave no answer for all.
    #[error("the machine of `{brief}` gave no answer for {unanswered} texts: {why}")]
    Machine {
        /// The brief.
        brief: String,
        /// The batch.
        batch: String,
        /// For how many texts.
        unanswered: u64,
        /// Why, of the first.
        why: String,
    },
    /// A batch stands where this cannot be done with it.
    #[error("{0}")]
    Standing(String),
}

impl From<LookError> for BatchError {
    fn from(error: LookError) -> Self {
        match error {
            LookError::Store(error) => BatchError::Store(error),
            other => BatchError::Look(other),
        }
    }
}

impl BatchError {
    fn file(file: &std::path::Path, reason: impl std::fmt::Display) -> BatchError {
        BatchError::File { file: file.display().to_string(), reason: reason.to_string() }
    }
}
