//! Documents as the bytes of a file: what JSON, XML and Markdown with front matter hold, how documents
//! are written so, and patterns of file names.

mod encoding;
mod front_matter;
mod parsed;
mod pattern;
mod texts;
mod written;

#[cfg(any(test, fuzzing))]
pub(crate) use front_matter::parse as parse_markdown;
pub(crate) use parsed::{WholeForm, parse};
pub(crate) use pattern::check_pattern;
pub(crate) use texts::{InPath, TextsForm, language_in};
pub(crate) use written::FileForm;
