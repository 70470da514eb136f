//! Kind `rest`: JSON over HTTP, described by a profile.

mod decode;
mod embedded;
mod languages;
mod paging;
mod profile;
mod read;
mod write;

pub use languages::{LanguageCodes, UnknownCode};
pub use profile::{Profile, read_profile};
pub use read::RestReader;
pub use write::RestWriter;
