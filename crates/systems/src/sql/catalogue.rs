//! What the catalogue of a database says of the columns of a table, beside their types.

use std::collections::HashMap;

use diaporos_core::model::{EntryType, FieldKind};
use diaporos_core::value::TypeName;
use serde_json::Value as Json;

use super::columns::entry_type;
use super::database::Session;
use super::rows::Selection;
use super::statement::Statement;
use crate::ErrorKind;

/// PostgreSQL's (its manual, chapter 53): whether a row must have a value, how long a text may be, and the table of the
/// row that it names.
const OF_A_SERVER: &str = "(SELECT a.attname AS name, a.attnotnull AND NOT a.atthasdef AND a.attidentity = '' AS required,
        CASE WHEN a.atttypid IN ('varchar'::regtype, 'bpchar'::regtype) AND a.atttypmod > 4 THEN a.atttypmod - 4 END AS longest,
        (SELECT min(c.confrelid::regclass::text) FROM pg_constraint c
         WHERE c.contype = 'f' AND c.conrelid = a.attrelid AND c.conkey = ARRAY[a.attnum]) AS refers
    FROM pg_attribute a WHERE a.attrelid = CAST(CAST($1 AS text) AS regclass) AND a.attnum > 0 AND NOT a.attisdropped)";
/// SQLite's (its manual, "PRAGMA functions").
const OF_A_FILE: &str =
    "(SELECT t.name AS name, t.\"notnull\" AND t.dflt_value IS NULL AND NOT t.pk AS required, NULL AS longest,
        (SELECT min(f.\"table\") FROM pragma_foreign_key_list($1) f WHERE f.\"from\" = t.name) AS refers
    FROM pragma_table_info($1) t)";

/// The fields of a table, with what its catalogue says of them. `tables` has the types by the tables that they are read
/// from.
pub(super) async fn described(
    session: &Session,
    table: &str,
    tables: &HashMap<String, TypeName>,
) -> Result<EntryType, ErrorKind> {
    let source = super::statement::table(table);
    let mut known = entry_type(&session.columns(&source).await?);
    // Of a table with its schema, SQLite's functions know the name alone; a server reads names as statements have them.
    let (catalogue, name) = match session {
        Session::Server(_) => (OF_A_SERVER, source),
        Session::File(_) => (OF_A_FILE, table.rsplit('.').next().unwrap_or(table).to_owned()),
    };
    let rest = Statement { text: String::new(), values: vec![Json::from(name)] };
    let selection = Selection { source: catalogue.to_owned(), rest, key: Vec::new(), most_bytes: usize::MAX };
    let columns = session.columns(catalogue).await?;
    let (rows, _) = session.rows(&selection, &columns).await?;
    for row in rows {
        let text = |name: &str| row.members.get(name).and_then(Json::as_str).map(str::to_owned);
        let Some(field) = text("name").and_then(|name| known.fields.get_mut(&name)) else { continue };
        let required = row.members.get("required");
        field.required = required.is_some_and(|json| json.as_bool().unwrap_or(json.as_i64() == Some(1)));
        field.max_length = row.members.get("longest").and_then(Json::as_u64).and_then(|most| most.try_into().ok());
        let refers = text("refers").map(|table| table.replace('"', ""));
        let to = refers.and_then(|table| tables.get(&table).or_else(|| tables.get(table.rsplit('.').next()?)));
        if let Some(to) = to {
            field.kind = FieldKind::Reference(to.clone());
        }
    }
    Ok(known)
}
