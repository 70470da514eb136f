//! HTML, plain text, slugs.

mod html;
mod shorten;
mod slug;

pub use html::{clean, plain};
pub use shorten::shorten;
pub use slug::slug;
