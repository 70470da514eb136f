//! What can go wrong with the store.

use std::path::{Path, PathBuf};

use diaporos_core::expr::WorldError;

use super::database::{DatabaseError, ServerFault};
use super::lease::LeaseRow;

/// A failure of the store. Nothing of the call that failed was kept.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// Another process changes the hub, and this needs it alone; or needs it alone itself.
    #[error("another diaporos command is changing this hub")]
    Busy,
    /// Another process has a lease that this needs.
    #[error("{} is taken: `{}` by {} since {}", .0.what, .0.doing, .0.who, .0.since)]
    Leased(Box<LeaseRow>),
    /// This process was taken for dead, and another took its lease; nothing was written since.
    #[error("{what}: another process took over while this one did not answer; nothing more was written")]
    LeaseLost {
        /// What was leased.
        what: String,
    },
    /// The file cannot be used.
    #[error("{path}: {reason}")]
    File {
        /// Which.
        path: PathBuf,
        /// Why.
        reason: String,
    },
    /// The store was made by a newer version of this program.
    #[error("the store is of version {found}, and this program knows versions up to {known}")]
    Newer {
        /// The store's version.
        found: i64,
        /// The newest known.
        known: i64,
    },
    /// The store is of an older version, and cannot be written to bring it up.
    #[error("the store is of version {found}, this program writes version {known}, and the store cannot be written")]
    Older {
        /// The store's version.
        found: i64,
        /// This program's.
        known: i64,
    },
    /// A migration differs from the one that was applied.
    #[error("migration {number} of the store is not the one that was applied")]
    Migration {
        /// Its number.
        number: i64,
    },
    /// A lane that has delivered is to have another source or destination under the same name.
    #[error("the lane `{lane}` went from {was} and has counterparts there; it cannot be turned to {now}")]
    Lane {
        /// The lane.
        lane: String,
        /// Its ends till now.
        was: String,
        /// Its ends in the configuration.
        now: String,
    },
    /// The store cannot be moved, or was not moved to its end.
    #[error("{0}")]
    NotMoved(String),
    /// What a store is to be moved to holds something.
    #[error("{0} is no empty store, and is not written over")]
    NotEmpty(String),
    /// Where the store is cannot be told.
    #[error("where the store is cannot be told: {0}")]
    NoPlace(String),
    /// A copy of the store cannot be made, or put back.
    #[error("{}: {reason}", path.display())]
    Copy {
        /// The file of the copy.
        path: PathBuf,
        /// What is wrong with it.
        reason: String,
    },
    /// Stored content cannot be read back.
    #[error("the store holds something that cannot be read: {0}")]
    Content(String),
    /// The store failed while an expression looked at another entry.
    #[error(transparent)]
    Looked(#[from] WorldError),
    /// The database cannot be opened.
    #[error("{}: {error}", path.display())]
    Opening {
        /// Which file.
        path: PathBuf,
        /// Why.
        error: DatabaseError,
    },
    /// The database failed.
    #[error("the store failed: {0}")]
    Database(#[from] DatabaseError),
}

impl StoreError {
    pub(super) fn file(path: &Path, error: &std::io::Error) -> Self {
        StoreError::File { path: path.to_owned(), reason: error.to_string() }
    }

    /// The same, saying which file it was about.
    pub(super) fn at(self, file: &Path) -> Self {
        match self {
            StoreError::Database(error) => StoreError::Opening { path: file.to_owned(), error },
            other => other,
        }
    }

    /// Whether what is in the file is damaged, or the file is no store at all.
    #[must_use]
    pub fn is_damage(&self) -> bool {
        match self {
            StoreError::Content(_) | StoreError::Migration { .. } => true,
            StoreError::Database(error) | StoreError::Opening { error, .. } => match error {
                DatabaseError::File(error) => matches!(
                    error.sqlite_error_code(),
                    Some(rusqlite::ErrorCode::DatabaseCorrupt | rusqlite::ErrorCode::NotADatabase)
                ),
                DatabaseError::Column(_) | DatabaseError::NoRow => true,
                DatabaseError::Server(_) => false,
            },
            _ => false,
        }
    }

    /// Whether the disk has no room.
    #[must_use]
    pub fn is_full(&self) -> bool {
        match self {
            StoreError::Database(error) | StoreError::Opening { error, .. } => match error {
                DatabaseError::File(error) => error.sqlite_error_code() == Some(rusqlite::ErrorCode::DiskFull),
                // PostgreSQL, appendix A: disk_full.
                error => error.code() == Some("53100"),
            },
            _ => false,
        }
    }

    /// Whether the server that the store is on does not answer.
    #[must_use]
    pub fn is_unreachable(&self) -> bool {
        matches!(self, StoreError::Database(DatabaseError::Server(fault))
            if matches!(**fault, ServerFault::Unreachable { .. }))
    }

    /// Whether the server lets the role that the store is opened with not do this.
    #[must_use]
    pub fn is_forbidden(&self) -> bool {
        // PostgreSQL, appendix A: insufficient_privilege, read_only_sql_transaction.
        matches!(self, StoreError::Database(error) if matches!(error.code(), Some("42501" | "25006")))
    }

    pub(super) fn content(error: impl std::fmt::Display) -> Self {
        StoreError::Content(error.to_string())
    }
}

impl From<rusqlite::Error> for StoreError {
    fn from(error: rusqlite::Error) -> StoreError {
        StoreError::Database(DatabaseError::File(error))
    }
}
