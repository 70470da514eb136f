//! What is leased, and to whom.

use std::fmt;

use diaporos_core::value::{LaneName, SystemName};
use jiff::Timestamp;

/// What one process at a time does.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Leased {
    /// A system, which is pulled.
    System(SystemName),
    /// A system of which single entries are read.
    Entries(SystemName),
    /// A lane, which is pushed.
    Lane(LaneName),
    /// A lane that is pushed, and with which others may help.
    Open(LaneName),
    /// A lane with which a process helps.
    Hand(LaneName, String),
    /// Somebody who is told.
    Tell(String),
    /// What is no longer needed, which is taken out.
    Tidying,
    /// The batches, which are made, sent and collected.
    Batches,
    /// A brief, of which batches are made and sent at its times.
    Brief(String),
    /// What comes back of a brief's batches.
    Returns(String),
    /// A slate, which is launched at its time.
    Slate(String),
    /// The hubs that are to call when a system's feeds publish.
    Hubs(SystemName),
}

impl Leased {
    /// That a process helps with a lane.
    #[must_use]
    pub fn hand(lane: &LaneName, process: &str) -> Leased {
        Leased::Hand(lane.clone(), process.to_owned())
    }
}

impl fmt::Display for Leased {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Leased::System(name) => write!(f, "system {name}"),
            Leased::Entries(name) => write!(f, "entries of {name}"),
            Leased::Lane(name) => write!(f, "lane {name}"),
            Leased::Open(name) => write!(f, "open {name}"),
            Leased::Hand(name, process) => write!(f, "hand {name} {process}"),
            Leased::Tell(name) => write!(f, "tell {name}"),
            Leased::Tidying => f.write_str("tidy"),
            Leased::Batches => f.write_str("batches"),
            Leased::Brief(name) => write!(f, "brief {name}"),
            Leased::Returns(name) => write!(f, "returns of {name}"),
            Leased::Slate(name) => write!(f, "slate {name}"),
            Leased::Hubs(name) => write!(f, "hubs of {name}"),
        }
    }
}

/// A lease that a process has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeaseRow {
    /// What is leased, in words.
    pub what: String,
    /// Who runs the process.
    pub who: String,
    /// What it does.
    pub doing: String,
    /// Since when.
    pub since: Timestamp,
}
