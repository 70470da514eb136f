//! Some items of a document.

use super::item::Item;
use super::references::Mended;
use crate::Problem;

/// Some items of a document.
#[derive(Debug, Default)]
pub(super) struct Batch {
    /// The items, each as it was received.
    pub(super) items: Vec<(Item, String)>,
    /// Those that could not be read.
    pub(super) problems: Vec<Problem>,
}

/// What is said of an item's mending.
pub(super) fn notes(item: &Item) -> Vec<String> {
    item.mended.iter().copied().map(Mended::says).map(str::to_owned).chain(item.notes.iter().cloned()).collect()
}
