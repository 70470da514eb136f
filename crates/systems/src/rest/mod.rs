//! Kind `rest`: JSON over HTTP, described by a profile.

mod agency;
mod asset;
mod batch;
mod document;
mod languages;
mod link;
mod lock;
mod model;
mod paging;
mod read;
mod save;
mod search;
mod usual;
mod write;

pub use agency::{Agency, LanguageProgress, TranslationOrder};
pub use read::RestReader;
pub use write::RestWriter;
