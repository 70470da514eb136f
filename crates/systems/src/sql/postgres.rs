//! A session with a PostgreSQL server.

use std::collections::HashMap;
use std::error::Error;
use std::sync::{Mutex, PoisonError};

use diaporos_postgres::{Server, said};
use futures::{TryStreamExt, join, pin_mut};
use serde_json::Value as Json;
use tokio_postgres::Client;
use tokio_postgres::types::private::BytesMut;
use tokio_postgres::types::{Format, IsNull, Kind, ToSql, Type, to_sql_checked};

use super::columns::{Column, ColumnForm};
use super::rows::{Row, Selection, decimal, decimals, document};
use super::statement::Statement;
use crate::ErrorKind;
use crate::asked::Access;
use crate::blank::blank;
use crate::http::Limits;

/// A session: one connection, and the statements that the server knows by it.
pub(super) struct PostgresSession {
    client: Client,
    prepared: Mutex<HashMap<String, tokio_postgres::Statement>>,
}

impl PostgresSession {
    /// A connection that is ready. By one for reading nothing can be written.
    pub(super) async fn begin(server: &Server, access: Access, limits: &Limits) -> Result<PostgresSession, ErrorKind> {
        let mut beginning = format!(
            "SET TIME ZONE 'UTC'; SET DateStyle = 'ISO'; SET bytea_output = hex; SET client_min_messages = warning;
             SET idle_in_transaction_session_timeout = '10min'; SET statement_timeout = {}",
            limits.whole.as_millis()
        );
        if access == Access::Read {
            beginning.push_str("; SET default_transaction_read_only = on");
        }
        let client = server.connect(&beginning).await.map_err(|error| match error.as_db_error() {
            Some(fault) if fault.code().code().starts_with("28") => {
                ErrorKind::Unauthorised { status: 401, message: blank(fault.message()).into_owned() }
            }
            _ => ErrorKind::Unreachable(blank(&said(&error)).into_owned()),
        })?;
        Ok(PostgresSession { client, prepared: Mutex::default() })
    }

    /// Whether it can be used once more.
    pub(super) fn is_open(&self) -> bool {
        !self.client.is_closed()
    }

    /// Carries out statements that bind nothing.
    pub(super) async fn batch(&self, text: &str) -> Result<(), ErrorKind> {
        self.client.batch_execute(text).await.map_err(fault)
    }

    async fn prepared(&self, text: &str) -> Result<tokio_postgres::Statement, ErrorKind> {
        let known = || self.prepared.lock().unwrap_or_else(PoisonError::into_inner);
        let found = known().get(text).cloned();
        if let Some(found) = found {
            return Ok(found);
        }
        let prepared = self.client.prepare(text).await.map_err(fault)?;
        known().insert(text.to_owned(), prepared.clone());
        Ok(prepared)
    }

    /// Carries out a statement; gives how many rows it changed.
    pub(super) async fn execute(&self, statement: &Statement) -> Result<u64, ErrorKind> {
        let prepared = self.prepared(&statement.text).await?;
        let values: Vec<Bound<'_>> = statement.values.iter().map(Bound).collect();
        self.client.execute_raw(&prepared, values).await.map_err(fault)
    }

    /// Rows, till there are enough, and whether these are all.
    pub(super) async fn rows(&self, selection: &Selection, columns: &[Column]) -> Result<(Vec<Row>, bool), ErrorKind> {
        let statement = selection.of_documents(columns);
        let prepared = self.prepared(&statement.text).await?;
        self.rows_of(&prepared, &statement, selection, columns).await
    }

    async fn rows_of(
        &self,
        prepared: &tokio_postgres::Statement,
        statement: &Statement,
        selection: &Selection,
        columns: &[Column],
    ) -> Result<(Vec<Row>, bool), ErrorKind> {
        let values: Vec<Bound<'_>> = statement.values.iter().map(Bound).collect();
        let stream = self.client.query_raw(prepared, values).await.map_err(fault)?;
        pin_mut!(stream);
        let (mut rows, mut size) = (Vec::new(), 0);
        while let Some(row) = stream.try_next().await.map_err(fault)? {
            if size >= selection.most_bytes {
                return Ok((rows, false));
            }
            let row = row_of(&row, selection, columns)?;
            size += row.text.len();
            rows.push(row);
        }
        Ok((rows, true))
    }

    /// Begins a change with a look at rows: both are sent at once, in this order.
    pub(super) async fn begin_with(&self, selection: &Selection, columns: &[Column]) -> Result<Vec<Row>, ErrorKind> {
        let statement = selection.of_documents(columns);
        // What is prepared first is sent at its turn.
        let prepared = self.prepared(&statement.text).await?;
        let (begun, rows) = join!(self.batch("BEGIN"), self.rows_of(&prepared, &statement, selection, columns));
        begun?;
        Ok(rows?.0)
    }

    /// Ends a change with a statement, and a look at what it left: all is sent at once, in this order. Where one fails
    /// the server takes all back, though it is told to keep it.
    pub(super) async fn end_with(
        &self,
        statement: Option<&Statement>,
        selection: &Selection,
        columns: &[Column],
    ) -> Result<(u64, Vec<Row>), ErrorKind> {
        let look = selection.of_documents(columns);
        let look_prepared = self.prepared(&look.text).await?;
        let prepared = match statement {
            Some(statement) => Some((self.prepared(&statement.text).await?, statement)),
            None => None,
        };
        let execute = async {
            let Some((prepared, statement)) = prepared else { return Ok(0) };
            let values: Vec<Bound<'_>> = statement.values.iter().map(Bound).collect();
            self.client.execute_raw(&prepared, values).await.map_err(fault)
        };
        let rows = self.rows_of(&look_prepared, &look, selection, columns);
        let (changed, rows, ended) = join!(execute, rows, self.batch("COMMIT"));
        let (changed, rows) = (changed?, rows?.0);
        ended.map(|()| (changed, rows))
    }

    /// The one text that a statement gives; none where it gives no row, or nothing in it.
    pub(super) async fn text(&self, statement: &Statement) -> Result<Option<String>, ErrorKind> {
        let prepared = self.prepared(&statement.text).await?;
        let values: Vec<Bound<'_>> = statement.values.iter().map(Bound).collect();
        let stream = self.client.query_raw(&prepared, values).await.map_err(fault)?;
        pin_mut!(stream);
        let Some(row) = stream.try_next().await.map_err(fault)? else { return Ok(None) };
        row.try_get(0).map_err(fault)
    }

    /// The columns of a table or a query.
    pub(super) async fn columns(&self, source: &str) -> Result<Vec<Column>, ErrorKind> {
        let prepared = self.client.prepare(&format!("SELECT * FROM {source} AS r")).await.map_err(fault)?;
        let column = |column: &tokio_postgres::Column| {
            let (form, many) = match column.type_().kind() {
                Kind::Array(of) => (form_of(of), true),
                _ => (form_of(column.type_()), false),
            };
            Column { name: column.name().to_owned(), form, many }
        };
        Ok(prepared.columns().iter().map(column).collect())
    }
}

/// A row as the server gives it.
fn row_of(row: &tokio_postgres::Row, selection: &Selection, columns: &[Column]) -> Result<Row, ErrorKind> {
    let text = |place: usize| row.try_get::<_, Option<&str>>(place).map_err(fault);
    let whole = text(0)?.unwrap_or("{}");
    let text_of_row = blank(whole).into_owned();
    let mut members = document(&text_of_row)?;
    let key = (1..=selection.key.len()).map(|place| Ok(text(place)?.map_or(Json::Null, Json::from)));
    let key = key.collect::<Result<_, ErrorKind>>()?;
    for name in columns.iter().filter(|column| column.form == ColumnForm::Instant).map(|column| &column.name) {
        if let Some(Json::String(moment)) = members.get_mut(name)
            && let Some(utc) = moment.strip_suffix("+00:00")
        {
            *moment = format!("{utc}Z");
        }
    }
    for (place, name) in (selection.key.len() + 1..).zip(decimals(columns)) {
        members.insert(name.to_owned(), text(place)?.map_or(Json::Null, decimal));
    }
    Ok(Row { members, key, text: text_of_row })
}

fn form_of(ty: &Type) -> ColumnForm {
    match *ty {
        Type::BOOL => ColumnForm::Boolean,
        Type::INT2 | Type::INT4 | Type::INT8 | Type::OID => ColumnForm::Integer,
        Type::FLOAT4 | Type::FLOAT8 => ColumnForm::Number,
        Type::NUMERIC => ColumnForm::Decimal,
        Type::DATE => ColumnForm::Date,
        Type::TIMESTAMPTZ => ColumnForm::Instant,
        Type::TEXT | Type::VARCHAR | Type::BPCHAR | Type::NAME | Type::UUID => ColumnForm::Text,
        Type::JSON | Type::JSONB => ColumnForm::Json,
        _ => match ty.kind() {
            Kind::Enum(words) => ColumnForm::Choice(words.clone()),
            Kind::Domain(of) => form_of(of),
            _ => ColumnForm::Other,
        },
    }
}

/// A value as the server reads it from a text, whatever type it is to be there.
#[derive(Debug)]
struct Bound<'v>(&'v Json);

impl ToSql for Bound<'_> {
    fn to_sql(&self, ty: &Type, out: &mut BytesMut) -> Result<IsNull, Box<dyn Error + Sync + Send>> {
        match text_of(self.0, ty)? {
            None => Ok(IsNull::Yes),
            Some(text) if text.contains('\0') => {
                Err("a text with the character zero in it cannot be kept there".into())
            }
            Some(text) => {
                out.extend_from_slice(text.as_bytes());
                Ok(IsNull::No)
            }
        }
    }

    fn accepts(_: &Type) -> bool {
        true
    }

    fn encode_format(&self, _: &Type) -> Format {
        Format::Text
    }

    to_sql_checked!();
}

fn text_of(json: &Json, ty: &Type) -> Result<Option<String>, String> {
    let is_document = matches!(*ty, Type::JSON | Type::JSONB);
    Ok(Some(match (json, ty.kind()) {
        (Json::Null, _) => return Ok(None),
        (_, Kind::Domain(of)) => return text_of(json, of),
        (json, _) if is_document => json.to_string(),
        (Json::Array(items), Kind::Array(of)) => array_text(items, of)?,
        (Json::String(text), _) => text.clone(),
        (Json::Bool(truth), _) => truth.to_string(),
        (Json::Number(number), _) => number.to_string(),
        (Json::Array(_), _) => return Err(format!("a list cannot be kept in a column of type {ty}")),
        (Json::Object(_), _) => return Err(format!("a record cannot be kept in a column of type {ty}")),
    }))
}

/// A list as the server reads it (its manual, 8.15.6).
fn array_text(items: &[Json], of: &Type) -> Result<String, String> {
    let item = |item: &Json| {
        Ok(match text_of(item, of)? {
            None => "NULL".to_owned(),
            Some(text) => format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\"")),
        })
    };
    Ok(format!("{{{}}}", items.iter().map(item).collect::<Result<Vec<_>, String>>()?.join(",")))
}

/// What the server or the way there says, by the classes of PostgreSQL's appendix A.
#[expect(clippy::needless_pass_by_value, reason = "it is what errors are mapped by")]
fn fault(error: tokio_postgres::Error) -> ErrorKind {
    let Some(fault) = error.as_db_error() else {
        let source = Error::source(&error);
        return match error.is_closed() || source.is_some_and(|source| source.is::<std::io::Error>()) {
            true => ErrorKind::Broken(said(&error)),
            // A value that is none for its column; nothing was sent.
            false => ErrorKind::Refused(blank(&said(&error)).into_owned()),
        };
    };
    let detail = fault.detail().map(|detail| format!(" ({detail})")).unwrap_or_default();
    let message = blank(&format!("{}{detail}", fault.message())).into_owned();
    match fault.code().code() {
        "23505" => ErrorKind::Differs { status: 409, message },
        "42501" => ErrorKind::Unauthorised { status: 403, message },
        // Nothing of it was done, and it may be done another time: a deadlock, a lock, too many of them, a limit of time.
        "40001" | "40P01" | "55P03" | "57014" => ErrorKind::Status { status: 503, message },
        code if code.starts_with("53") => ErrorKind::Status { status: 503, message },
        code if code.starts_with("57P0") || code.starts_with("08") || code == "25P03" => ErrorKind::Broken(message),
        _ => ErrorKind::Status { status: 422, message },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn values_as_the_server_reads_them() {
        let text = |json: Json, ty: &Type| text_of(&json, ty);
        assert_eq!(text(json!(null), &Type::TEXT), Ok(None));
        assert_eq!(text(json!("a"), &Type::UUID), Ok(Some("a".into())));
        assert_eq!(text(json!("a"), &Type::JSONB), Ok(Some("\"a\"".into())));
        assert_eq!(text(json!({ "a": 1 }), &Type::JSON), Ok(Some("{\"a\":1}".into())));
        assert_eq!(text(json!(true), &Type::BOOL), Ok(Some("true".into())));
        assert_eq!(
            text(json!(["a \"b\" \\", null, "{c,d}"]), &Type::TEXT_ARRAY),
            Ok(Some(r#"{"a \"b\" \\",NULL,"{c,d}"}"#.into()))
        );
        assert!(text(json!(["a"]), &Type::TEXT).is_err());
        assert!(text(json!({ "a": 1 }), &Type::TEXT).is_err());
    }
}
