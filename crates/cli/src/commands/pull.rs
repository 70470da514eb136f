//! `pull`.

mod alone;

use clap::Args;
use diaporos_core::value::{SystemName, TypeName};
use diaporos_hub::Connector;
use diaporos_hub::config::{Config, OWN};
use diaporos_hub::own::{OwnTally, make_own};
use diaporos_hub::pull::{PullOptions, PullRow, PullSource, pull};
use diaporos_store::{Leased, PageTally, Store};
use indexmap::IndexMap;
use serde_json::{Map, json};

use super::{counted, system};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint, note, one_line};

/// Take in what is new at the sources.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos pull\n  diaporos pull catalogue\n  diaporos pull catalogue/plant-profile/p-001\n\nWhat fails is told; what came before it stays, and the next pull goes on. An entry counts as gone only when a whole and successful listing lacks it."
)]
pub(crate) struct Pull {
    /// The systems to pull, or single entries by address; all systems that can be read where none is named.
    #[arg(value_name = "SYSTEM")]
    systems: Vec<String>,
    /// Take up to so many entries of a type for gone; a tenth of them, or 20, where not given.
    #[arg(long, value_name = "N")]
    allow_gone: Option<u64>,
    /// List everything, also where a source could be asked for what changed only.
    #[arg(long)]
    whole: bool,
    /// Ask feeds again that said that they are gone for good, or want to be left alone for a while.
    #[arg(long)]
    ask_again: bool,
}

/// The most problems of a type that are told one by one.
const MOST_TOLD: usize = 50;

const COLUMNS: &[Column] = &[
    Column::text("system", "system"),
    Column::text("type", "type"),
    Column::number("pulled", "pulled"),
    Column::number("new", "new"),
    Column::number("changed", "changed"),
    Column::number("unchanged", "unchanged"),
    Column::number("gone", "gone"),
    Column::prose("problems", "problems"),
];

pub(crate) async fn run(args: &Pull, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    context.confirm_reach(&config)?;
    if args.systems.iter().any(|name| name.contains('/')) {
        return alone::run(&args.systems, &config, context).await;
    }
    let mut systems = Vec::new();
    for name in &args.systems {
        let name = system(&config, name)?;
        if !config.systems[name].can_be_read() {
            return Err(Failure::wrong(format!("`{name}` has nothing to pull"))
                .advise("its profile has no type with a `read` table; is it a destination only?"));
        }
        systems.push(name);
    }
    if args.systems.is_empty() {
        systems.extend(config.systems.iter().filter(|(_, known)| known.can_be_read()).map(|(name, _)| name));
    }
    systems.dedup();
    let leases: Vec<Leased> = systems.iter().map(|system| Leased::System((*system).clone())).collect();
    let mut store = Context::store_leased(&config, &leases, "pull")?;
    let connector = Connector::new(&config, &Context::variable);
    let mut progress = context.progress();
    let jobs = systems.into_iter().map(|system| PullSource { system, reader: connector.reader(system) }).collect();
    let options = PullOptions { allow_gone: args.allow_gone, whole: args.whole, ask_again: args.ask_again };
    let mut rows = pull(&mut store, jobs, options, &Context::now, &mut progress).await?;
    rows.extend(own_row(&config, &mut store)?);
    progress.clear();
    let mut sheet = context.sheet(COLUMNS).within("types");
    rows.iter().for_each(|row| sheet.row(cells(row)));
    sheet.end_with(summary(&rows))?;
    for (system, text) in rows.iter().flat_map(|row| row.notes.iter().map(|text| (&row.system, text))) {
        note(&format!("note: {system}: {}", one_line(text)));
    }
    for row in &rows {
        let mut told: IndexMap<&str, usize> = IndexMap::new();
        row.problems.iter().for_each(|problem| *told.entry(problem.as_str()).or_default() += 1);
        for (problem, times) in told.iter().take(MOST_TOLD) {
            let times = if *times > 1 { format!(" ({times} times)") } else { String::new() };
            note(&format!("problem: {}{times}", one_line(problem)));
        }
        let more: usize = told.values().skip(MOST_TOLD).sum();
        if more > 0 {
            note(&format!("and {more} more problems of {}; `--format json` lists them all", row.system));
        }
    }
    Ok(exit(&rows))
}

/// Lists and outlines, made anew from what came in.
fn own_row(config: &Config, store: &mut Store) -> Result<Option<PullRow>, Failure> {
    let OwnTally { entries, new, changed, gone, problems } = make_own(config, store, Context::now())?;
    let system = SystemName::new(OWN).map_err(|error| Failure::failed(error.to_string()))?;
    let unchanged = entries.saturating_sub(new + changed);
    let tally = PageTally { pulled: entries, new, changed, unchanged };
    let row = PullRow { system, kind: None, tally, gone, problems, notes: Vec::new(), complete: true };
    Ok((entries + gone > 0 || !row.problems.is_empty()).then_some(row))
}

/// A line beside the results.
fn cells(row: &PullRow) -> Vec<Cell> {
    let problems = row.problems.len() as u64;
    vec![
        Cell::text(row.system.to_string()),
        Cell::maybe(row.kind.as_ref().map(TypeName::as_str)),
        Cell::count(row.tally.pulled),
        Cell::count(row.tally.new),
        Cell::count(row.tally.changed),
        Cell::count(row.tally.unchanged),
        Cell::count(row.gone),
        Cell {
            json: json!(row.problems),
            shown: if problems == 0 { String::new() } else { counted(problems, "problem", "problems") },
            tint: Tint::Bad,
        },
    ]
}

fn summary(rows: &[PullRow]) -> Summary {
    let sum = |of: fn(&PullRow) -> u64| rows.iter().map(of).sum::<u64>();
    let (pulled, new, changed, unchanged) = (
        sum(|row| row.tally.pulled),
        sum(|row| row.tally.new),
        sum(|row| row.tally.changed),
        sum(|row| row.tally.unchanged),
    );
    let gone = sum(|row| row.gone);
    let failed = rows.iter().filter(|row| !row.complete).count() as u64;
    let mut counts = Map::new();
    for (name, count) in [
        ("pulled", pulled),
        ("new", new),
        ("changed", changed),
        ("unchanged", unchanged),
        ("gone", gone),
        ("incomplete", failed),
    ] {
        counts.insert(name.to_owned(), count.into());
    }
    let entries = counted(pulled, "entry", "entries");
    let mut sentence = if new + changed + gone == 0 {
        format!("{entries} pulled; nothing changed")
    } else {
        format!("{entries} pulled: {new} new, {changed} changed, {unchanged} unchanged, {gone} gone")
    };
    let unread: u64 = rows.iter().filter(|row| row.complete).map(|row| row.problems.len() as u64).sum();
    if unread > 0 {
        sentence += &format!("; {} could not be read", counted(unread, "item", "items"));
    }
    if failed > 0 {
        let what = counted(failed, "listing is", "listings are");
        sentence += &format!("; {what} not complete, and nothing was taken for gone there");
    }
    Summary { counts, sentence }
}

fn exit(rows: &[PullRow]) -> Exit {
    if rows.iter().all(|row| row.complete && row.problems.is_empty()) {
        Exit::Done
    } else if rows.iter().any(|row| row.complete || row.tally.pulled > 0) {
        Exit::Partly
    } else {
        Exit::Failed
    }
}
