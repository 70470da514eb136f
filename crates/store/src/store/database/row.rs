//! Rows and their columns.

use rusqlite::types::{FromSql, ValueRef};

use super::Result;
use super::server::{ServerRow, ServerRows};

/// A row.
#[derive(Clone, Copy)]
pub(in crate::store) enum Row<'r> {
    /// Of a file.
    File(&'r rusqlite::Row<'r>),
    /// Of a server.
    Server(&'r ServerRow),
}

/// By what a column is named: its place, from 0.
pub(in crate::store) trait Column {
    /// The place.
    fn place(self) -> usize;
}

impl Column for usize {
    fn place(self) -> usize {
        self
    }
}

impl<'r> Row<'r> {
    /// A column as a value.
    pub(in crate::store) fn get<C: Column, T: FromSql>(self, column: C) -> Result<T> {
        Ok(T::column_result(self.get_ref(column.place())?)?)
    }

    /// A column as it is.
    pub(in crate::store) fn get_ref(self, column: usize) -> Result<ValueRef<'r>> {
        match self {
            Row::File(row) => Ok(row.get_ref(column)?),
            Row::Server(row) => row.value(column),
        }
    }
}

/// Rows that are read one after the other.
pub(in crate::store) enum Rows<'s> {
    /// Of a file.
    File(rusqlite::Rows<'s>),
    /// Of a server.
    Server(ServerRows<'s>),
}

impl Rows<'_> {
    /// The next row; none at the end.
    pub(in crate::store) fn next(&mut self) -> Result<Option<Row<'_>>> {
        Ok(match self {
            Rows::File(rows) => rows.next()?.map(Row::File),
            Rows::Server(rows) => rows.next()?.map(Row::Server),
        })
    }
}
