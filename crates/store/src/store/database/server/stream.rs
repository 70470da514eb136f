//! Rows as they come from a server, and once more where the connection breaks off.

use std::collections::VecDeque;
use std::pin::Pin;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use futures::StreamExt;
use futures::executor::block_on;
use tokio_postgres::RowStream;

use super::values::{Bound, digest_of};

/// A question with its rows. What was given of them is known by its digest, so that the same question can be asked
/// again and gone on with.
pub(super) struct Asked {
    pub(super) sql: Arc<str>,
    pub(super) values: Vec<Bound>,
    /// Rows that came and were not given yet.
    waiting: VecDeque<tokio_postgres::Row>,
    /// Where the rest comes from, while there is any.
    source: Option<Pin<Box<RowStream>>>,
    given: u64,
    digest: u64,
}

/// A question that its reader, the connection and the change that it is part of all know.
pub(super) type Shared = Arc<Mutex<Asked>>;

pub(super) fn open(asked: &Shared) -> MutexGuard<'_, Asked> {
    asked.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Asked {
    pub(super) fn new(sql: Arc<str>, values: Vec<Bound>, source: RowStream) -> Shared {
        let source = Some(Box::pin(source));
        Arc::new(Mutex::new(Asked { sql, values, waiting: VecDeque::new(), source, given: 0, digest: 0 }))
    }

    fn next_from_source(&mut self) -> Option<std::result::Result<tokio_postgres::Row, tokio_postgres::Error>> {
        let next = block_on(self.source.as_mut()?.next());
        if next.is_none() {
            self.source = None;
        }
        next
    }

    /// The next row, which counts as given.
    pub(super) fn next(&mut self) -> Option<std::result::Result<tokio_postgres::Row, tokio_postgres::Error>> {
        let next = match self.waiting.pop_front() {
            Some(row) => Some(Ok(row)),
            None => self.next_from_source(),
        };
        if let Some(Ok(row)) = &next {
            self.given += 1;
            self.digest = digest_of(row, self.digest);
        }
        next
    }

    /// Takes in what is still to come, so that the connection can be asked something else.
    pub(super) fn take_rest(&mut self) -> std::result::Result<(), tokio_postgres::Error> {
        while let Some(row) = self.next_from_source() {
            let row = row?;
            self.waiting.push_back(row);
        }
        Ok(())
    }

    /// No more of it is wanted.
    pub(super) fn end(&mut self) {
        self.source = None;
        self.waiting.clear();
    }

    /// Goes on with the answer to the same question on another connection. Says whether what was given of the first
    /// answer is what the second begins with.
    pub(super) fn go_on(&mut self, source: RowStream) -> std::result::Result<bool, tokio_postgres::Error> {
        let (given, digest) = (self.given, self.digest);
        let is_wanted = self.source.is_some() || !self.waiting.is_empty();
        self.waiting.clear();
        (self.source, self.given, self.digest) = (Some(Box::pin(source)), 0, 0);
        while self.given < given {
            match self.next() {
                Some(row) => drop(row?),
                None => break,
            }
        }
        if !is_wanted {
            self.end();
        }
        Ok((self.given, self.digest) == (given, digest))
    }
}
