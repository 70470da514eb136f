//! Statements of a server, and their rows.

use std::sync::Arc;

use rusqlite::types::ToSql;

use super::session::Session;
use super::stream::{Shared, open};
use super::values::{ServerRow, owned};
use crate::store::database::Result;

/// A statement of a server.
pub(in crate::store) struct ServerStatement<'s> {
    session: &'s Session,
    sql: Arc<str>,
}

impl<'s> ServerStatement<'s> {
    pub(in crate::store) fn of(session: &'s Session, sql: &str) -> Self {
        ServerStatement { session, sql: Arc::from(sql) }
    }

    pub(in crate::store) fn execute(&self, values: &[&dyn ToSql]) -> Result<usize> {
        self.session.execute(&self.sql, owned(values)?)
    }

    pub(in crate::store) fn execute_soon(&self, values: &[&dyn ToSql]) -> Result<()> {
        self.session.execute_soon(&self.sql, owned(values)?)
    }

    pub(in crate::store) fn query(&self, values: &[&dyn ToSql]) -> Result<ServerRows<'s>> {
        Ok(ServerRows::new(self.session, self.session.query(&self.sql, owned(values)?)?))
    }
}

/// The rows of a question.
pub(in crate::store) struct ServerRows<'s> {
    session: &'s Session,
    asked: Shared,
    current: Option<ServerRow>,
}

impl<'s> ServerRows<'s> {
    pub(super) fn new(session: &'s Session, asked: Shared) -> Self {
        ServerRows { session, asked, current: None }
    }

    /// The next row; none at the end.
    pub(in crate::store) fn next(&mut self) -> Result<Option<&ServerRow>> {
        loop {
            let next = open(&self.asked).next();
            match next {
                None => self.current = None,
                Some(Ok(row)) => self.current = Some(ServerRow(row)),
                Some(Err(error)) => {
                    // A question that is no part of a change is known to nobody but its reader.
                    let alone = (!self.session.is_within_a_change()).then_some(&self.asked);
                    self.session.after(&error, alone)?;
                    continue;
                }
            }
            return Ok(self.current.as_ref());
        }
    }
}

impl Drop for ServerRows<'_> {
    fn drop(&mut self) {
        open(&self.asked).end();
    }
}
