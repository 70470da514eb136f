//! Kind `rest`: JSON over HTTP, described by a profile.

mod asking;
mod asset;
mod batch;
mod document;
mod draft;
mod facts;
mod kind;
mod link;
mod listing;
mod lock;
mod model;
mod paging;
mod read;
mod save;
mod usual;
mod write;

pub use draft::{AnswerError, draft_of_answer};
pub use facts::{Fact, facts, found_at};
pub use kind::Rest;
pub use read::RestReader;
pub use write::RestWriter;
