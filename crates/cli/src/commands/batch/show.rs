//! `batch show`.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use diaporos_core::text::{Cut, shorten};
use diaporos_hub::batch::write_page;
use diaporos_store::{BatchUnit, UnitStanding};

use super::{batch, language};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Tint, out};

/// Show the units of a batch: what they say, how they stand, and what is wrong with them.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch show plants-1\n  diaporos batch show plants-1 --into fr --rejected\n  diaporos batch show plants-1 --page handover"
)]
pub(crate) struct Show {
    /// The batch.
    #[arg(value_name = "BATCH")]
    batch: String,
    /// Only into this language.
    #[arg(long, value_name = "LANGUAGE")]
    into: Option<String>,
    /// Only those that were rejected, or whose text has changed since.
    #[arg(long)]
    rejected: bool,
    /// Write a page that shows the entries as they are read, with the ids of the units, into this folder.
    #[arg(long, value_name = "DIR", conflicts_with_all = ["into", "rejected"])]
    page: Option<PathBuf>,
}

const COLUMNS: &[Column] = &[
    Column::text("unit", "unit"),
    Column::text("language", "lang"),
    Column::text("name", "where"),
    Column::text("origin", "origin"),
    Column::text("standing", "standing"),
    Column::number("words", "words"),
    Column::prose("source", "source"),
    Column::prose("target", "translation"),
    Column::prose("reasons", "why"),
];

/// Units that are read together.
const TOGETHER: usize = 500;

pub(crate) fn run(args: &Show, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let Some(found) = store.batch(&args.batch)? else {
        // Says what there is.
        return batch(&config, &store, &args.batch).map(|_| Exit::Done);
    };
    if let Some(folder) = &args.page {
        let (_, brief) = batch(&config, &store, &args.batch)?;
        let file = write_page(&store, brief, &found, folder)?;
        let mut out = out();
        writeln!(out, "{}", file.display())?;
        out.flush()?;
        return Ok(Exit::Done);
    }
    let languages = match &args.into {
        Some(text) => vec![language(text, &found.into)?],
        None => found.into.clone(),
    };
    let mut sheet = context.sheet(COLUMNS);
    for tag in &languages {
        let mut after = 0;
        loop {
            let page = store.batch_units(found.number, tag, after, TOGETHER)?;
            let Some(last) = page.last() else { break };
            after = last.text;
            for unit in &page {
                if !args.rejected || matches!(unit.standing, UnitStanding::Rejected | UnitStanding::Outdated) {
                    sheet.row(cells(unit, context.format));
                }
            }
        }
    }
    sheet.end(if args.rejected { "nothing is rejected" } else { "it has no units" })?;
    Ok(Exit::Done)
}

fn cells(unit: &BatchUnit, format: Format) -> Vec<Cell> {
    let tint = match unit.standing {
        UnitStanding::Out => Tint::Plain,
        UnitStanding::Accepted => Tint::Good,
        UnitStanding::Rejected => Tint::Bad,
        UnitStanding::Pending | UnitStanding::Outdated => Tint::Warn,
    };
    let text = |coded| coded_text(coded, format);
    vec![
        Cell::text(unit.unit.id.to_string()),
        Cell::text(unit.language.to_string()),
        Cell::text(&unit.unit.name),
        Cell::text(unit.origin.word()),
        Cell::text(unit.standing.word()).tint(tint),
        Cell::count(unit.words),
        text(unit.unit.source.coded()),
        unit.target.as_ref().map_or_else(Cell::nothing, |target| text(target.coded())),
        Cell { shown: unit.reasons.join("; "), ..Cell::list(unit.reasons.clone()) },
    ]
}

/// A coded text: whole for programs, short for people.
pub(super) fn coded_text(coded: String, format: Format) -> Cell {
    let shown = if format == Format::Table { shorten(&coded, 60, Cut::Words) } else { coded.clone() };
    Cell { json: coded.into(), ..Cell::text(shown) }
}
