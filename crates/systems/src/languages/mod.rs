//! The languages of a system: its codes for them, and the shapes in which it holds them.

mod codes;
mod elements;
mod shape;

pub use codes::{LanguageCodes, UnknownCode};
pub(crate) use elements::Elements;
pub(crate) use shape::{LanguageShape, OF_CALLS, OF_ITEMS, OF_PLACES};
