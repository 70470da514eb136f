//! What was delivered, what would be, and what is there now.

use std::io::Write;

use diaporos_core::value::{Address, Value, to_json};
use diaporos_hub::Connector;
use diaporos_hub::config::Config;
use diaporos_hub::three_way::{ThreeSides, three_way};
use diaporos_store::Store;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Tint, drawn_out, fields, one_line, words};

const SIDES: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("language", "lang"),
    Column::text("id_there", "id there"),
    Column::text("field", "field"),
    Column::text("end", "next push"),
    Column::prose("delivered", "delivered"),
    Column::prose("ours", "ours"),
    Column::prose("theirs", "theirs"),
];

/// Reads every destination that has the entry.
pub(super) async fn show(
    config: &Config,
    store: &Store,
    address: &Address,
    context: &Context,
) -> Result<Exit, Failure> {
    let connector = Connector::new(config, &Context::variable);
    let mut sheet = context.sheet(SIDES);
    // What others wrote is put on one line, so that the colours are ours.
    let mut out = drawn_out();
    let table = context.format == Format::Table;
    let mut documents = 0;
    for configured in config.lanes.values() {
        let lane = &configured.lane;
        if (&lane.from.system, &lane.from.kind) != (&address.system, &address.kind) {
            continue;
        }
        let writer = connector.writer(&lane.to.system)?;
        for document in three_way(store, configured, writer.as_ref(), address, Context::now()).await? {
            documents += 1;
            let language = document.language.as_ref().map(ToString::to_string);
            if table {
                let language = language.as_ref().map_or(String::new(), |tag| format!("  {tag}"));
                let is_there = if document.is_there { "" } else { ", which is not there any more" };
                writeln!(out, "{}{language}  {}{is_there}", lane.name, one_line(document.id.as_str()))?;
                if document.is_there && document.fields.is_empty() {
                    writeln!(out, "  all fields are there as they were delivered\n")?;
                }
            }
            for sides in document.fields {
                if table {
                    draw(&mut out, &sides, context.terminal.colour)?;
                } else {
                    let place = (lane.name.to_string(), language.clone(), document.id.to_string());
                    sheet.row(row(place, &sides));
                }
            }
        }
    }
    if documents == 0 && table {
        writeln!(out, "nothing of it was delivered anywhere yet")?;
    }
    out.flush()?;
    if !table {
        sheet.end("")?;
    }
    Ok(Exit::Done)
}

/// The three sides of a field, a line each.
fn draw(out: &mut impl Write, sides: &ThreeSides, colour: bool) -> std::io::Result<()> {
    let text = fields::value_text;
    let drawn = |value: &Value| words::draw(&text(&sides.delivered), &text(value), colour);
    writeln!(out, "  {}: {}", one_line(&sides.field), sides.end.word())?;
    writeln!(out, "    delivered  {}", one_line(&text(&sides.delivered)))?;
    writeln!(out, "    ours       {}", drawn(&sides.ours))?;
    writeln!(out, "    theirs     {}\n", drawn(&sides.theirs))
}

fn row((lane, language, id): (String, Option<String>, String), sides: &ThreeSides) -> Vec<Cell> {
    let cell = |value: &Value| Cell { json: to_json(value), ..Cell::text(fields::value_text(value)) };
    vec![
        Cell::text(lane),
        Cell::maybe(language),
        Cell::text(id),
        Cell::text(&sides.field),
        Cell::text(sides.end.word()).tint(Tint::Warn),
        cell(&sides.delivered),
        cell(&sides.ours),
        cell(&sides.theirs),
    ]
}
