//! A session with a SQLite file, on threads that may wait.

use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

use rusqlite::config::DbConfig;
use rusqlite::types::{ToSqlOutput, ValueRef};
use rusqlite::{Connection, ErrorCode, OpenFlags, ToSql, params_from_iter};
use serde_json::{Map, Value as Json};

use super::columns::{Column, ColumnForm};
use super::rows::{Row, Selection};
use super::statement::Statement;
use crate::ErrorKind;
use crate::asked::Access;
use crate::blank::blank;
use crate::http::Limits;

/// A session: one connection, used by one at a time.
pub(super) struct SqliteSession {
    connection: Arc<Mutex<Connection>>,
}

impl SqliteSession {
    /// Opens a file that is there. By a session for reading nothing can be written.
    pub(super) async fn begin(path: &Path, access: Access, limits: &Limits) -> Result<SqliteSession, ErrorKind> {
        let (path, waits) = (path.to_owned(), limits.whole);
        let open = move || {
            let kind = match access {
                Access::Read => OpenFlags::SQLITE_OPEN_READ_ONLY,
                Access::Write => OpenFlags::SQLITE_OPEN_READ_WRITE,
            };
            let connection = Connection::open_with_flags(path, kind | OpenFlags::SQLITE_OPEN_NO_MUTEX)?;
            connection.busy_timeout(waits)?;
            // A name that is none is a fault, and not a text.
            connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DQS_DML, false)?;
            connection.pragma_update(None, "foreign_keys", true)?;
            connection.pragma_update(None, "trusted_schema", false)?;
            connection.pragma_update(None, "query_only", access == Access::Read)?;
            Ok(connection)
        };
        let connection = aside(open).await?;
        Ok(SqliteSession { connection: Arc::new(Mutex::new(connection)) })
    }

    async fn with<T: Send + 'static>(
        &self,
        work: impl FnOnce(&Connection) -> rusqlite::Result<T> + Send + 'static,
    ) -> Result<T, ErrorKind> {
        let connection = Arc::clone(&self.connection);
        aside(move || work(&connection.lock().unwrap_or_else(PoisonError::into_inner))).await
    }

    /// Carries out statements that bind nothing.
    pub(super) async fn batch(&self, text: &str) -> Result<(), ErrorKind> {
        let text = text.to_owned();
        self.with(move |connection| connection.execute_batch(&text)).await
    }

    /// Carries out a statement; gives how many rows it changed.
    pub(super) async fn execute(&self, statement: &Statement) -> Result<u64, ErrorKind> {
        let Statement { text, values } = statement.clone();
        let execute = move |connection: &Connection| {
            connection.prepare_cached(&text)?.execute(params_from_iter(values.iter().map(Bound)))
        };
        Ok(self.with(execute).await? as u64)
    }

    /// Rows, till there are enough, and whether these are all.
    pub(super) async fn rows(&self, selection: &Selection, columns: &[Column]) -> Result<(Vec<Row>, bool), ErrorKind> {
        let (selection, columns) = (selection.clone(), columns.to_vec());
        self.with(move |connection| {
            let statement = selection.of_columns();
            let mut prepared = connection.prepare_cached(&statement.text)?;
            let mut found = prepared.query(params_from_iter(statement.values.iter().map(Bound)))?;
            let (mut rows, mut size) = (Vec::new(), 0);
            while let Some(row) = found.next()? {
                if size >= selection.most_bytes {
                    return Ok((rows, false));
                }
                let row = row_of(row, &selection.key, &columns)?;
                size += row.text.len();
                rows.push(row);
            }
            Ok((rows, true))
        })
        .await
    }

    /// The one text that a statement gives; none where it gives no row, or nothing in it.
    pub(super) async fn text(&self, statement: &Statement) -> Result<Option<String>, ErrorKind> {
        let Statement { text, values } = statement.clone();
        self.with(move |connection| {
            let mut prepared = connection.prepare_cached(&text)?;
            let mut rows = prepared.query(params_from_iter(values.iter().map(Bound)))?;
            let Some(row) = rows.next()? else { return Ok(None) };
            Ok(match json_of(row.get_ref(0)?, &ColumnForm::Other) {
                Json::Null => None,
                Json::String(text) => Some(text),
                other => Some(other.to_string()),
            })
        })
        .await
    }

    /// The columns of a table or a query, by the types that they were declared with.
    pub(super) async fn columns(&self, source: &str) -> Result<Vec<Column>, ErrorKind> {
        let text = format!("SELECT * FROM {source} AS r");
        self.with(move |connection| {
            let prepared = connection.prepare(&text)?;
            let column = |column: rusqlite::Column<'_>| {
                let form = form_of(column.decl_type().unwrap_or_default());
                Column { name: column.name().to_owned(), form, many: false }
            };
            Ok(prepared.columns().map(column).collect())
        })
        .await
    }
}

/// Does what may wait on a thread of its own.
async fn aside<T: Send + 'static>(work: impl FnOnce() -> rusqlite::Result<T> + Send + 'static) -> Result<T, ErrorKind> {
    let done = tokio::task::spawn_blocking(work).await;
    done.map_err(|error| ErrorKind::Broken(error.to_string()))?.map_err(|error| fault(&error))
}

fn row_of(row: &rusqlite::Row<'_>, key: &[String], columns: &[Column]) -> rusqlite::Result<Row> {
    let mut members = Map::new();
    for (place, column) in columns.iter().enumerate() {
        members.insert(column.name.clone(), json_of(row.get_ref(place)?, &column.form));
    }
    let of_key = |place| Ok(json_of(row.get_ref(columns.len() + place)?, &ColumnForm::Other));
    let key = (0..key.len()).map(of_key).collect::<rusqlite::Result<_>>()?;
    let text = serde_json::to_string(&members).unwrap_or_default();
    Ok(Row { members, key, text })
}

/// A value. What was declared to be true or false is kept as 0 or 1.
fn json_of(value: ValueRef<'_>, form: &ColumnForm) -> Json {
    match value {
        ValueRef::Null => Json::Null,
        ValueRef::Integer(number) if *form == ColumnForm::Boolean => Json::Bool(number != 0),
        ValueRef::Integer(number) => number.into(),
        ValueRef::Real(number) => number.into(),
        ValueRef::Text(bytes) => {
            let text = String::from_utf8_lossy(bytes);
            let text = blank(&text);
            let read = (*form == ColumnForm::Json).then(|| serde_json::from_str(&text).ok()).flatten();
            read.unwrap_or_else(|| text.into_owned().into())
        }
        // As the other databases have bytes in a document.
        ValueRef::Blob(bytes) => {
            let hex: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
            format!("\\x{hex}").into()
        }
    }
}

/// What a column holds by its declared type (SQLite's manual, "Datatypes", 3.1).
fn form_of(declared: &str) -> ColumnForm {
    let declared = declared.to_ascii_uppercase();
    let has = |word: &str| declared.contains(word);
    match () {
        () if has("BOOL") => ColumnForm::Boolean,
        () if has("JSON") => ColumnForm::Json,
        () if has("INT") => ColumnForm::Integer,
        () if has("CHAR") || has("CLOB") || has("TEXT") => ColumnForm::Text,
        () if has("REAL") || has("FLOA") || has("DOUB") || has("NUMERIC") || has("DECIMAL") => ColumnForm::Number,
        () if declared == "DATE" => ColumnForm::Date,
        () if has("DATETIME") || has("TIMESTAMP") => ColumnForm::Instant,
        () => ColumnForm::Other,
    }
}

struct Bound<'v>(&'v Json);

impl ToSql for Bound<'_> {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        Ok(match self.0 {
            Json::Null => rusqlite::types::Null.into(),
            Json::Bool(truth) => (*truth).into(),
            Json::String(text) => text.as_str().into(),
            Json::Number(number) => match (number.as_i64(), number.as_f64()) {
                (Some(whole), _) => whole.into(),
                (None, Some(number)) => number.into(),
                (None, None) => number.to_string().into(),
            },
            Json::Array(_) | Json::Object(_) => self.0.to_string().into(),
        })
    }
}

fn fault(error: &rusqlite::Error) -> ErrorKind {
    let message = blank(&error.to_string()).into_owned();
    let rusqlite::Error::SqliteFailure(code, _) = error else { return ErrorKind::Status { status: 422, message } };
    match code.code {
        ErrorCode::CannotOpen | ErrorCode::NotADatabase | ErrorCode::PermissionDenied => {
            ErrorKind::Unreachable(message)
        }
        ErrorCode::ReadOnly => ErrorKind::Unauthorised { status: 403, message },
        ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked | ErrorCode::DiskFull => {
            ErrorKind::Status { status: 503, message }
        }
        ErrorCode::ConstraintViolation
            if matches!(
                code.extended_code,
                rusqlite::ffi::SQLITE_CONSTRAINT_UNIQUE | rusqlite::ffi::SQLITE_CONSTRAINT_PRIMARYKEY
            ) =>
        {
            ErrorKind::Differs { status: 409, message }
        }
        _ => ErrorKind::Status { status: 422, message },
    }
}
