//! When to stop sending: an error that meets every entry, too many in a row, or a person's wish.

use std::sync::Mutex;
use std::sync::PoisonError;
use std::sync::atomic::{AtomicU32, Ordering};

use diaporos_systems::SystemError;

/// So many refusals with nothing that went well before are the credential's.
const FORBIDDEN: u32 = 5;
/// Something went well, so that a refusal is about one document.
const WENT_WELL: u32 = u32::MAX;

/// Opens when going on would do no good.
pub(super) struct Breaker<'a> {
    /// How many failures in a row are borne.
    budget: u32,
    in_a_row: AtomicU32,
    /// How many were forbidden before any went well: then it is the credential, and not the document.
    forbidden: AtomicU32,
    /// The error that opened it, and whether it would meet every entry.
    because: Mutex<Option<(SystemError, bool)>>,
    asked: &'a (dyn Fn() -> bool + Sync),
}

impl<'a> Breaker<'a> {
    /// A closed breaker, which opens after that many failures in a row, or when it is asked to.
    pub(super) fn new(budget: u32, asked: &'a (dyn Fn() -> bool + Sync)) -> Self {
        Breaker {
            budget: budget.max(1),
            in_a_row: AtomicU32::new(0),
            forbidden: AtomicU32::new(0),
            because: Mutex::new(None),
            asked,
        }
    }

    /// Whether nothing more is to be sent.
    pub(super) fn is_open(&self) -> bool {
        self.was_asked() || self.because.lock().unwrap_or_else(PoisonError::into_inner).is_some()
    }

    /// Whether a person wants it to end.
    pub(super) fn was_asked(&self) -> bool {
        (self.asked)()
    }

    /// Takes note of how a document ended. A refusal is about that document; what is about the system
    /// counts, and so does that nothing but refusals of the credential came.
    pub(super) fn note(&self, error: Option<&SystemError>) {
        match error {
            Some(error) if error.kind.is_forbidden() => {
                let forbidden = self.forbidden.load(Ordering::Relaxed);
                if forbidden != WENT_WELL && self.forbidden.fetch_add(1, Ordering::Relaxed) + 1 >= FORBIDDEN {
                    self.open(error, true);
                }
            }
            Some(error) if error.kind.is_the_systems_fault() => {
                let in_a_row = self.in_a_row.fetch_add(1, Ordering::Relaxed) + 1;
                let meets_all = error.kind.is_of_the_whole_system();
                if meets_all || in_a_row >= self.budget {
                    self.open(error, meets_all);
                }
            }
            Some(_) => self.in_a_row.store(0, Ordering::Relaxed),
            None => {
                self.in_a_row.store(0, Ordering::Relaxed);
                self.forbidden.store(WENT_WELL, Ordering::Relaxed);
            }
        }
    }

    fn open(&self, error: &SystemError, meets_all: bool) {
        let mut because = self.because.lock().unwrap_or_else(PoisonError::into_inner);
        because.get_or_insert_with(|| (error.clone(), meets_all));
    }

    /// Why it opened, where an error did it, and whether that would meet every entry.
    pub(super) fn because(self) -> Option<(SystemError, bool)> {
        self.because.into_inner().unwrap_or_else(PoisonError::into_inner)
    }
}
