//! `ledger`.

use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::io::Write;

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::config::Config;
use diaporos_store::{LedgerFilter, LedgerRow, Store};
use diaporos_systems::Write as SystemWrite;

use super::{address, counted, lane};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Summary, Tint, moment, one_line, out};

/// Show what was sent where, when, and what became of it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos ledger --most 20\n  diaporos ledger --entry catalogue/plant-profile/p-001\n  diaporos ledger --failed --as-curl\n  diaporos ledger --format jsonl > ledger.jsonl\n  diaporos ledger --prune 90d\n  diaporos ledger --verify"
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
    /// Print each request as a `curl` line, secrets as variables.
    #[arg(long)]
    as_curl: bool,
    /// Hold every row against the hash that the next one carries of it; exit code 1 where one was
    /// taken out or altered.
    #[arg(long, conflicts_with_all = ["entry", "lane", "run", "failed", "most", "as_curl", "prune"])]
    verify: bool,
    /// Take out what was concluded longer ago than this, as `90d`; what is in doubt stays.
    #[arg(long, value_name = "AGE", conflicts_with_all = ["entry", "lane", "run", "failed", "most", "as_curl"])]
    prune: Option<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("at", "at"),
    Column::number("run", "run"),
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("action", "action"),
    Column::number("version", "ver"),
    Column::number("tries", "try"),
    Column::text("result", "result"),
    Column::number("status", "status"),
    Column::text("id_there", "id there"),
    Column::prose("request", "request"),
    Column::prose("message", "message"),
    Column::text("who", "who"),
];

pub(crate) fn run(args: &Ledger, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if let Some(age) = &args.prune {
        return prune(&config, age, context);
    }
    if args.verify {
        return verify(&config, context);
    }
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
    if args.as_curl {
        return as_curl(&config, &store, &filter, context);
    }
    let mut sheet = context.sheet(COLUMNS);
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
        row.version.map_or_else(Cell::nothing, |version| Cell::count(version.unsigned_abs())),
        Cell::count(row.tries.unsigned_abs()),
        Cell::word(row.result.as_deref().unwrap_or("open")),
        row.status.map_or_else(Cell::nothing, |status| Cell::count(status.unsigned_abs())),
        Cell::maybe(row.id_there),
        Cell { shown: one_line(&without_host(&row.request)), ..Cell::text(row.request) }.tint(Tint::Faint),
        Cell::maybe(row.message),
        // In a table it would push the rest away.
        Cell { shown: String::new(), ..Cell::text(row.who) },
    ]
}

fn verify(config: &Config, context: &Context) -> Result<Exit, Failure> {
    let state = Context::store(config)?.verify_ledger()?;
    let mut sheet = context.sheet(&[Column::prose("fault", "what is wrong")]).within("faults");
    state.faults.iter().for_each(|fault| sheet.row(vec![Cell::text(fault).tint(Tint::Bad)]));
    let rows = counted(state.good, "row is as it was written", "rows are as they were written");
    let pruned = match state.pruned {
        0 => String::new(),
        pruned => format!(", {}", counted(pruned, "stretch was pruned", "stretches were pruned and signed off")),
    };
    let older = match state.older {
        0 => String::new(),
        older => format!(", {}", counted(older, "row is older than the chain", "rows are older than the chain")),
    };
    let sentence = format!("{rows}{pruned}{older}; the newest hash is {}", state.head);
    let counts = [
        ("good".to_owned(), state.good.into()),
        ("pruned".to_owned(), state.pruned.into()),
        ("older".to_owned(), state.older.into()),
        ("head".to_owned(), state.head.clone().into()),
    ];
    sheet.end_with(Summary { counts: counts.into_iter().collect(), sentence })?;
    Ok(if state.faults.is_empty() { Exit::Done } else { Exit::Failed })
}

fn prune(config: &Config, age: &str, context: &Context) -> Result<Exit, Failure> {
    let wrong = || Failure::wrong(format!("`{age}` is not an age")).advise("for example `--prune 90d`");
    let span: jiff::Span = age.parse().map_err(|_| wrong())?;
    let lasts = span.to_duration(jiff::SpanRelativeTo::days_are_24_hours()).map_err(|_| wrong())?;
    let before = Context::now().checked_sub(lasts).map_err(|_| wrong())?;
    if lasts.is_negative() {
        return Err(wrong());
    }
    let pruned = Context::store_for_change(config)?.prune_ledger(before, &Context::who(), Context::now())?;
    let sentence = format!("{} taken out of the ledger", counted(pruned, "request was", "requests were"));
    let counts = [("pruned".to_owned(), pruned.into())].into_iter().collect();
    context.sheet(&[]).end_with(Summary { counts, sentence })?;
    Ok(Exit::Done)
}

/// Past requests as they would be sent again, oldest first.
fn as_curl(config: &Config, store: &Store, filter: &LedgerFilter, context: &Context) -> Result<Exit, Failure> {
    let connector = Connector::new(config, &Context::variable);
    let mut writers: HashMap<String, Option<Box<dyn SystemWrite>>> = HashMap::new();
    let mut out = out();
    let mut sheet = context.sheet(CURLS);
    store.ledger(filter, |row| -> Result<(), Failure> {
        let configured = config.lanes.iter().find(|(name, _)| name.as_str() == row.lane).map(|(_, lane)| lane);
        let writer = match writers.entry(row.lane.clone()) {
            Entry::Occupied(known) => known.into_mut(),
            Entry::Vacant(new) => new.insert(match configured {
                Some(lane) => Some(connector.writer(&lane.lane.to.system)?),
                None => None,
            }),
        };
        let order = store.past_intent(row.number)?.zip(configured);
        let order = order.and_then(|(record, lane)| Some((record.order(lane.lane.key.as_deref())?, lane)));
        let curl = match (order, writer) {
            (Some((order, lane)), Some(writer)) => writer.request(&lane.lane.to.kind, &order)?.as_curl(),
            _ => format!("# {}, by a lane that is not in the configuration any more", row.request),
        };
        if context.format == Format::Table {
            let (at, result) = (moment(row.at, &context.zone), row.result.as_deref().unwrap_or("open"));
            writeln!(out, "# {at} {} {} {}: {result}\n{curl}\n", row.address, row.language, row.action)?;
            return Ok(());
        }
        sheet.row(vec![
            Cell::count(row.number.unsigned_abs()),
            Cell::text(row.address.to_string()),
            Cell::text(row.language),
            Cell::text(curl),
        ]);
        Ok(())
    })?;
    out.flush()?;
    if context.format != Format::Table {
        sheet.end("")?;
    }
    Ok(Exit::Done)
}

const CURLS: &[Column] = &[
    Column::number("number", "number"),
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::prose("curl", "curl"),
];
