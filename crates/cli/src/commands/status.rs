//! `status`.

use std::io::Write;

use clap::Args;
use diaporos_hub::look::status;
use diaporos_store::Standing;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet};

/// Show how the entries of each lane stand at its destination.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  diaporos status\n\ndelivered  the destination has what it should have\nowed       something changed; the next push looks at it\nheld       kept back: `diaporos holds` says why and what to do\nfailed     the last try failed; the next push tries again\nwithdrawn  was there, and is taken off view\noutside    does not go on this lane"
)]
pub(crate) struct Status {}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("from", "from"),
    Column::text("to", "to"),
    Column::number("delivered", "delivered"),
    Column::number("owed", "owed"),
    Column::number("held", "held"),
    Column::number("failed", "failed"),
    Column::number("withdrawn", "withdrawn"),
    Column::number("outside", "outside"),
    Column::number("in_doubt", "in doubt"),
];

const STANDINGS: [Standing; 6] =
    [Standing::Delivered, Standing::Owed, Standing::Held, Standing::Failed, Standing::Withdrawn, Standing::Outside];

pub(crate) fn run(_: &Status, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut sheet = Sheet::new(context, COLUMNS);
    let mut anew = Vec::new();
    for (configured, counts) in status(&config, &store)? {
        let lane = &configured.lane;
        let mut cells =
            vec![Cell::text(lane.name.to_string()), Cell::text(lane.from.to_string()), Cell::text(lane.to.to_string())];
        for standing in STANDINGS {
            let count = counts.as_ref().map(|counts| counts.get(&standing).copied().unwrap_or_default());
            cells.push(
                count
                    .map_or_else(|| Cell { shown: "?".to_owned(), ..Cell::nothing() }, |count| tinted(count, standing)),
            );
        }
        cells.push(if counts.is_some() { Cell::count(store.count_in_doubt(&lane.name)?) } else { Cell::count(0) });
        if counts.is_none() {
            anew.push(lane.name.to_string());
        }
        sheet.row(cells);
    }
    sheet.end("no lanes; add a table `[lanes.NAME]` to diaporos.toml")?;
    if !anew.is_empty() && context.format == Format::Table {
        writeln!(
            Context::out(),
            "\n?  new, or changed since the last pull or push: the next push looks at all its entries: {}",
            anew.join(", ")
        )?;
    }
    Ok(Exit::Done)
}

fn tinted(count: u64, standing: Standing) -> Cell {
    let cell = Cell::count(count);
    if count == 0 { cell } else { cell.tint(crate::output::Tint::of(standing.word())) }
}
