//! What the destination holds now beside what an entry becomes, word by word.

use std::io::Write;

use diaporos_core::value::{Value, to_json};
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::preview::held_there;
use diaporos_hub::push::EntryPlan;
use diaporos_systems::Write as SystemWrite;

use super::language;
use crate::context::Context;
use crate::error::Failure;
use crate::output::{Cell, Column, Format, drawn_out, fields, one_line, words};

const DIFFERENCES: &[Column] = &[
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("id_there", "id there"),
    Column::text("field", "field"),
    Column::prose("there", "there"),
    Column::prose("ours", "ours"),
];

pub(super) async fn show(
    plans: &[EntryPlan],
    lane: &ConfiguredLane,
    writer: &dyn SystemWrite,
    context: &Context,
) -> Result<(), Failure> {
    let mut sheet = context.sheet(DIFFERENCES);
    // What others wrote is put on one line, so that the colours are ours.
    let mut out = drawn_out();
    let table = context.format == Format::Table;
    for (place, plan) in plans.iter().enumerate() {
        if table {
            if place > 0 {
                writeln!(out)?;
            }
            writeln!(out, "{} → {}", one_line(&plan.address.to_string()), lane.lane.to)?;
        }
        if let Some(hold) = plan.hold.as_ref().filter(|_| table) {
            writeln!(out, "  held, {}: {}", hold.reason.word(), one_line(&hold.message))?;
        }
        for (document, there) in held_there(plan, lane, writer).await? {
            let Some(ours) = &document.document else { continue };
            let id = there.as_ref().map(|there| there.id.to_string());
            if table {
                let language = document.language.as_ref().map_or(String::new(), |tag| format!("{tag}  "));
                let holds = id.as_ref().map_or("nothing there yet".to_owned(), |id| format!("{} there", one_line(id)));
                writeln!(out, "\n  {language}{holds}")?;
            }
            let mut same = 0;
            let widest = ours.fields.keys().map(|name| name.chars().count()).max().unwrap_or(0);
            for (name, value) in &ours.fields {
                let held = there.as_ref().and_then(|there| there.fields.get(name)).unwrap_or(&Value::Null);
                if held == value || (held.is_null() && value.is_null()) {
                    same += 1;
                } else if table {
                    let drawn = words::draw(&text(held), &text(value), context.terminal.colour);
                    writeln!(out, "    {:widest$}  {drawn}", one_line(name))?;
                } else {
                    let (address, language) = (plan.address.to_string(), language(document));
                    let of = vec![Cell::text(address), Cell::text(language), Cell::maybe(id.clone())];
                    sheet.row(difference(of, name, held, value));
                }
            }
            if table && same > 0 {
                let all = same == ours.fields.len();
                let what = if all { "all fields are as they should be" } else { "other fields are the same" };
                writeln!(out, "    {what}")?;
            }
        }
    }
    out.flush()?;
    if table { Ok(()) } else { sheet.end("the destination holds what it should") }
}

/// A field that differs, as a row, after the cells that say of which document.
fn difference(mut of: Vec<Cell>, name: &str, held: &Value, value: &Value) -> Vec<Cell> {
    of.push(Cell::text(name));
    of.extend([held, value].map(|value| Cell { json: to_json(value), ..Cell::text(text(value)) }));
    of
}

fn text(value: &Value) -> String {
    fields::value_text(value)
}
