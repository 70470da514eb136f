//! `holds`.

use std::io::Write;

use clap::Args;
use diaporos_hub::look::way_out;
use diaporos_store::HeldRow;

use super::{counted, lanes};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, drawn_out, moment, one_line};

/// List the entries that are kept back or failed, with the reason and the way out.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos holds\n  diaporos holds profiles --format csv")]
pub(crate) struct Holds {
    /// Only those of these lanes.
    #[arg(value_name = "LANE")]
    lanes: Vec<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::text("standing", "standing"),
    Column::text("reason", "reason"),
    Column::prose("message", "message"),
    Column::prose("way_out", "way out"),
    Column::text("since", "since"),
];

pub(crate) fn run(args: &Holds, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let wanted: Vec<&str> =
        lanes(&config, &args.lanes)?.into_iter().map(|configured| configured.lane.name.as_str()).collect();
    let mut count = 0;
    if context.format == Format::Table {
        let mut out = drawn_out();
        store.held(|row| -> Result<(), Failure> {
            if wanted.contains(&row.lane.as_str()) {
                count += 1;
                draw(&mut out, &row, context)?;
            }
            Ok(())
        })?;
        match count {
            0 => writeln!(out, "nothing is held")?,
            _ => writeln!(out, "{}", counted(count, "entry is held or failed", "entries are held or failed"))?,
        }
        out.flush()?;
        return Ok(Exit::Done);
    }
    let mut sheet = context.sheet(COLUMNS);
    store.held(|row| -> Result<(), Failure> {
        if wanted.contains(&row.lane.as_str()) {
            sheet.row(vec![
                Cell::text(&row.lane),
                Cell::text(row.address.to_string()),
                Cell::word(row.standing.word()),
                Cell::text(&row.reason),
                Cell::text(&row.message),
                Cell::text(way_out(&row)),
                Cell::moment(row.since, &context.zone),
            ]);
        }
        Ok(())
    })?;
    sheet.end("")?;
    Ok(Exit::Done)
}

fn draw(out: &mut dyn Write, row: &HeldRow, context: &Context) -> Result<(), Failure> {
    let bold = anstyle::Style::new().bold();
    let (on, off) = if context.terminal.colour {
        (bold.render().to_string(), bold.render_reset().to_string())
    } else {
        Default::default()
    };
    let since = moment(row.since, &context.zone);
    writeln!(out, "{on}{}{off}  {} on `{}` since {since}", row.address, row.standing.word(), row.lane)?;
    let reason = if row.reason == row.standing.word() { String::new() } else { format!("{}: ", row.reason) };
    for (place, part) in row.message.split("; ").enumerate() {
        let before = if place == 0 { format!("why   {reason}") } else { "      ".to_owned() };
        writeln!(out, "  {before}{}", one_line(part))?;
    }
    writeln!(out, "  next  {}\n", way_out(row))?;
    Ok(())
}
