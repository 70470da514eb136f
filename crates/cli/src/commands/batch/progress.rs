//! `batch progress`.

use clap::Args;
use diaporos_hub::batch::{BatchProgress, progress, tallies};
use diaporos_store::{BatchStanding, UnitStanding};

use super::{agency, bar, batch};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Tint};

/// Ask agencies how far batches are, and show it beside what was accepted here. Ends with 3 where one is late.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos batch progress\n  diaporos batch progress plants-1")]
pub(crate) struct ProgressOf {
    /// The batches; all that are waited for where none is named.
    #[arg(value_name = "BATCH")]
    batches: Vec<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("batch", "batch"),
    Column::text("language", "language"),
    Column::text("standing", "standing"),
    Column::text("due", "due"),
    Column::text("late", "late"),
    Column::number("units", "units"),
    Column::number("words", "words"),
    Column::text("percent_there", "done there"),
    Column::number("accepted", "accepted"),
    Column::number("pending", "pending"),
    Column::number("rejected", "rejected"),
    Column::number("outdated", "outdated"),
    Column::text("percent", "words accepted"),
];

pub(crate) async fn run(args: &ProgressOf, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let names: Vec<String> = match args.batches.as_slice() {
        [] => {
            let waits =
                |standing| matches!(standing, BatchStanding::Made | BatchStanding::Sending | BatchStanding::Sent);
            let open = store.batches()?.into_iter().filter(|batch| waits(batch.standing));
            open.map(|batch| batch.name).collect()
        }
        names => names.to_vec(),
    };
    let mut sheet = context.sheet(COLUMNS);
    let mut exit = Exit::Done;
    for name in names {
        let (found, brief) = batch(&config, &store, &name)?;
        let is_named = !args.batches.is_empty();
        let (here, _) = tallies(&store, found.clone())?;
        if !is_named && here.is_done() {
            continue;
        }
        let asked = match agency(&config, brief, &found)? {
            Some(agency) if found.standing == BatchStanding::Sent && found.order_there.is_some() => {
                progress(&store, &agency, found).await.map_err(Failure::from)
            }
            _ => Ok(here.clone()),
        };
        let shown = asked.unwrap_or_else(|failure| {
            // What is known here is worth showing all the same.
            exit = context.report(&failure.about(&name));
            here
        });
        if exit == Exit::Done && shown.is_late(Context::now()) {
            exit = Exit::Partly;
        }
        rows(&shown, context).into_iter().for_each(|cells| sheet.row(cells));
    }
    sheet.end("nothing is waited for")?;
    Ok(exit)
}

fn rows(progress: &BatchProgress, context: &Context) -> Vec<Vec<Cell>> {
    let batch = &progress.batch;
    let is_late = progress.is_late(Context::now());
    let of = |tally: &diaporos_hub::batch::LanguageTally| {
        let late = is_late && tally.percent() < 100;
        let count = |standing| {
            let count = tally.units(standing);
            let tint = match standing {
                UnitStanding::Rejected if count > 0 => Tint::Bad,
                UnitStanding::Pending | UnitStanding::Outdated if count > 0 => Tint::Warn,
                _ => Cell::count(count).tint,
            };
            Cell::count(count).tint(tint)
        };
        vec![
            Cell::text(&batch.name),
            Cell::text(tally.language.to_string()),
            Cell::word(progress.word()),
            batch.due.map_or_else(Cell::nothing, |due| Cell::moment(due, &context.zone)),
            Cell { json: late.into(), ..if late { Cell::text("late").tint(Tint::Bad) } else { Cell::nothing() } },
            Cell::count(tally.all()),
            Cell::count(tally.words()),
            tally.there.map_or_else(Cell::nothing, |percent| bar(percent.into())),
            count(UnitStanding::Accepted),
            count(UnitStanding::Pending),
            count(UnitStanding::Rejected),
            count(UnitStanding::Outdated),
            bar(tally.percent()),
        ]
    };
    progress.languages.iter().map(of).collect()
}
