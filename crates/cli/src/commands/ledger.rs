//! `ledger`.

use clap::Args;
use diaporos_store::{LedgerFilter, LedgerRow};

use super::{address, lane};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet, Tint, one_line};

/// Show what was sent where, when, and what became of it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos ledger --most 20\n  diaporos ledger --entry catalogue/plant-profile/p-001\n  diaporos ledger --format jsonl > ledger.jsonl"
)]
pub(crate) struct Ledger {
    /// Only about this entry.
    #[arg(long, value_name = "ADDRESS")]
    entry: Option<String>,
    /// Only of this lane.
    #[arg(long, value_name = "LANE")]
    lane: Option<String>,
    /// Only of this run.
    #[arg(long, value_name = "N")]
    run: Option<i64>,
    /// Only what was not carried out.
    #[arg(long)]
    failed: bool,
    /// The newest so many; 50 in a table, and all in other formats, where not given.
    #[arg(long, value_name = "N")]
    most: Option<u32>,
}

const COLUMNS: &[Column] = &[
    Column::text("at", "at"),
    Column::number("run", "run"),
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("action", "action"),
    Column::text("result", "result"),
    Column::number("status", "status"),
    Column::text("id_there", "id there"),
    Column::text("request", "request"),
    Column::prose("message", "message"),
];

pub(crate) fn run(args: &Ledger, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if let Some(name) = &args.lane {
        lane(&config, name)?;
    }
    let store = Context::store(&config)?;
    let usual = (context.format == Format::Table).then_some(50);
    let filter = LedgerFilter {
        entry: args.entry.as_deref().map(address).transpose()?,
        lane: args.lane.clone(),
        run: args.run,
        failed: args.failed,
        most: args.most.or(usual),
    };
    let mut sheet = Sheet::new(context, COLUMNS);
    store.ledger(&filter, |row| -> Result<(), Failure> {
        sheet.row(cells(row, context));
        Ok(())
    })?;
    sheet.end("nothing of that kind was sent")?;
    Ok(Exit::Done)
}

/// Method and path: which host it was, the lane says.
fn without_host(request: &str) -> String {
    match request.split_once("://").and_then(|(before, rest)| Some((before, rest.split_once('/')?.1))) {
        Some((before, path)) => format!("{} /{path}", before.split(' ').next().unwrap_or_default()),
        None => request.to_owned(),
    }
}

fn cells(row: LedgerRow, context: &Context) -> Vec<Cell> {
    vec![
        Cell::moment(row.at, &context.zone),
        Cell { json: row.run.into(), shown: row.run.to_string(), tint: Tint::Faint },
        Cell::text(row.lane),
        Cell::text(row.address.to_string()),
        Cell::text(row.language),
        Cell::text(row.action),
        Cell::word(row.result.as_deref().unwrap_or("open")),
        row.status.map_or_else(Cell::nothing, |status| Cell::count(status.unsigned_abs())),
        Cell::maybe(row.id_there),
        Cell { shown: one_line(&without_host(&row.request)), ..Cell::text(row.request) }.tint(Tint::Faint),
        Cell::maybe(row.message),
    ]
}
