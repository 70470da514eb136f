//! The database under the store, an SQLite file or a PostgreSQL server, asked by the same statements.

mod error;
mod row;
mod server;
mod statement;

pub use diaporos_postgres::Server;
pub(super) use error::OptionalRow;
pub use error::{DatabaseError, ServerFault};
pub(super) use row::Row;
pub(super) use rusqlite::params;
use server::ServerStatement;
pub(super) use server::Session;
#[cfg(test)]
pub(super) use server::breaks;
pub(super) use statement::{Params, Statement};

/// A connection to the database.
#[derive(Debug)]
pub(super) enum Connection {
    /// To a file.
    File(rusqlite::Connection),
    /// To a server.
    Server(Box<Session>),
}

/// A result of the database.
pub(super) type Result<T> = std::result::Result<T, DatabaseError>;

impl Connection {
    /// A statement that is kept for the next time.
    pub(super) fn prepare_cached(&self, sql: &str) -> Result<Statement<'_>> {
        Ok(match self {
            Connection::File(file) => Statement::File(file.prepare_cached(sql)?),
            Connection::Server(session) => Statement::Server(ServerStatement::of(session, sql)),
        })
    }

    /// Carries out one statement, and gives how many rows it changed.
    pub(super) fn execute(&self, sql: &str, params: impl Params) -> Result<usize> {
        self.prepare_cached(sql)?.execute(params)
    }

    /// Reads one row.
    pub(super) fn query_row<T>(
        &self,
        sql: &str,
        params: impl Params,
        read: impl FnOnce(Row<'_>) -> Result<T>,
    ) -> Result<T> {
        self.prepare_cached(sql)?.query_row(params, read)
    }

    /// Carries out several statements that answer nothing.
    /// Adds a row, and gives the number that its `id` was given. A file is not asked to return it: for that, the
    /// database would note with each row how to take it back.
    pub(super) fn add(&self, insert: &str, params: impl Params) -> Result<i64> {
        match self {
            Connection::File(file) => {
                self.prepare_cached(insert)?.execute(params)?;
                Ok(file.last_insert_rowid())
            }
            Connection::Server(_) => {
                self.prepare_cached(&format!("{insert} RETURNING id"))?.query_row(params, |row| row.get(0))
            }
        }
    }

    pub(super) fn execute_batch(&self, sql: &str) -> Result<()> {
        match self {
            Connection::File(file) => Ok(file.execute_batch(sql)?),
            Connection::Server(session) => session.execute_batch(sql),
        }
    }

    /// Begins a change: nobody else changes anything till its end, so that what is read before it is written is
    /// still so.
    pub(super) fn begin(&mut self) -> Result<Transaction<'_>> {
        match self {
            Connection::File(file) => file.execute_batch("BEGIN IMMEDIATE")?,
            Connection::Server(session) => session.begin_change()?,
        }
        Ok(Transaction { connection: self, is_open: true })
    }

    /// What is read till its end is of one moment.
    pub(super) fn snapshot(&self) -> Result<Transaction<'_>> {
        match self {
            Connection::File(file) => file.execute_batch("BEGIN DEFERRED")?,
            Connection::Server(session) => session.begin_snapshot()?,
        }
        Ok(Transaction { connection: self, is_open: true })
    }

    /// The connection to a file, where it is one.
    pub(super) fn file(&self) -> Option<&rusqlite::Connection> {
        match self {
            Connection::File(file) => Some(file),
            Connection::Server(_) => None,
        }
    }

    /// The server, where it is one.
    pub(super) fn server(&self) -> Option<&Session> {
        match self {
            Connection::File(_) => None,
            Connection::Server(session) => Some(session),
        }
    }
}

/// A change, or a look of one moment. Without a commit it never was.
#[derive(Debug)]
pub(super) struct Transaction<'c> {
    connection: &'c Connection,
    is_open: bool,
}

impl Transaction<'_> {
    /// Keeps what was changed.
    pub(super) fn commit(mut self) -> Result<()> {
        self.is_open = false;
        match self.connection {
            // One that cannot be kept, as on a full disk, is taken back.
            Connection::File(file) => file.execute_batch("COMMIT").inspect_err(|_| {
                let _ = file.execute_batch("ROLLBACK");
            })?,
            Connection::Server(session) => session.commit()?,
        }
        Ok(())
    }
}

impl std::ops::Deref for Transaction<'_> {
    type Target = Connection;

    fn deref(&self) -> &Connection {
        self.connection
    }
}

impl Drop for Transaction<'_> {
    fn drop(&mut self) {
        if !self.is_open {
            return;
        }
        match self.connection {
            // Where it cannot be taken back, it was already.
            Connection::File(file) => drop(file.execute_batch("ROLLBACK")),
            Connection::Server(session) => session.roll_back(),
        }
    }
}
