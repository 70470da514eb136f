//! When to stop sending: an error that meets every entry, too many in a row, or a person's wish.

use std::sync::Mutex;
use std::sync::PoisonError;
use std::sync::atomic::{AtomicU32, Ordering};

use diaporos_systems::SystemError;

/// Opens when going on would do no good.
pub(super) struct Breaker<'a> {
    /// How many failures in a row are borne.
    budget: u32,
    in_a_row: AtomicU32,
    because: Mutex<Option<SystemError>>,
    asked: &'a (dyn Fn() -> bool + Sync),
}

impl<'a> Breaker<'a> {
    /// A closed breaker, which opens after that many failures in a row, or when it is asked to.
    pub(super) fn new(budget: u32, asked: &'a (dyn Fn() -> bool + Sync)) -> Self {
        Breaker { budget: budget.max(1), in_a_row: AtomicU32::new(0), because: Mutex::new(None), asked }
    }

    /// Whether nothing more is to be sent.
    pub(super) fn is_open(&self) -> bool {
        self.was_asked() || self.because.lock().unwrap_or_else(PoisonError::into_inner).is_some()
    }

    /// Whether a person wants it to end.
    pub(super) fn was_asked(&self) -> bool {
        (self.asked)()
    }

    /// Takes note of how a document ended. A refusal is about that document; what is about the
    /// system counts.
    pub(super) fn note(&self, error: Option<&SystemError>) {
        let Some(error) = error.filter(|error| error.kind.is_the_systems_fault()) else {
            self.in_a_row.store(0, Ordering::Relaxed);
            return;
        };
        let in_a_row = self.in_a_row.fetch_add(1, Ordering::Relaxed) + 1;
        if error.kind.is_of_the_whole_system() || in_a_row >= self.budget {
            self.because.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert_with(|| error.clone());
        }
    }

    /// Why it opened, where an error did it.
    pub(super) fn because(self) -> Option<SystemError> {
        self.because.into_inner().unwrap_or_else(PoisonError::into_inner)
    }
}
