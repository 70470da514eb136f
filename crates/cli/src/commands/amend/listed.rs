//! Amendments as a table: what was decided, and whether it counts.

use diaporos_core::lane::{Amend, Amendment, Counts};
use diaporos_core::value::{Address, Record, Value, to_json};
use diaporos_hub::config::{ConfiguredLane, NamedAmendments};
use serde_json::{Value as Json, json};

use crate::context::Context;
use crate::error::Failure;
use crate::output::fields::value_text;
use crate::output::{Cell, Column, one_line};

const COLUMNS: &[Column] = &[
    Column::text("name", "name"),
    Column::text("entry", "entry"),
    Column::text("field", "field"),
    Column::text("language", "lang"),
    Column::text("amended", "amended"),
    Column::prose("value", "value"),
    Column::text("lanes", "lanes"),
    Column::prose("counts", "counts"),
    Column::prose("why", "why"),
];

/// An amendment with its name, and what it comes to for the entry as it is.
pub(crate) struct Listed<'a> {
    pub(crate) name: &'a str,
    address: &'a Address,
    amendment: &'a Amendment,
    counts: &'static str,
}

/// The amendments of an entry, or of all; `fields` gives what the source has, where the entry is known.
pub(crate) fn listed<'a>(
    named: &'a NamedAmendments,
    of: Option<&Address>,
    mut fields: impl FnMut(&Address) -> Result<Option<Record>, Failure>,
) -> Result<Vec<Listed<'a>>, Failure> {
    let mut rows = Vec::new();
    for (name, (address, amendment)) in named.iter().filter(|(_, (address, _))| of.is_none_or(|of| of == address)) {
        let counts = match fields(address)? {
            None => "no: there is no such entry",
            Some(record) => match amendment.amended(record.get(&amendment.field).unwrap_or(&Value::Null)).0 {
                Counts::Yes => "yes",
                Counts::Already => "no: the source has it so",
                Counts::Over => "no: the source changed it since",
                Counts::Cannot => "no: the field is none that it can be done to",
            },
        };
        rows.push(Listed { name, address, amendment, counts });
    }
    Ok(rows)
}

fn parts(amendment: &Amendment) -> (&'static str, &Value) {
    match &amendment.amend {
        Amend::Set(value) => ("is", value),
        Amend::Add(value) => ("has too", value),
        Amend::Drop(value) => ("lacks", value),
    }
}

/// What people decided of an entry with these fields, as it counts on a lane; nothing where nothing does.
pub(crate) fn told(lane: &ConfiguredLane, address: &Address, fields: &Record) -> Option<String> {
    let own: Vec<&Amendment> = lane.amendments.of(address).iter().filter(|one| one.is_for(&lane.lane.name)).collect();
    let source = |one: &Amendment| fields.get(&one.field).unwrap_or(&Value::Null);
    let counts = own.into_iter().filter(|one| one.amended(source(one)).0 == Counts::Yes);
    let said = counts.map(|one| {
        let (word, value) = parts(one);
        let language = one.language.as_ref().map(|tag| format!("@{tag}")).unwrap_or_default();
        one_line(&format!("{}{language} {word} {}", one.field, value_text(value)))
    });
    let said: Vec<String> = said.collect();
    (!said.is_empty()).then(|| said.join("; "))
}

/// Draws them.
pub(crate) fn draw(rows: &[Listed<'_>], context: &Context) -> Result<(), Failure> {
    let mut sheet = context.sheet(COLUMNS);
    for Listed { name, address, amendment, counts } in rows {
        let (word, value) = parts(amendment);
        let lanes: Vec<&str> = amendment.lanes.iter().map(|lane| lane.as_str()).collect();
        sheet.row(vec![
            Cell::text(*name),
            Cell::text(address.to_string()),
            Cell::text(&amendment.field),
            Cell::maybe(amendment.language.as_ref().map(ToString::to_string)),
            Cell::word(word),
            Cell { json: to_json(value), ..Cell::text(value_text(value)) },
            Cell::text(if lanes.is_empty() { "all".to_owned() } else { lanes.join(", ") }),
            Cell::text(*counts),
            Cell::maybe(amendment.why.clone()),
        ]);
    }
    sheet.end("nothing is amended")?;
    Ok(())
}

/// One as JSON.
pub(crate) fn document(row: &Listed<'_>) -> Json {
    let (word, value) = parts(row.amendment);
    json!({
        "name": row.name,
        "field": row.amendment.field,
        "language": row.amendment.language.as_ref().map(ToString::to_string),
        "amended": word,
        "value": to_json(value),
        "lanes": row.amendment.lanes.iter().map(ToString::to_string).collect::<Vec<_>>(),
        "counts": row.counts,
        "why": row.amendment.why,
    })
}
