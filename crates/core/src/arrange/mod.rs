//! Arranging entries: ordered lists, and outlines of sections or menu items.

mod list;
mod outline;

pub use list::{Place, places};
pub use outline::{Node, OutlineFault, Part, file_parts, tree};
