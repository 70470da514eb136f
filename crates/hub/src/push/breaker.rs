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

    /// Whether something went well, and nothing failed since.
    pub(super) fn all_goes_well(&self) -> bool {
        self.forbidden.load(Ordering::Relaxed) == WENT_WELL && self.in_a_row.load(Ordering::Relaxed) == 0
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

#[cfg(test)]
mod tests {
    use super::*;
    use diaporos_systems::ErrorKind;

    fn error(kind: ErrorKind) -> SystemError {
        SystemError {
            system: diaporos_core::value::SystemName::new("site").unwrap(),
            url: "http://site.example/".to_owned(),
            kind,
        }
    }

    /// After which of these outcomes a push with that budget stops, and whether it says that every entry
    /// would meet the same.
    fn opens_after(budget: u32, outcomes: &[&str]) -> Option<(usize, bool)> {
        let breaker = Breaker::new(budget, &|| false);
        for (place, outcome) in outcomes.iter().enumerate() {
            breaker.note(
                match *outcome {
                    "good" => None,
                    "refused" => Some(error(ErrorKind::Refused("too long".to_owned()))),
                    "forbidden" => Some(error(ErrorKind::Unauthorised { status: 403, message: String::new() })),
                    "down" => Some(error(ErrorKind::Status { status: 503, message: String::new() })),
                    "token" => Some(error(ErrorKind::Unauthorised { status: 401, message: String::new() })),
                    other => panic!("{other}"),
                }
                .as_ref(),
            );
            if breaker.is_open() {
                return breaker.because().map(|(_, meets_all)| (place + 1, meets_all));
            }
        }
        None
    }

    #[test]
    fn what_is_the_systems_fault_stops_a_push_and_what_is_a_documents_does_not() {
        assert_eq!(opens_after(3, &["down", "down", "down"]), Some((3, false)));
        assert_eq!(opens_after(3, &["down", "down", "good", "down", "down"]), None, "only a row of failures");
        assert_eq!(opens_after(3, &["down", "refused", "down", "down"]), None, "a refusal is an answer");
        assert_eq!(opens_after(0, &["down"]), Some((1, false)));
        assert_eq!(opens_after(20, &["good", "token"]), Some((2, true)), "the token will not do for the next either");
        assert_eq!(opens_after(3, &["refused"; 50]), None);
        assert_eq!(opens_after(3, &["forbidden"; 5]), Some((5, true)), "nothing but refusals: the credential");
        assert_eq!(opens_after(3, &["forbidden", "good", "forbidden", "forbidden", "forbidden", "forbidden"]), None);
    }

    #[test]
    fn a_wish_to_end_is_no_error() {
        let breaker = Breaker::new(3, &|| true);
        assert!(breaker.is_open() && breaker.was_asked());
        assert!(breaker.because().is_none());
    }
}
