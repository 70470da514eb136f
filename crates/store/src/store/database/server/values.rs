//! Values as a server takes and gives them.

use std::error::Error;
use std::hash::{BuildHasher, Hasher};

use bytes::BytesMut;
use foldhash::fast::FixedState;
use rusqlite::types::{ToSql, ToSqlOutput, Value, ValueRef};
use tokio_postgres::types::{FromSql, IsNull, Type, to_sql_checked};

use crate::store::database::{Result, ServerFault};

/// The values of a statement, to be sent and, where the connection breaks off, sent again.
pub(super) fn owned(values: &[&dyn ToSql]) -> Result<Vec<Bound>> {
    let one = |value: &&dyn ToSql| {
        Ok(Bound(match value.to_sql()? {
            ToSqlOutput::Borrowed(borrowed) => borrowed.try_into()?,
            ToSqlOutput::Owned(owned) => owned,
            _ => return Err(ServerFault::Other("a value of an unknown kind".to_owned()).into()),
        }))
    };
    values.iter().map(one).collect()
}

/// A value of a statement.
#[derive(Debug, Clone)]
pub(super) struct Bound(Value);

impl tokio_postgres::types::ToSql for Bound {
    fn to_sql(&self, ty: &Type, out: &mut BytesMut) -> std::result::Result<IsNull, Box<dyn Error + Sync + Send>> {
        match (&self.0, ty) {
            (Value::Null, _) => return Ok(IsNull::Yes),
            (Value::Integer(number), &Type::INT8) => out.extend_from_slice(&number.to_be_bytes()),
            (Value::Integer(number), &Type::INT4) => out.extend_from_slice(&i32::try_from(*number)?.to_be_bytes()),
            (Value::Integer(number), &Type::BOOL) => out.extend_from_slice(&[u8::from(*number != 0)]),
            (Value::Integer(number), &Type::TEXT) => out.extend_from_slice(number.to_string().as_bytes()),
            (Value::Real(number), &Type::FLOAT8) => out.extend_from_slice(&number.to_be_bytes()),
            // A server keeps no text with the character zero in it, and nothing that is kept means it.
            (Value::Text(text), &Type::TEXT | &Type::VARCHAR | &Type::NAME | &Type::UNKNOWN) => {
                out.extend_from_slice(text.replace('\0', "\u{fffd}").as_bytes());
            }
            (Value::Blob(bytes), &Type::BYTEA) => out.extend_from_slice(bytes),
            (value, ty) => return Err(format!("a value of the kind {:?} for a {ty}", value.data_type()).into()),
        }
        Ok(IsNull::No)
    }

    fn accepts(_: &Type) -> bool {
        true
    }

    to_sql_checked!();
}

/// A column as it was sent.
struct Raw<'r>(Option<&'r [u8]>);

impl<'r> FromSql<'r> for Raw<'r> {
    fn from_sql(_: &Type, raw: &'r [u8]) -> std::result::Result<Self, Box<dyn Error + Sync + Send>> {
        Ok(Raw(Some(raw)))
    }

    fn from_sql_null(_: &Type) -> std::result::Result<Self, Box<dyn Error + Sync + Send>> {
        Ok(Raw(None))
    }

    fn accepts(_: &Type) -> bool {
        true
    }
}

/// A row of a server.
pub(in crate::store) struct ServerRow(pub(super) tokio_postgres::Row);

impl ServerRow {
    /// A column.
    pub(in crate::store) fn value(&self, column: usize) -> Result<ValueRef<'_>> {
        let unreadable = |what: String| ServerFault::Other(format!("column {column} cannot be read: {what}"));
        let raw: Raw<'_> = self.0.try_get(column).map_err(|error| unreadable(error.to_string()))?;
        let Some(bytes) = raw.0 else { return Ok(ValueRef::Null) };
        let ty = self.0.columns().get(column).map_or(Type::UNKNOWN, |column| column.type_().clone());
        let short = |_| unreadable(format!("{} bytes for a {ty}", bytes.len()));
        Ok(match ty {
            Type::INT8 => ValueRef::Integer(i64::from_be_bytes(bytes.try_into().map_err(short)?)),
            Type::INT4 => ValueRef::Integer(i32::from_be_bytes(bytes.try_into().map_err(short)?).into()),
            Type::BOOL => ValueRef::Integer(bytes.first().copied().unwrap_or_default().into()),
            Type::FLOAT8 => ValueRef::Real(f64::from_be_bytes(bytes.try_into().map_err(short)?)),
            Type::BYTEA => ValueRef::Blob(bytes),
            Type::TEXT | Type::VARCHAR | Type::NAME | Type::UNKNOWN => ValueRef::Text(bytes),
            other => return Err(unreadable(format!("it is a {other}")).into()),
        })
    }
}

/// What tells the row from another.
pub(super) fn digest_of(row: &tokio_postgres::Row, before: u64) -> u64 {
    let mut hasher = FixedState::default().build_hasher();
    hasher.write_u64(before);
    for column in 0..row.len() {
        match row.try_get::<_, Raw<'_>>(column) {
            Ok(Raw(Some(bytes))) => {
                hasher.write_usize(bytes.len());
                hasher.write(bytes);
            }
            _ => hasher.write_u8(0xff),
        }
    }
    hasher.finish()
}
