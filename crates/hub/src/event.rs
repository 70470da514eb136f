//! What happens while a use case runs.

use diaporos_core::value::{Address, LaneName, SystemName, TypeName};

/// Something that happened, for whoever draws or records it.
#[derive(Debug, Clone, PartialEq)]
pub enum Event {
    /// A type of a system begins to be pulled.
    PullBegan {
        /// The system.
        system: SystemName,
        /// The type.
        kind: TypeName,
    },
    /// A page was taken in.
    PageTaken {
        /// The system.
        system: SystemName,
        /// The type.
        kind: TypeName,
        /// Entries of the listing so far.
        entries: u64,
        /// How many it has in all, where the source says so.
        total: Option<u64>,
    },
    /// A lane begins to be pushed.
    PushBegan {
        /// The lane.
        lane: LaneName,
        /// Entries to look at.
        entries: u64,
    },
    /// An entry was dealt with.
    EntryDone {
        /// The lane.
        lane: LaneName,
        /// The entry.
        address: Address,
    },
}

/// Receives events.
pub trait Listener: Send {
    /// Takes note of an event.
    fn on(&mut self, event: Event);
}

/// Takes note of nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Listener for Silent {
    fn on(&mut self, _: Event) {}
}
