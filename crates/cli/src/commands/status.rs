//! `status`.

mod matrix;
mod sources;

use std::io::Write;

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_hub::look::status;
use diaporos_hub::push::{NewWords, Part, Push, PushOptions, PushRow};
use diaporos_store::{Counts, Standing, Store};

use super::selection::Selection;
use super::{counted, lanes};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::{Cell, Column, Format, Summary, note, out};

/// Show when sources were pulled, and how the entries of each lane stand at its destination.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos status\n  diaporos status --verify profiles\n  diaporos status --entries --type plant-profile --where '\"public\" in tags'\n\ndelivered  the destination has what it should have\nowed       something changed; the next push looks at it\nheld       kept back: `diaporos holds` says why and what to do\nfailed     the last try failed; the next push tries again\nwithdrawn  was there, and is taken off view\noutside    does not go on this lane"
)]
pub(crate) struct Status {
    /// Read every document that is there, and list those that somebody else changed or deleted.
    #[arg(long)]
    verify: bool,
    /// List entries, a column a lane: how each stands there, and since when.
    #[arg(long, conflicts_with = "verify")]
    entries: bool,
    #[command(flatten)]
    which: Selection,
    /// At most so many entries; 100 in a table, and all in other formats, where not given.
    #[arg(long, value_name = "N", requires = "entries")]
    most: Option<usize>,
    /// The lanes to verify; all where none is named.
    #[arg(value_name = "LANE", requires = "verify")]
    lanes: Vec<String>,
}

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

pub(crate) async fn run(args: &Status, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if args.verify {
        return verify(&config, &args.lanes, context).await;
    }
    if args.entries {
        return matrix::run(&args.which, args.most, &config, context);
    }
    if args.which != Selection::default() {
        return Err(Failure::wrong("which entries are meant is said beside `--entries`"));
    }
    let store = Context::store(&config)?;
    let now = Context::now();
    let beside = sources::Beside::of(&config, &store, now)?;
    if context.format == Format::Table {
        beside.print(context)?;
    }
    let mut sheet = context.sheet(COLUMNS).within("lanes");
    let mut anew = Vec::new();
    for (configured, counts) in status(&config, &store)? {
        let lane = &configured.lane;
        if counts.is_none() {
            anew.push(lane.name.to_string());
        }
        sheet.row(cells(configured, counts.as_ref(), &store)?);
    }
    if sheet.rows() == 0 && context.format == Format::Table {
        sheet.end("no lanes; add a table `[lanes.NAME]` to diaporos.toml")?;
    } else {
        sheet.end_with(Summary { counts: beside.counts(), sentence: beside.sentence(context) })?;
    }
    for left in super::lane::left_lanes(&store, &config)? {
        note(&super::lane::told_of(&left));
    }
    if !anew.is_empty() && context.format == Format::Table {
        writeln!(
            out(),
            "\n?  new, or changed since the last pull or push: the next push looks at all its entries: {}",
            anew.join(", ")
        )?;
    }
    Ok(Exit::Done)
}

/// A row of a lane.
fn cells(configured: &ConfiguredLane, counts: Option<&Counts>, store: &Store) -> Result<Vec<Cell>, Failure> {
    let lane = &configured.lane;
    let mut cells =
        vec![Cell::text(lane.name.to_string()), Cell::text(lane.from.to_string()), Cell::text(lane.to.to_string())];
    for standing in STANDINGS {
        let count = counts.map(|counts| counts.get(&standing).copied().unwrap_or_default());
        let unknown = || Cell { shown: "?".to_owned(), ..Cell::nothing() };
        cells.push(count.map_or_else(unknown, |count| tinted(count, standing)));
    }
    cells.push(if counts.is_some() { Cell::count(store.count_in_doubt(&lane.name)?) } else { Cell::count(0) });
    Ok(cells)
}

const DRIFTED: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("id_there", "id there"),
    Column::text("step", "next push"),
    Column::prose("message", "why"),
];

/// Reads what is there, and says what a push that verifies would make of it. Nothing is sent or noted.
async fn verify(config: &Config, names: &[String], context: &Context) -> Result<Exit, Failure> {
    let connector = Connector::new(config, &Context::variable);
    let mut store = Context::store_for_change(config)?;
    let mut progress = context.progress();
    let mut sheet = context.sheet(DRIFTED).within("documents").around(progress.bar());
    let interrupt = Interrupt::listen();
    let (mut read, mut drifted) = (0, 0);
    for lane in lanes(config, names)? {
        let writer = connector.writer(&lane.lane.to.system)?;
        let services = connector.services(std::iter::once(lane))?;
        let mut push = Push {
            part: Part::Whole,
            chosen: None,
            store: &mut store,
            lane,
            writer: writer.as_ref(),
            run: 0,
            later: &[],
            services: &services,
            words: &mut NewWords::new(),
            clock: &Context::now,
            stop: &|| interrupt.is_asked(),
        };
        let options = PushOptions { dry_run: true, verify: true, ..PushOptions::default() };
        let mut rows = Vec::new();
        let (tally, end) = push.run(options, &mut progress, &mut |row| rows.push(row)).await;
        end?;
        read += tally.unchanged + tally.updated + tally.held;
        for row in rows.into_iter().filter(PushRow::tells_drift) {
            drifted += 1;
            sheet.row(vec![
                Cell::text(lane.lane.name.to_string()),
                Cell::text(row.address.to_string()),
                Cell::maybe(row.language.map(|tag| tag.to_string())),
                Cell::maybe(row.id_there),
                Cell::word(row.step),
                Cell::maybe(row.message),
            ]);
        }
    }
    progress.clear();
    let entries = counted(read, "entry", "entries");
    let sentence = match drifted {
        0 => format!("{entries} looked at: everything is there as it was delivered"),
        _ => format!(
            "{entries} looked at: {} changed there by somebody else\n`push --verify` does what is said here; `show ADDRESS --three-way` shows the fields",
            counted(drifted, "document was", "documents were")
        ),
    };
    let counts = [("looked_at".to_owned(), read.into()), ("drifted".to_owned(), drifted.into())].into_iter().collect();
    sheet.end_with(Summary { counts, sentence })?;
    Ok(if drifted > 0 { Exit::Partly } else { Exit::Done })
}

fn tinted(count: u64, standing: Standing) -> Cell {
    let cell = Cell::count(count);
    if count == 0 { cell } else { cell.tint(crate::output::Tint::of(standing.word())) }
}
