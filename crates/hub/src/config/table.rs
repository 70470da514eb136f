//! Tables to look values up in, inline or from CSV (RFC 4180).

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Span};
use diaporos_core::expr::library::{Otherwise, Table};
use diaporos_core::expr::types::Type;
use diaporos_core::settings;
use diaporos_core::settings::forms::{ANY_VALUES, FILE};
use diaporos_core::settings::{Form, Section, Table as Settings, words};
use diaporos_core::value::{Record, Value};
use diaporos_systems::settings::path::within;
use indexmap::IndexMap;

/// The most bytes of a table's file.
const LARGEST: u64 = 16 << 20;

/// A table to look values up in.
pub(super) static LOOKUP_TABLE: Settings = Settings {
    name: "table to look up in",
    one_of: &[&["file", "rows"], &["otherwise", "unknown"]],
    needs: &[],
    groups: &[settings![
        file: FILE, none, "a CSV file (RFC 4180): the first column is the key, a second one the value; of several others a row is a record", "tables/sections.csv";
        rows: ANY_VALUES, none, "instead of a file: the values by key", "{ bog = \"Wetlands\" }";
        otherwise: Form::Anything, none, "what a key gives that has no row", "\"Garden\"";
        unknown: Form::Word { what: "what can become of a key without a row", of: || words(&UNKNOWN) }, none, "instead of `otherwise`: such a key gives nothing, or its entry is held", "hold";
    ]],
};
/// What becomes of a key without a row, where no value does.
const UNKNOWN: [(&str, Otherwise); 2] = [("null", Otherwise::Null), ("hold", Otherwise::Hold)];

/// Reads the tables; the names of faulty ones are noted.
pub(super) fn tables(
    file: &mut Section<'_>,
    folder: &Path,
    faulty: &mut BTreeSet<String>,
    report: &mut Report,
) -> IndexMap<String, Arc<Table>> {
    let mut tables = IndexMap::new();
    let Some(mut section) = file.section("tables", report) else { return tables };
    for name in section.names() {
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let read = table_of(&name.value, &mut table, folder, report);
        table.finish(report);
        match read {
            Some(read) => drop(tables.insert(name.value, Arc::new(read))),
            None => drop(faulty.insert(name.value)),
        }
    }
    tables
}

fn table_of(name: &str, table: &mut Section<'_>, folder: &Path, report: &mut Report) -> Option<Table> {
    let span = table.span();
    let wrong = |span: Span, message: String| Diagnostic::error(Code::Table, span, message);
    let file = table.text("file", report);
    let inline = table.value("rows");
    let otherwise = table.value("otherwise").map(|item| Otherwise::Value(item.value));
    let has_unknown = table.has("unknown");
    let unknown = table.word("unknown", &UNKNOWN, report);
    if has_unknown && unknown.is_none() {
        return None;
    }
    let rows = match (file, inline) {
        (Some(item), None) => match read_csv(folder, item.value.as_str()) {
            Ok(rows) => rows,
            Err(message) => {
                report.add(wrong(item.span, message));
                return None;
            }
        },
        (None, Some(item)) => match item.value {
            Value::Record(rows) => rows,
            _ => {
                report.add(wrong(item.span, format!("`{}.rows` must be a table", table.path())));
                return None;
            }
        },
        (Some(_), Some(item)) => {
            report.add(wrong(item.span, "a table has `rows` or a `file`, not both".to_owned()));
            return None;
        }
        (None, None) => {
            let finding = wrong(span, format!("`{}` has neither `rows` nor a `file`", table.path()));
            report.add(finding.help("write `rows = { bog = \"Wetlands\" }`, or `file = \"tables/sections.csv\"`"));
            return None;
        }
    };
    let otherwise = match (otherwise, unknown) {
        (Some(value), None) => value,
        (None, Some(unknown)) => unknown,
        (given, _) => {
            let message = format!("`{}` must say what an unknown key gives", table.path());
            let message =
                if given.is_some() { "`otherwise` and `unknown` exclude each other".to_owned() } else { message };
            let help = "write `otherwise = \"Garden\"` for a value, or `unknown = \"null\"` or `\"hold\"`";
            report.add(wrong(span, message).help(help));
            return None;
        }
    };
    let holds = Type::of_all(rows.values().map(Type::of));
    Some(Table { name: name.to_owned(), rows, otherwise, holds })
}

/// The first column is the key; a second one the value, and of several the row is a record.
fn read_csv(folder: &Path, name: &str) -> Result<Record, String> {
    let path = within(folder, name).map_err(|fault| format!("`{name}` {fault}"))?;
    let size = std::fs::metadata(&path).map_err(|error| format!("`{name}` cannot be read: {error}"))?.len();
    if size > LARGEST {
        return Err(format!("`{name}` has {size} bytes; at most {LARGEST} are read"));
    }
    let text = std::fs::read_to_string(&path).map_err(|error| format!("`{name}` cannot be read: {error}"))?;
    rows_of(name, text.trim_start_matches('\u{feff}'))
}

fn rows_of(name: &str, text: &str) -> Result<Record, String> {
    let separator =
        if text.lines().next().is_some_and(|line| line.contains(';') && !line.contains(',')) { b';' } else { b',' };
    let mut reader = csv::ReaderBuilder::new().delimiter(separator).from_reader(text.as_bytes());
    let headings = reader.headers().map_err(|error| format!("`{name}` is not CSV: {error}"))?.clone();
    if headings.len() < 2 {
        return Err(format!("`{name}` needs a heading and at least two columns: the key, and what it gives"));
    }
    let mut rows = Record::default();
    for row in reader.records() {
        let row = row.map_err(|error| format!("`{name}` is not CSV: {error}"))?;
        let line = row.position().map_or(0, csv::Position::line);
        let Some(key) = row.get(0).filter(|key| !key.is_empty()) else {
            return Err(format!("`{name}`, line {line}: the key is empty"));
        };
        let value = if headings.len() == 2 {
            row.get(1).unwrap_or_default().into()
        } else {
            let cells = headings.iter().zip(&row).skip(1);
            Value::Record(cells.map(|(heading, cell)| (heading.to_owned(), cell.into())).collect())
        };
        if rows.insert(key.to_owned(), value).is_some() {
            return Err(format!("`{name}`, line {line}: the key `{key}` stands there twice"));
        }
    }
    Ok(rows)
}
