//! What is asked of a system at most.

use std::sync::Arc;
use std::time::Duration;

use diaporos_core::value::SystemName;

use super::{Network, Pace, Rate, Together};

/// What is asked of a system at most.
#[derive(Debug, Clone)]
pub struct Limits {
    /// The most decoded bytes of one answer.
    pub max_bytes: u64,
    /// How long a connection may take.
    pub connect: Duration,
    /// How long it may take until an answer begins.
    pub first_byte: Duration,
    /// How long a request with its answer may take.
    pub whole: Duration,
    /// How often a read, or a write that was surely not done, is tried again.
    pub retries: u32,
    /// How many redirects are followed.
    pub redirects: usize,
    /// How fast it is asked.
    pub rate: Option<Rate>,
    /// How many requests are under way at once.
    pub concurrency: usize,
    /// Who asks it too, on other machines, and what is asked together.
    pub together: Option<Arc<dyn Together>>,
    /// After how many failures in a row that are the system's fault a push stops.
    pub failures: u32,
    /// How long it may take until a look-up sees what was written.
    pub settles_within: Duration,
    /// How it is reached.
    pub network: Network,
}

impl Limits {
    /// The pace at which a system is asked.
    pub(crate) fn pace(&self, system: &SystemName) -> Pace {
        match &self.together {
            None => Pace::new(self.rate, self.concurrency),
            Some(by) => Pace::together(system, Arc::clone(by), self.rate, self.concurrency),
        }
    }
}
