//! `batch send`.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::batch::{Sent, Way, way, write_again};
use diaporos_hub::config::Brief;
use diaporos_store::{BatchRow, BatchStanding, Leased};

use super::{batch, unit_format};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, moment, out};

/// Send a batch to its agency, once whatever answers are lost; or put its files into a folder.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch send plants-1\n  diaporos batch send plants-1 --to handover --as po"
)]
pub(crate) struct Send {
    /// The batch.
    #[arg(value_name = "BATCH")]
    batch: String,
    /// Put the files into this folder, that others carry them; what comes back is then collected with
    /// `--from`. Of a batch that was sent, what is still out is written once more, and nothing is sent.
    #[arg(long, value_name = "DIR")]
    to: Option<PathBuf>,
    /// The format of the files: xliff-2.1, xliff-1.2, po or csv.
    #[arg(long = "as", value_name = "FORMAT", value_parser = unit_format)]
    file_format: Option<diaporos_core::translate::UnitFormat>,
}

const COLUMNS: &[Column] = &[
    Column::text("batch", "batch"),
    Column::text("outcome", "outcome"),
    Column::text("order_there", "order there"),
    Column::text("file", "file"),
];

pub(crate) async fn run(args: &Send, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_leased(&config, &[Leased::Batches], "batch send")?;
    let (mut batch, brief) = batch(&config, &store, &args.batch)?;
    let brief = &Brief { format: args.file_format.unwrap_or(brief.format), ..brief.clone() };
    if let (Some(folder), BatchStanding::Sent) = (&args.to, batch.standing) {
        let files = write_again(&store, brief, &batch, folder)?;
        return again(&batch.name, &files, context);
    }
    let way = match &args.to {
        Some(folder) => Way::Folder(folder.clone()),
        None => way(&config, &Connector::new(&config, &Context::variable), brief)?,
    };
    let sent = way.send(&mut store, brief, &mut batch, &Context::now).await?;
    let (outcome, order, files): (&str, Option<&String>, Vec<PathBuf>) = match &sent {
        Sent::Ordered { order, .. } => ("ordered", Some(order), Vec::new()),
        Sent::Found { order } => ("was ordered", Some(order), Vec::new()),
        Sent::Already(_) => ("sent before", batch.order_there.as_ref(), Vec::new()),
        Sent::Written(files) => ("written", None, files.clone()),
    };
    if context.format == Format::Table {
        return told(&sent, &batch, context);
    }
    let mut sheet = context.sheet(COLUMNS);
    let files: Vec<Option<String>> = match files.as_slice() {
        [] => vec![None],
        files => files.iter().map(|file| Some(file.display().to_string())).collect(),
    };
    for file in files {
        sheet.row(vec![Cell::text(&batch.name), Cell::word(outcome), Cell::maybe(order.cloned()), Cell::maybe(file)]);
    }
    sheet.end("")?;
    Ok(Exit::Done)
}

/// Says what became of it.
fn told(sent: &Sent, batch: &BatchRow, context: &Context) -> Result<Exit, Failure> {
    let mut out = out();
    match sent {
        Sent::Ordered { order, files } => writeln!(
            out,
            "`{}` is ordered: the agency calls it {order}, with {}",
            batch.name,
            crate::commands::counted(*files as u64, "file", "files")
        )?,
        Sent::Found { order } => writeln!(
            out,
            "`{}` is ordered: the answer was lost, and the agency has the order {order}; nothing was ordered twice",
            batch.name
        )?,
        Sent::Already(at) => {
            writeln!(out, "`{}` was sent at {}; nothing was done", batch.name, moment(*at, &context.zone))?;
        }
        Sent::Written(files) => {
            for file in files {
                writeln!(out, "{}", file.display())?;
            }
            writeln!(
                out,
                "Hand these over; put what comes back into `back` beside `out`, and `diaporos batch collect`"
            )?;
        }
    }
    out.flush()?;
    Ok(Exit::Done)
}

/// Says which files of a batch that was sent were written once more.
fn again(name: &str, files: &[PathBuf], context: &Context) -> Result<Exit, Failure> {
    if context.format != Format::Table {
        let mut sheet = context.sheet(COLUMNS);
        for file in files {
            let file = Cell::text(file.display().to_string());
            sheet.row(vec![Cell::text(name), Cell::word("written again"), Cell::nothing(), file]);
        }
        sheet.end("")?;
        return Ok(Exit::Done);
    }
    let mut out = out();
    files.iter().try_for_each(|file| writeln!(out, "{}", file.display()))?;
    let told = if files.is_empty() { "nothing of it is out any more" } else { "this is what of it is still out" };
    writeln!(out, "`{name}` was sent before: {told}; nothing was sent")?;
    out.flush()?;
    Ok(Exit::Done)
}
