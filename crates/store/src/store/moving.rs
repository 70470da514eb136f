//! A store moved to another place, table by table and window by window, so that what is broken off goes on where it
//! was; then both are held against each other.

use diaporos_core::change::fingerprint_texts;
use rusqlite::types::{ToSql, Value};

use super::content::Content;
use super::database::{Connection, Row, params};
use super::together::add_rows;
use super::words::{Words, keep_words};
use super::{Store, StoreError, StorePlace};

/// The tables with the columns of their keys, those that others refer to first. Leases stay with the processes that
/// have them; counts and words are made anew.
const TABLES: [(&str, &str); 45] = [
    ("entry_type", "id"),
    ("entry", "id"),
    ("dictionary", "id"),
    ("version", "entry, number"),
    ("refers", "entry, target"),
    ("page_mark", "type, place"),
    ("joined", "id"),
    ("part", "id"),
    ("pull_state", "type"),
    ("document", "type, place"),
    ("read_apart", "type, entry"),
    ("lane", "id"),
    ("delivery", "lane, entry"),
    ("reading", "type, source_id, lane, entry"),
    ("counterpart", "lane, entry, language"),
    ("run", "id"),
    ("intent", "id"),
    ("outcome", "intent"),
    ("open_intent", "intent"),
    ("checkpoint", "id"),
    ("taken_off", "lane, entry"),
    ("undone", "lane, entry"),
    ("asset", "system, hash"),
    ("asset_address", "url"),
    ("batch", "id"),
    ("batch_text", "id"),
    ("batch_unit", "text, language"),
    ("batch_return", "batch, hash"),
    ("memory", "source_language, target_language, hash, place"),
    ("translation", "entry, field, language"),
    ("destination", "system"),
    ("work", "what"),
    ("pause", "what"),
    ("hook_event", "number"),
    ("arrival", "system, hour"),
    ("alert", "number"),
    ("happening", "number"),
    ("tell", "name"),
    ("outbox", "number"),
    ("occurrence", "number"),
    ("subscription", "system, feed"),
    ("slate", "id"),
    ("slate_entry", "slate, entry"),
    ("slate_run", "slate, run"),
    ("list_pin", "list, entry"),
];
/// And those that came later.
const LATER: [(&str, &str); 3] =
    [("cut", "entry, picture, rendition"), ("service_value", "service, content"), ("service_day", "service, day")];
/// Tables whose numbers never come twice.
const NUMBERED: [&str; 3] = ["hook_event", "happening", "outbox"];

/// Rows that are moved in one change.
const WINDOW: usize = 2_000;
/// The number of the mark of a store that is being filled, among its migrations.
pub(super) const MARK: i64 = 0;

/// What was moved of a table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Moved {
    /// The table.
    pub table: String,
    /// Its rows.
    pub rows: u64,
}

/// A statement that goes through everything takes as long as it takes.
pub(super) fn take_time(connection: &Connection) -> Result<(), StoreError> {
    if connection.server().is_some() {
        connection.execute_batch("SET statement_timeout = 0; SET idle_in_transaction_session_timeout = 0")?;
    }
    Ok(())
}

fn tables() -> impl DoubleEndedIterator<Item = (&'static str, &'static str)> {
    TABLES.into_iter().chain(LATER)
}

/// Copies everything from one store into another that is empty, or in which that was begun; `told` hears of each table
/// with its rows. In the end both hold the same.
pub(super) fn copy(from: &Store, to: &mut Store, told: &mut dyn FnMut(&Moved)) -> Result<Vec<Moved>, StoreError> {
    for (table, keys) in tables() {
        while copy_window(&from.connection, &mut to.connection, table, keys)? == WINDOW {}
        if table == "version" {
            while copy_words(to)? > 0 {}
        }
    }
    let transaction = to.connection.begin()?;
    copy_head(&from.connection, &transaction)?;
    for table in NUMBERED {
        keep_number(&transaction, table, number_of(&from.connection, table)?)?;
    }
    transaction.commit()?;
    let mut moved = Vec::new();
    for (table, keys) in tables().chain([("chain_head", "id")]) {
        let (here, there) = (summed(&from.connection, table, keys)?, summed(&to.connection, table, keys)?);
        if here != there {
            let why = format!("`{table}` has {} rows here and {} there, and they are not the same", here.0, there.0);
            return Err(StoreError::NotMoved(why));
        }
        let one = Moved { table: table.to_owned(), rows: here.0 };
        told(&one);
        moved.push(one);
    }
    to.connection.execute("DELETE FROM migration WHERE number = ?1", [MARK])?;
    Ok(moved)
}

/// The first of the tables with their rows, as they are when a move is broken off.
#[cfg(test)]
pub(super) fn copy_some(from: &Store, to: &mut Store, many: usize) -> Result<(), StoreError> {
    for (table, keys) in tables().take(many) {
        copy_window(&from.connection, &mut to.connection, table, keys)?;
    }
    Ok(())
}

/// The sums of all tables that are moved.
#[cfg(test)]
pub(super) fn all_sums(of: &Store) -> Result<Vec<(String, Sum)>, StoreError> {
    let all = tables().chain([("chain_head", "id"), ("delivery_count", "lane, standing")]);
    all.map(|(table, keys)| Ok((table.to_owned(), summed(&of.connection, table, keys)?))).collect()
}

/// The columns of each table that is moved.
#[cfg(test)]
pub(super) fn all_columns(of: &Store) -> Result<std::collections::BTreeMap<String, Vec<String>>, StoreError> {
    tables().map(|(table, _)| Ok((table.to_owned(), columns_of(&of.connection, table)?))).collect()
}

/// Marks a store as one that is being filled from another, which no command takes for whole.
pub(super) fn begin(from: &Store, to: &mut Store) -> Result<(), StoreError> {
    let source = fingerprint_texts([from.place.to_string().as_str()]);
    let mark: Vec<Vec<u8>> = to
        .connection
        .prepare_cached("SELECT checksum FROM migration WHERE number = ?1")?
        .query_all([MARK], |row| row.get(0))?;
    match mark.first() {
        Some(mark) if mark == source.as_bytes() => Ok(()),
        Some(_) => Err(StoreError::NotMoved(format!("another store is being moved to {}", to.place))),
        None if !to.is_empty()? || to.connection.prepare_cached("SELECT 1 FROM run")?.exists(params![])? => {
            Err(StoreError::NotEmpty(to.place.to_string()))
        }
        None => {
            let transaction = to.connection.begin()?;
            // A lane or a type that looking made known comes with the rest.
            for (table, _) in tables().rev() {
                transaction.execute(&format!("DELETE FROM {table}"), params![])?;
            }
            transaction.execute("INSERT INTO migration VALUES (?1, ?2)", params![MARK, source.as_bytes()])?;
            Ok(transaction.commit()?)
        }
    }
}

/// Takes everything out of a store, and marks it as one that is being filled.
pub(super) fn clear(to: &mut Store, from: &StorePlace) -> Result<(), StoreError> {
    let source = fingerprint_texts([from.to_string().as_str()]);
    let transaction = to.connection.begin()?;
    transaction.execute("DELETE FROM entry_text", params![])?;
    for (table, _) in tables().rev() {
        transaction.execute(&format!("DELETE FROM {table}"), params![])?;
    }
    transaction.execute("DELETE FROM delivery_count", params![])?;
    transaction.execute("DELETE FROM migration WHERE number = ?1", [MARK])?;
    transaction.execute("INSERT INTO migration VALUES (?1, ?2)", params![MARK, source.as_bytes()])?;
    Ok(transaction.commit()?)
}

fn values(row: Row<'_>, columns: usize) -> Result<Vec<Value>, StoreError> {
    (0..columns).map(|column| Ok(row.get::<usize, Value>(column)?)).collect()
}

fn columns_of(connection: &Connection, table: &str) -> Result<Vec<String>, StoreError> {
    Ok(match connection {
        Connection::File(file) => {
            let statement = file.prepare(&format!("SELECT * FROM {table} LIMIT 0"))?;
            statement.column_names().map(str::to_owned).collect()
        }
        Connection::Server(_) => connection
            .prepare_cached(
                "SELECT attname FROM pg_attribute WHERE attrelid = CAST(CAST(?1 AS TEXT) AS REGCLASS) AND attnum > 0
                     AND NOT attisdropped ORDER BY attnum",
            )?
            .query_all([table], |row| row.get(0))?,
    })
}

/// Copies the next rows of a table, in the order of its keys; gives how many there were.
fn copy_window(from: &Connection, to: &mut Connection, table: &str, keys: &str) -> Result<usize, StoreError> {
    let columns = columns_of(from, table)?;
    let many = keys.split(", ").count();
    let last: Option<Vec<Value>> = to
        .prepare_cached(&format!(
            "SELECT {keys} FROM {table} ORDER BY {} LIMIT 1",
            keys.replace(", ", " DESC, ") + " DESC"
        ))?
        .query_all(params![], |row| (0..many).map(|column| row.get(column)).collect())?
        .into_iter()
        .next();
    let places: Vec<String> = (1..=many).map(|place| format!("?{place}")).collect();
    let after = match &last {
        None => String::new(),
        Some(_) => format!("WHERE ({keys}) > ({})", places.join(", ")),
    };
    let names = columns.join(", ");
    let sql = format!("SELECT {names} FROM {table} {after} ORDER BY {keys} LIMIT {WINDOW}");
    let last = last.unwrap_or_default();
    let bound: Vec<&dyn ToSql> = last.iter().map(|value| value as &dyn ToSql).collect();
    let mut query = from.prepare_cached(&sql)?;
    let mut rows = query.query(bound.as_slice())?;
    let mut window = Vec::new();
    while let Some(row) = rows.next()? {
        window.push(values(row, columns.len())?);
    }
    drop(rows);
    let transaction = to.begin()?;
    let columns: Vec<&str> = columns.iter().map(String::as_str).collect();
    add_rows(&transaction, (table, &columns), &window, "")?;
    transaction.commit()?;
    Ok(window.len())
}

/// Makes the words of the next entries anew; gives how many entries there were.
fn copy_words(to: &mut Store) -> Result<usize, StoreError> {
    let mut words = Vec::new();
    {
        let last: i64 = to
            .connection
            .prepare_cached("SELECT rowid FROM entry_text ORDER BY rowid DESC LIMIT 1")?
            .query_all(params![], |row| row.get(0))?
            .into_iter()
            .next()
            .unwrap_or(0);
        let sql = format!(
            "SELECT entry.id, source_id, content, packing FROM entry
             JOIN version ON version.entry = entry.id AND version.number = entry.version
             WHERE entry.id > ?1 ORDER BY entry.id LIMIT {WINDOW}"
        );
        let mut query = to.connection.prepare_cached(&sql)?;
        let mut rows = query.query([last])?;
        let mut found: Vec<(i64, String, Vec<u8>, Option<i64>)> = Vec::new();
        while let Some(row) = rows.next()? {
            found.push((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?));
        }
        for (entry, id, bytes, packing) in found {
            let content: Content = to.packing.borrow_mut().unpack(&to.connection, &bytes, packing)?;
            words.push(Words::of_fields(entry, &id, &content.fields));
        }
    }
    let transaction = to.connection.begin()?;
    keep_words(&transaction, &words)?;
    transaction.commit()?;
    Ok(words.len())
}

fn copy_head(from: &Connection, to: &Connection) -> Result<(), StoreError> {
    let head: (i64, Vec<u8>) =
        from.query_row("SELECT link, hash FROM chain_head", params![], |row| Ok((row.get(0)?, row.get(1)?)))?;
    to.execute("UPDATE chain_head SET link = ?1, hash = ?2", params![head.0, head.1])?;
    Ok(())
}

/// The last number that a table gave.
fn number_of(connection: &Connection, table: &str) -> Result<i64, StoreError> {
    let sql = match connection {
        Connection::File(_) => "SELECT seq FROM sqlite_sequence WHERE name = ?1",
        Connection::Server(_) => "SELECT last FROM number_given WHERE what = ?1",
    };
    let given: Vec<i64> = connection.prepare_cached(sql)?.query_all([table], |row| row.get(0))?;
    Ok(given.first().copied().unwrap_or(0))
}

fn keep_number(connection: &Connection, table: &str, last: i64) -> Result<(), StoreError> {
    match connection {
        Connection::File(_) => {
            connection.execute("DELETE FROM sqlite_sequence WHERE name = ?1", [table])?;
            connection.execute("INSERT INTO sqlite_sequence (name, seq) VALUES (?1, ?2)", params![table, last])?;
        }
        Connection::Server(_) => {
            connection.execute("UPDATE number_given SET last = ?2 WHERE what = ?1", params![table, last])?;
        }
    }
    Ok(())
}

/// How many rows a table has, and the fingerprint of them all.
pub(super) type Sum = (u64, String);

fn summed(connection: &Connection, table: &str, keys: &str) -> Result<Sum, StoreError> {
    let columns = columns_of(connection, table)?;
    let mut query =
        connection.prepare_cached(&format!("SELECT {} FROM {table} ORDER BY {keys}", columns.join(", ")))?;
    let mut rows = query.query(params![])?;
    let (mut count, mut hasher) = (0, blake3::Hasher::new());
    while let Some(row) = rows.next()? {
        count += 1;
        for value in values(row, columns.len())? {
            let (kind, bytes): (u8, Vec<u8>) = match value {
                Value::Null => (0, Vec::new()),
                Value::Integer(number) => (1, number.to_be_bytes().to_vec()),
                Value::Real(number) => (2, number.to_be_bytes().to_vec()),
                Value::Text(text) => (3, text.into_bytes()),
                Value::Blob(bytes) => (4, bytes),
            };
            hasher.update(&[kind]);
            hasher.update(&(bytes.len() as u64).to_be_bytes());
            hasher.update(&bytes);
        }
    }
    Ok((count, hasher.finalize().to_hex().to_string()))
}

impl Store {
    /// Moves everything to another place, which is empty or in which that was begun. What is here stays as it is. Nobody
    /// changes the store meanwhile. `told` hears of each table once it is there.
    ///
    /// # Errors
    /// Where the other place holds something, one of both fails, or they differ in the end; run again, it goes on.
    pub fn move_to(from: &StorePlace, to: &StorePlace, told: &mut dyn FnMut(&Moved)) -> Result<Vec<Moved>, StoreError> {
        let mut source = match from {
            StorePlace::File(file) => Store::open_alone(file)?.whole()?,
            StorePlace::Server { .. } => Store::open_for_change(from)?,
        };
        let mut target = Store::open_to_fill(to)?;
        // What others would change waits till the end.
        let still = Store::another(&source)?;
        for connection in [&source.connection, &still.connection, &target.connection] {
            take_time(connection)?;
        }
        let held = source.connection.begin()?;
        let moved = begin(&still, &mut target).and_then(|()| copy(&still, &mut target, told));
        drop(held);
        moved
    }

    /// A store that may be half filled.
    pub(super) fn open_to_fill(place: &StorePlace) -> Result<Store, StoreError> {
        match place {
            StorePlace::File(file) => Store::open_alone(file),
            StorePlace::Server { server, .. } => Store::connect_to_server(place, server),
        }
    }
}
