//! Connections that break off where a test wants it.

/// Before which step of a session its connection breaks off, and whether the answer to a commit is lost there.
#[derive(Debug, Default)]
pub(in crate::store) struct Breaks {
    /// The database.
    address: String,
    at: Option<u64>,
    steps: u64,
    loses_answers: bool,
}

impl Breaks {
    /// A break before the step of that number.
    pub(in crate::store) fn at(address: &str, step: u64, loses_answers: bool) -> Breaks {
        Breaks { address: address.to_owned(), at: Some(step), steps: 0, loses_answers }
    }

    /// Whether the break was come to.
    pub(in crate::store) fn are_over(&self) -> bool {
        self.at.is_some_and(|at| at < self.steps)
    }

    fn is_here(&self) -> bool {
        self.at == Some(self.steps)
    }

    fn end_all(&self) {
        let end = "SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity
             WHERE datname = current_database() AND pid <> pg_backend_pid()";
        diaporos_peers::ask(&self.address, end).unwrap();
    }

    /// A step is about to be made.
    pub(super) fn step(&mut self) {
        if self.is_here() && !self.loses_answers {
            self.end_all();
        }
        self.steps += 1;
    }

    /// What is known of a commit that was carried out.
    pub(super) fn lose<E>(&mut self, ended: Result<(), E>, again: impl Fn() -> Result<(), E>) -> Result<(), E> {
        if self.steps.checked_sub(1) != self.at || !self.loses_answers || ended.is_err() {
            return ended;
        }
        self.end_all();
        again()
    }
}
