//! Statements with their values.

use rusqlite::CachedStatement;
use rusqlite::types::ToSql;

use super::row::{Row, Rows};
use super::server::ServerStatement;
use super::{DatabaseError, Result};

/// The values of a statement, in order.
pub(in crate::store) trait Params {
    /// Does something with them.
    fn with<T>(self, run: impl FnOnce(&[&dyn ToSql]) -> T) -> T;
}

impl Params for &[&dyn ToSql] {
    fn with<T>(self, run: impl FnOnce(&[&dyn ToSql]) -> T) -> T {
        run(self)
    }
}

impl<V: ToSql, const N: usize> Params for [V; N] {
    fn with<T>(self, run: impl FnOnce(&[&dyn ToSql]) -> T) -> T {
        run(&self.each_ref().map(|value| value as &dyn ToSql))
    }
}

/// A statement.
pub(in crate::store) enum Statement<'c> {
    /// Of a file.
    File(CachedStatement<'c>),
    /// Of a server.
    Server(ServerStatement<'c>),
}

impl Statement<'_> {
    /// Carries it out, and gives how many rows it changed.
    pub(in crate::store) fn execute(&mut self, params: impl Params) -> Result<usize> {
        match self {
            Statement::File(statement) => Ok(params.with(|values| statement.execute(values))?),
            Statement::Server(statement) => params.with(|values| statement.execute(values)),
        }
    }

    /// Carries it out within a change; how many rows it changed is not asked. A server is not waited for: whether it
    /// could be is known at the latest at the change's end.
    pub(in crate::store) fn execute_soon(&mut self, params: impl Params) -> Result<()> {
        match self {
            Statement::File(statement) => Ok(params.with(|values| statement.execute(values)).map(drop)?),
            Statement::Server(statement) => params.with(|values| statement.execute_soon(values)),
        }
    }

    /// Asks for rows.
    pub(in crate::store) fn query(&mut self, params: impl Params) -> Result<Rows<'_>> {
        Ok(match self {
            Statement::File(statement) => Rows::File(params.with(|values| statement.query(values))?),
            Statement::Server(statement) => Rows::Server(params.with(|values| statement.query(values))?),
        })
    }

    /// Reads one row; its lack is an error.
    pub(in crate::store) fn query_row<T>(
        &mut self,
        params: impl Params,
        read: impl FnOnce(Row<'_>) -> Result<T>,
    ) -> Result<T> {
        let mut rows = self.query(params)?;
        let row = rows.next()?.ok_or(DatabaseError::NoRow)?;
        read(row)
    }

    /// Reads all rows, of which there are few.
    pub(in crate::store) fn query_all<T>(
        &mut self,
        params: impl Params,
        mut read: impl FnMut(Row<'_>) -> Result<T>,
    ) -> Result<Vec<T>> {
        let mut rows = self.query(params)?;
        let mut all = Vec::new();
        while let Some(row) = rows.next()? {
            all.push(read(row)?);
        }
        Ok(all)
    }

    /// Whether there is any row.
    pub(in crate::store) fn exists(&mut self, params: impl Params) -> Result<bool> {
        Ok(self.query(params)?.next()?.is_some())
    }
}
