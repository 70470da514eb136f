//! One connection to a server, and what is done by it.

use std::collections::HashMap;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, Waker};

use diaporos_postgres::said;
use futures::FutureExt;
use futures::executor::block_on;
use futures::future::join;
use tokio_postgres::types::ToSql as Sent;
use tokio_postgres::{Client, RowStream};

use super::stream::{Shared, open};
use super::translate::translated;
use super::values::Bound;
use crate::store::database::{DatabaseError, ServerFault};

/// Whose turn it is to change the store, and the number by which the server knows the change.
const TURN: &str =
    "SELECT pg_advisory_xact_lock(1684107119, hashtext(current_schema())) IS NULL, pg_current_xact_id()::text";

/// A connection as it is now.
pub(super) struct Link {
    client: Arc<Client>,
    statements: HashMap<Arc<str>, tokio_postgres::Statement>,
}

/// A statement with what it answered.
#[derive(Clone)]
pub(super) enum Step {
    /// With how many rows it changed, where anybody asked.
    Done {
        sql: Arc<str>,
        values: Vec<Bound>,
        rows: Option<u64>,
    },
    Asked(Shared),
}

/// A failure of the connection, or of the statement.
pub(super) enum Failed {
    /// The connection broke off.
    Broke(String),
    /// What was asked cannot be.
    Refused(DatabaseError),
}

pub(super) fn failed(error: &tokio_postgres::Error) -> Failed {
    let Some(fault) = error.as_db_error() else {
        let is_network =
            error.is_closed() || std::error::Error::source(error).is_some_and(|source| source.is::<std::io::Error>());
        return match is_network {
            true => Failed::Broke(said(error)),
            false => Failed::Refused(ServerFault::Other(said(error)).into()),
        };
    };
    let code = fault.code().code();
    // It shuts down, starts up, was told to end the connection, or lost it (PostgreSQL, appendix A).
    if code.starts_with("57P0") || code.starts_with("08") || code == "25P03" {
        return Failed::Broke(fault.message().to_owned());
    }
    Failed::Refused(ServerFault::Refused { code: code.to_owned(), message: fault.message().to_owned() }.into())
}

fn sent(values: &[Bound]) -> Vec<&(dyn Sent + Sync)> {
    values.iter().map(|value| value as &(dyn Sent + Sync)).collect()
}

/// The end of a statement that was sent.
pub(super) type Pending = Pin<Box<dyn Future<Output = Answered<u64>> + Send>>;

pub(super) type Answered<T> = std::result::Result<T, tokio_postgres::Error>;

impl Link {
    pub(super) fn of(client: Client) -> Link {
        Link { client: Arc::new(client), statements: HashMap::new() }
    }

    pub(super) fn execute_batch(&self, sql: &str) -> Answered<()> {
        block_on(self.client.batch_execute(sql))
    }

    fn prepared(&mut self, sql: &Arc<str>) -> Answered<tokio_postgres::Statement> {
        if let Some(known) = self.statements.get(sql) {
            return Ok(known.clone());
        }
        let statement = block_on(self.client.prepare(&translated(sql)))?;
        self.statements.insert(Arc::clone(sql), statement.clone());
        Ok(statement)
    }

    /// Begins a change or a look, and gives by what the server knows it.
    pub(super) fn begin(&mut self, is_change: bool) -> Answered<String> {
        if !is_change {
            let begin = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY";
            return block_on(self.client.batch_execute(begin)).map(|()| String::new());
        }
        let turn = self.prepared(&Arc::from(TURN))?;
        let (begun, turn) = block_on(join(self.client.batch_execute("BEGIN"), self.client.query_one(&turn, &[])));
        begun?;
        turn?.try_get(1)
    }

    pub(super) fn end(&self, how: &str) -> Answered<()> {
        block_on(self.client.batch_execute(how))
    }

    pub(super) fn status(&mut self, number: &str) -> Answered<String> {
        let status =
            self.prepared(&Arc::from("SELECT coalesce(pg_xact_status(CAST(CAST($1 AS text) AS xid8)), '')"))?;
        block_on(self.client.query_one(&status, &[&number]))?.try_get(0)
    }

    pub(super) fn execute(&mut self, sql: &Arc<str>, values: &[Bound]) -> Answered<u64> {
        let statement = self.prepared(sql)?;
        block_on(self.client.execute(&statement, &sent(values)))
    }

    /// Whether a statement is known to the server.
    pub(super) fn is_prepared(&self, sql: &str) -> bool {
        self.statements.contains_key(sql)
    }

    /// Sends a statement, and gives what tells its end.
    pub(super) fn send(&mut self, sql: &Arc<str>, values: Vec<Bound>) -> Answered<Pending> {
        let (statement, client) = (self.prepared(sql)?, Arc::clone(&self.client));
        let mut pending: Pending = Box::pin(async move { client.execute(&statement, &sent(&values)).await });
        // The first look at it sends it; its end is asked for later.
        match pending.poll_unpin(&mut Context::from_waker(Waker::noop())) {
            Poll::Ready(done) => Ok(Box::pin(std::future::ready(done))),
            Poll::Pending => Ok(pending),
        }
    }

    pub(super) fn query(&mut self, sql: &Arc<str>, values: &[Bound]) -> Answered<RowStream> {
        let statement = self.prepared(sql)?;
        block_on(self.client.query_raw(&statement, sent(values)))
    }

    /// Does what was done, and gives by what the server knows it now; none where it answers something else.
    pub(super) fn again(&mut self, is_change: bool, steps: &[Step]) -> Answered<Option<String>> {
        let number = self.begin(is_change)?;
        let last = steps.len().saturating_sub(1);
        for (place, step) in steps.iter().enumerate() {
            let is_as_before = match step {
                Step::Done { sql, values, rows } => {
                    let done = self.execute(sql, values)?;
                    rows.is_none_or(|rows| rows == done)
                }
                Step::Asked(asked) => {
                    let (sql, values) = {
                        let asked = open(asked);
                        (Arc::clone(&asked.sql), asked.values.clone())
                    };
                    let source = self.query(&sql, &values)?;
                    let mut asked = open(asked);
                    let is_as_before = asked.go_on(source)?;
                    // The next is asked by the same connection.
                    if place < last {
                        asked.take_rest()?;
                    }
                    is_as_before
                }
            };
            if !is_as_before {
                return Ok(None);
            }
        }
        Ok(Some(number))
    }
}
