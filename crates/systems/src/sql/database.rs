//! A database, and sessions with it.

use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use diaporos_core::value::SystemName;
use diaporos_postgres::Server;

use super::columns::Column;
use super::postgres::PostgresSession;
use super::rows::{Row, Selection};
use super::sqlite::SqliteSession;
use super::statement::Statement;
use crate::asked::Access;
use crate::http::{Limits, Pace};
use crate::{ErrorKind, SystemError};

/// Where a database is.
#[derive(Debug, Clone)]
pub(super) enum DatabasePlace {
    /// On a PostgreSQL server, with the role's credential.
    Server(Box<Server>),
    /// In a SQLite file.
    File(PathBuf),
}

/// A database, and who asks it.
pub(super) struct Database {
    pub(super) system: SystemName,
    pub(super) place: DatabasePlace,
    pub(super) limits: Limits,
    access: Access,
    pace: Pace,
    /// Sessions that nobody uses now.
    idle: Mutex<Vec<Session>>,
}

/// The first pause before a connection is tried again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(200);

impl Database {
    pub(super) fn new(system: SystemName, place: DatabasePlace, limits: Limits, access: Access) -> Database {
        let pace = limits.pace(&system);
        Database { system, place, limits, access, pace, idle: Mutex::default() }
    }

    /// A session of its own, from its turn on. A connection is tried again, for nothing was sent.
    pub(super) async fn session(&self) -> Result<Session, SystemError> {
        let idle = || self.idle.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let kept = std::iter::from_fn(idle).find(Session::is_open);
        if let Some(session) = kept {
            return Ok(session);
        }
        let mut pause = FIRST_PAUSE;
        for left in (0..=self.limits.retries).rev() {
            match self.begin().await {
                Err(ErrorKind::Unreachable(_)) if left > 0 => tokio::time::sleep(pause).await,
                session => return session.map_err(|kind| self.error("", kind)),
            }
            pause *= 2;
        }
        Err(self.error("", ErrorKind::Unreachable("no connection came about".to_owned())))
    }

    async fn begin(&self) -> Result<Session, ErrorKind> {
        Ok(match &self.place {
            DatabasePlace::Server(server) => {
                Session::Server(Box::new(PostgresSession::begin(server, self.access, &self.limits).await?))
            }
            DatabasePlace::File(path) => Session::File(SqliteSession::begin(path, self.access, &self.limits).await?),
        })
    }

    /// Takes back a session that is within no transaction.
    pub(super) fn give_back(&self, session: Session) {
        self.idle.lock().unwrap_or_else(PoisonError::into_inner).push(session);
    }

    /// Waits for the turn of what is asked next.
    pub(super) async fn turn(&self) -> impl Sized {
        self.pace.turn().await
    }

    /// Where it is, as it is told a person.
    pub(super) fn shown(&self) -> String {
        match &self.place {
            DatabasePlace::Server(server) => server.place(),
            DatabasePlace::File(path) => path.display().to_string(),
        }
    }

    /// An error of this database; `what` is the table or the row.
    pub(super) fn error(&self, what: &str, kind: ErrorKind) -> SystemError {
        let url = if what.is_empty() { self.shown() } else { format!("{} {what}", self.shown()) };
        SystemError { system: self.system.clone(), url, kind }
    }
}

/// A session with a database.
pub(super) enum Session {
    Server(Box<PostgresSession>),
    File(SqliteSession),
}

impl Session {
    fn is_open(&self) -> bool {
        match self {
            Session::Server(session) => session.is_open(),
            Session::File(_) => true,
        }
    }

    /// Begins to read the database as it is at one moment.
    pub(super) async fn begin_snapshot(&self) -> Result<(), ErrorKind> {
        match self {
            Session::Server(session) => session.batch("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY").await,
            // The first look takes the snapshot, and comes at once.
            Session::File(session) => session.batch("BEGIN").await,
        }
    }

    /// Begins a change.
    pub(super) async fn begin_change(&self) -> Result<(), ErrorKind> {
        match self {
            Session::Server(session) => session.batch("BEGIN").await,
            Session::File(session) => session.batch("BEGIN IMMEDIATE").await,
        }
    }

    /// Begins a change with a look at rows, in one step where that can be.
    pub(super) async fn begin_change_with(
        &self,
        selection: &Selection,
        columns: &[Column],
    ) -> Result<Vec<Row>, ErrorKind> {
        match self {
            Session::Server(session) => session.begin_with(selection, columns).await,
            Session::File(session) => {
                self.begin_change().await?;
                Ok(session.rows(selection, columns).await?.0)
            }
        }
    }

    /// Ends a change with a statement and a look at what it left, in one step where that can be: all is kept, or
    /// nothing. Gives how many rows were changed, and those that were looked at.
    pub(super) async fn end_change_with(
        &self,
        statement: Option<&Statement>,
        selection: &Selection,
        columns: &[Column],
    ) -> Result<(u64, Vec<Row>), ErrorKind> {
        match self {
            Session::Server(session) => session.end_with(statement, selection, columns).await,
            Session::File(session) => {
                let changed = match statement {
                    Some(statement) => session.execute(statement).await?,
                    None => 0,
                };
                let (rows, _) = session.rows(selection, columns).await?;
                self.commit().await?;
                Ok((changed, rows))
            }
        }
    }

    pub(super) async fn commit(&self) -> Result<(), ErrorKind> {
        self.batch("COMMIT").await
    }

    pub(super) async fn roll_back(&self) -> Result<(), ErrorKind> {
        self.batch("ROLLBACK").await
    }

    async fn batch(&self, text: &str) -> Result<(), ErrorKind> {
        match self {
            Session::Server(session) => session.batch(text).await,
            Session::File(session) => session.batch(text).await,
        }
    }

    /// What follows a selection so that its rows stay as they are until the change ends.
    pub(super) fn for_update(&self) -> &'static str {
        match self {
            Session::Server(_) => " FOR UPDATE",
            // A change has the file for itself.
            Session::File(_) => "",
        }
    }

    /// A column that is compared with a text.
    pub(super) fn as_text(&self, column: &str) -> String {
        match self {
            // The server reads the text as the column's type, and finds it by its index.
            Session::Server(_) => column.to_owned(),
            // A number is not the text that it is written by.
            Session::File(_) => format!("CAST({column} AS text)"),
        }
    }

    /// The moment of the change, as a statement has it.
    pub(super) fn now(&self) -> &'static str {
        match self {
            Session::Server(_) => "clock_timestamp()",
            Session::File(_) => "strftime('%Y-%m-%dT%H:%M:%fZ')",
        }
    }

    pub(super) async fn execute(&self, statement: &Statement) -> Result<u64, ErrorKind> {
        match self {
            Session::Server(session) => session.execute(statement).await,
            Session::File(session) => session.execute(statement).await,
        }
    }

    /// Rows, till there are enough, and whether these are all.
    pub(super) async fn rows(&self, selection: &Selection, columns: &[Column]) -> Result<(Vec<Row>, bool), ErrorKind> {
        match self {
            Session::Server(session) => session.rows(selection, columns).await,
            Session::File(session) => session.rows(selection, columns).await,
        }
    }

    /// The one text that a statement gives; none where it gives no row, or nothing in it.
    pub(super) async fn text(&self, statement: &Statement) -> Result<Option<String>, ErrorKind> {
        match self {
            Session::Server(session) => session.text(statement).await,
            Session::File(session) => session.text(statement).await,
        }
    }

    pub(super) async fn columns(&self, source: &str) -> Result<Vec<Column>, ErrorKind> {
        match self {
            Session::Server(session) => session.columns(source).await,
            Session::File(session) => session.columns(source).await,
        }
    }
}
