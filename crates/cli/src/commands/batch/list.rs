//! `batch list`.

use clap::Args;
use diaporos_hub::batch::{BatchProgress, tallies};
use diaporos_store::UnitStanding;

use super::bar;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Tint};

/// List batches, the newest first.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos batch list")]
pub(crate) struct List {}

const COLUMNS: &[Column] = &[
    Column::text("batch", "batch"),
    Column::text("standing", "standing"),
    Column::text("made", "made"),
    Column::text("due", "due"),
    Column::text("late", "late"),
    Column::text("into", "into"),
    Column::number("units", "units"),
    Column::number("words", "words"),
    Column::number("rejected", "rejected"),
    Column::text("percent", "words accepted"),
];

pub(crate) fn run(_: &List, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut sheet = context.sheet(COLUMNS);
    for batch in store.batches()? {
        let (progress, _) = tallies(&store, batch)?;
        sheet.row(cells(&progress, context));
    }
    sheet.end("no batches; `diaporos batch make BRIEF` makes one")?;
    Ok(Exit::Done)
}

fn cells(progress: &BatchProgress, context: &Context) -> Vec<Cell> {
    let BatchProgress { batch, languages } = progress;
    let sum = |of: &dyn Fn(&diaporos_hub::batch::LanguageTally) -> u64| languages.iter().map(of).sum::<u64>();
    let words = sum(&|tally| tally.words());
    let accepted = sum(&|tally| tally.by_standing.get(&UnitStanding::Accepted).map_or(0, |(_, words)| *words));
    let rejected = sum(&|tally| tally.units(UnitStanding::Rejected));
    let is_late = progress.is_late(Context::now());
    let late =
        Cell { json: is_late.into(), ..if is_late { Cell::text("late").tint(Tint::Bad) } else { Cell::nothing() } };
    vec![
        Cell::text(&batch.name),
        Cell::word(progress.word()),
        Cell::moment(batch.made, &context.zone),
        batch.due.map_or_else(Cell::nothing, |due| Cell::moment(due, &context.zone)),
        late,
        Cell::list(batch.into.iter().map(ToString::to_string).collect()),
        Cell::count(sum(&|tally| tally.all())),
        Cell::count(words),
        if rejected == 0 { Cell::count(0) } else { Cell::count(rejected).tint(Tint::Bad) },
        bar((accepted * 100).checked_div(words).unwrap_or(100)),
    ]
}
