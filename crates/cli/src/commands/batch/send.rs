//! `batch send`.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::batch::{Carrying, MachineTally, Quoted, Sending, Sent, write_again};
use diaporos_hub::config::Brief;
use diaporos_store::{BatchRow, BatchStanding, Leased};

use serde_json::{Map, Value as Json, json};

use super::{batch, unit_format};
use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Summary, moment, one_line, out};

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
    /// Do not ask the machine of the brief; what it gave before stands in the files.
    #[arg(long)]
    without_machine: bool,
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
    let connector = Connector::new(&config, &Context::variable);
    let carrying = match &args.to {
        Some(folder) => Carrying::to_folder(folder.clone()),
        None => Carrying::of(&config, &connector, (brief, &batch))?,
    };
    let carrying = if args.without_machine { carrying } else { carrying.asking(&connector, brief)? };
    let Sending { sent, machine, quoted } = carrying.send(&mut store, brief, &mut batch, &Context::now).await?;
    let (outcome, order, files): (&str, Option<&String>, Vec<PathBuf>) = match &sent {
        Sent::Ordered { order, .. } => ("ordered", Some(order), Vec::new()),
        Sent::Found { order } => ("was ordered", Some(order), Vec::new()),
        Sent::Already(_) => ("sent before", batch.order_there.as_ref(), Vec::new()),
        Sent::Written(files) => ("written", None, files.clone()),
        Sent::InHouse => ("in house", None, Vec::new()),
    };
    if context.format == Format::Table {
        machine_told(machine.as_ref())?;
        told(&sent, &batch, context)?;
        return quote_told(quoted.as_ref(), &batch.name);
    }
    let mut sheet = context.sheet(COLUMNS).within("files");
    let files: Vec<Option<String>> = match files.as_slice() {
        [] => vec![None],
        files => files.iter().map(|file| Some(file.display().to_string())).collect(),
    };
    for file in files {
        sheet.row(vec![Cell::text(&batch.name), Cell::word(outcome), Cell::maybe(order.cloned()), Cell::maybe(file)]);
    }
    let machine = machine.map(|tally| {
        let without = tally.without.1.iter().map(|(text, why)| json!({ "text": text, "why": why }));
        json!({
            "asked": tally.asked, "characters": tally.characters, "known": tally.known, "without": tally.without.0,
            "price": tally.price.map(|price| price.to_string()), "texts": without.collect::<Vec<_>>(),
        })
    });
    let counts = [("machine", json!(machine)), ("quote", quote_json(quoted.as_ref()))];
    let counts = counts.map(|(name, json)| (name.to_owned(), json)).into_iter().collect();
    sheet.end_with(Summary { counts, sentence: String::new() })?;
    Ok(quote_exit(quoted.as_ref()))
}

/// How it stands with the agency's price.
fn quote_json(quoted: Option<&Quoted>) -> Json {
    match quoted {
        None => Json::Null,
        Some(Quoted::Waiting) => json!({ "standing": "waiting", "price": null }),
        Some(Quoted::Asked(price)) => json!({ "standing": "asked", "price": price }),
        Some(Quoted::Accepted(price)) => json!({ "standing": "accepted", "price": price }),
    }
}

/// What waits for a person, or the agency, is not done.
pub(super) fn quote_exit(quoted: Option<&Quoted>) -> Exit {
    match quoted {
        None | Some(Quoted::Accepted(_)) => Exit::Done,
        Some(Quoted::Waiting | Quoted::Asked(_)) => Exit::Partly,
    }
}

/// Says what a machine was asked, and of what it made nothing.
fn machine_told(tally: Option<&MachineTally>) -> Result<(), Failure> {
    let Some(MachineTally { asked, characters, known, without, price }) = tally else { return Ok(()) };
    let mut out = out();
    let mut parts = vec![format!("it was asked about {}", counted(*asked, "text", "texts"))];
    if *asked > 0 {
        let price = price.as_ref().map(|price| format!(", {price}")).unwrap_or_default();
        parts.push(format!("of {}{price}", counted(*characters, "character", "characters")));
    }
    let known = if *known > 0 { format!("; of {known} it is known from before") } else { String::new() };
    writeln!(out, "The machine: {}{known}", parts.join(" "))?;
    for (text, why) in &without.1 {
        writeln!(out, "  without it: {text}: {}", one_line(why))?;
    }
    let more = without.0.saturating_sub(without.1.len() as u64);
    if more > 0 {
        writeln!(out, "  and {more} more texts without it")?;
    }
    Ok(out.flush()?)
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
        Sent::InHouse => writeln!(
            out,
            "`{0}` stays in the house: `diaporos batch collect {0}` checks what the machine made, and `diaporos batch review {0}` takes what a person decides",
            batch.name
        )?,
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

/// Says how it stands with the agency's price: what is asked waits for a person.
pub(super) fn quote_told(quoted: Option<&Quoted>, batch: &str) -> Result<Exit, Failure> {
    let mut out = out();
    match quoted {
        None => return Ok(Exit::Done),
        Some(Quoted::Waiting) => {
            writeln!(out, "The agency has not said its price yet: `diaporos batch quote {batch}` asks again")?;
        }
        Some(Quoted::Asked(price)) => {
            let amount = price.rsplit(' ').next().unwrap_or_default();
            writeln!(out, "The agency asks {price}, and begins once that is accepted")?;
            writeln!(
                out,
                "next: `diaporos batch quote {batch} --accept {amount}`, or `diaporos batch cancel {batch}`"
            )?;
        }
        Some(Quoted::Accepted(price)) => writeln!(out, "The agency's price is accepted: {price}")?,
    }
    out.flush()?;
    Ok(quote_exit(quoted))
}

/// Says which files of a batch that was sent were written once more.
fn again(name: &str, files: &[PathBuf], context: &Context) -> Result<Exit, Failure> {
    if context.format != Format::Table {
        let mut sheet = context.sheet(COLUMNS).within("files");
        for file in files {
            let file = Cell::text(file.display().to_string());
            sheet.row(vec![Cell::text(name), Cell::word("written again"), Cell::nothing(), file]);
        }
        sheet.end_with(Summary {
            counts: Map::from_iter([("machine".to_owned(), Json::Null)]),
            sentence: String::new(),
        })?;
        return Ok(Exit::Done);
    }
    let mut out = out();
    files.iter().try_for_each(|file| writeln!(out, "{}", file.display()))?;
    let told = if files.is_empty() { "nothing of it is out any more" } else { "this is what of it is still out" };
    writeln!(out, "`{name}` was sent before: {told}; nothing was sent")?;
    out.flush()?;
    Ok(Exit::Done)
}
