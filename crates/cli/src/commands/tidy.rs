//! `tidy`.

use clap::Args;
use diaporos_hub::tidy::{How, tidy};

use super::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::{Cell, Column, Summary};

/// Take out what is no longer needed: old versions, entries long gone, old rows of the ledger.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos tidy --dry-run\n  diaporos tidy\n\nThe table `[keep]` says how long what is kept; without it, everything is. What settling, merging or translating still needs is never taken out. `serve` does it every day in small steps; the file itself shrinks here alone."
)]
pub(crate) struct Tidy {
    /// Count and take nothing out.
    #[arg(long)]
    dry_run: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("what", "what"),
    Column::text("type", "of"),
    Column::text("before", "from before"),
    Column::number("rows", "rows"),
];

pub(crate) async fn run(args: &Tidy, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_for_change(&config)?;
    let interrupt = Interrupt::listen();
    let who = Context::who();
    let how = if args.dry_run { How::Counted } else { How::Done(&who) };
    let rows = tidy(&config, &mut store, how, Context::now(), &|| interrupt.is_asked())?;
    let (before, empty) = store.size()?;
    // Writing the file anew costs as much as it holds.
    if !args.dry_run && empty > before / 10 {
        store.shrink()?;
    }
    let (after, _) = store.size()?;
    let mut sheet = context.sheet(COLUMNS).within("rows");
    for row in &rows {
        sheet.row(vec![
            Cell::text(row.what),
            Cell::maybe(row.of.as_ref().map(ToString::to_string)),
            Cell::moment(row.before, &context.zone),
            Cell::count(row.rows),
        ]);
    }
    let all: u64 = rows.iter().map(|row| row.rows).sum();
    let sentence = match (rows.is_empty(), args.dry_run) {
        (true, _) => "everything is kept; to keep less, add a table `[keep]`, as in `versions = \"90d\"`".to_owned(),
        (false, true) => format!("Dry run: {} would be taken out", counted(all, "row", "rows")),
        (false, false) => {
            let shrunk = before.saturating_sub(after) / 1_000;
            format!(
                "{} taken out; the file has {} kB, {shrunk} less",
                counted(all, "row was", "rows were"),
                after / 1_000
            )
        }
    };
    let counts = [("taken_out", if args.dry_run { 0 } else { all }), ("bytes", after)];
    let counts = counts.into_iter().map(|(name, count)| (name.to_owned(), count.into())).collect();
    sheet.end_with(Summary { counts, sentence })?;
    Ok(Exit::Done)
}
