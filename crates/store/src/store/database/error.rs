//! What can go wrong with the database.

use rusqlite::types::FromSqlError;

/// A failure of the database.
#[derive(Debug, thiserror::Error)]
pub enum DatabaseError {
    /// Of the file.
    #[error(transparent)]
    File(#[from] rusqlite::Error),
    /// Of the server.
    #[error(transparent)]
    Server(#[from] Box<ServerFault>),
    /// A column holds something else than it should.
    #[error("a column cannot be read: {0}")]
    Column(#[from] FromSqlError),
    /// There is no such row.
    #[error("a row is missing")]
    NoRow,
}

/// A failure of a server.
#[derive(Debug, thiserror::Error)]
pub enum ServerFault {
    /// It does not answer, or refuses the connection.
    #[error("{place}: {why}")]
    Unreachable {
        /// Where it is, without secrets.
        place: String,
        /// Why, in its own words or the network's.
        why: String,
    },
    /// Its answer to a statement.
    #[error("{message} (SQLSTATE {code})")]
    Refused {
        /// Its code of five characters (PostgreSQL, appendix A).
        code: String,
        /// What it says.
        message: String,
    },
    /// The connection broke off within a change, and what the change had read is another by now.
    #[error("the connection to the store broke off within a change, and the store is another by now; nothing was kept")]
    Overtaken,
    /// Nobody can tell whether a change was kept.
    #[error("the connection to the store broke off, and the server does not tell whether the change was kept")]
    InDoubt,
    /// Something else.
    #[error("{0}")]
    Other(String),
}

impl DatabaseError {
    /// Whether a change was overtaken by another's, of which nothing was kept.
    pub(in crate::store) fn is_overtaken(&self) -> bool {
        matches!(self, DatabaseError::Server(fault) if matches!(**fault, ServerFault::Overtaken))
    }

    /// What a server said no with.
    pub(in crate::store) fn code(&self) -> Option<&str> {
        match self {
            DatabaseError::Server(fault) => match fault.as_ref() {
                ServerFault::Refused { code, .. } => Some(code),
                _ => None,
            },
            _ => None,
        }
    }
}

impl From<ServerFault> for DatabaseError {
    fn from(fault: ServerFault) -> DatabaseError {
        DatabaseError::Server(Box::new(fault))
    }
}

/// A row that may be missing.
pub(in crate::store) trait OptionalRow<T> {
    /// None where there is no row.
    fn optional(self) -> Result<Option<T>, DatabaseError>;
}

impl<T> OptionalRow<T> for Result<T, DatabaseError> {
    fn optional(self) -> Result<Option<T>, DatabaseError> {
        match self {
            Ok(found) => Ok(Some(found)),
            Err(DatabaseError::NoRow) => Ok(None),
            Err(error) => Err(error),
        }
    }
}
