//! `alerts`.

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::alerts::{AlertKind, Surroundings, conditions, gather};
use diaporos_store::AlertRow;
use jiff::SignedDuration;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Tint, one_line};

/// List what is out of order: quiet sources, failures in a row, what is held or late too long.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos alerts\n  diaporos alerts --closed --format json\n\nEnds with 3 where an alert is open, so that a scheduled run notices. `serve` keeps since when each is open; without it, what is so now is listed."
)]
pub(crate) struct Alerts {
    /// Those of the last thirty days too that are over.
    #[arg(long)]
    closed: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("alert", "alert"),
    Column::text("subject", "subject"),
    Column::text("opened", "since"),
    Column::text("closed", "over"),
    Column::prose("message", "what"),
    Column::prose("way_out", "what to do"),
];

const SHOWN: SignedDuration = SignedDuration::from_hours(24 * 30);

pub(crate) fn run(args: &Alerts, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let now = Context::now();
    let kept = store.alerts(args.closed.then(|| now - SHOWN))?;
    let around = Surroundings::of(&config, &Connector::new(&config, &Context::variable));
    let facts = gather(&config, &store, &around, now)?;
    let mut sheet = context.sheet(COLUMNS);
    let mut open = 0;
    for one in conditions(&config, &facts, now) {
        let is_same = |row: &&AlertRow| row.closed.is_none() && row.kind == one.kind && row.subject == one.subject;
        let opened = kept.iter().find(is_same).map_or(now, |row| row.opened);
        let (kind, subject, message) = (one.kind.to_owned(), one.subject, one.message);
        sheet.row(cells(&AlertRow { kind, subject, message, opened, closed: None }, context));
        open += 1;
    }
    kept.iter().filter(|row| row.closed.is_some()).for_each(|row| sheet.row(cells(row, context)));
    sheet.end("no alert is open")?;
    Ok(if open > 0 { Exit::Partly } else { Exit::Done })
}

fn cells(row: &AlertRow, context: &Context) -> Vec<Cell> {
    let tint = if row.closed.is_some() { Tint::Faint } else { Tint::Bad };
    vec![
        Cell::text(&row.kind).tint(tint),
        Cell::text(&row.subject),
        Cell::moment(row.opened, &context.zone),
        row.closed.map_or_else(Cell::nothing, |closed| Cell::moment(closed, &context.zone)),
        Cell::text(one_line(&row.message)),
        row.closed.map_or_else(|| Cell::text(AlertKind::way_out(&row.kind, &row.subject)), |_| Cell::nothing()),
    ]
}
