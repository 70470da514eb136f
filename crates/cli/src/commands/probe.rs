//! `probe`.

use std::io::Write;

use clap::Args;
use diaporos_core::value::SystemName;
use diaporos_hub::config::Config;
use diaporos_hub::probe::{Verdict, probe};
use diaporos_hub::reaches::{Reached, reaches};
use diaporos_hub::{Connector, write_check};

use diaporos_systems::feed::write_opml;

use super::system;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Tint, out};

/// Look at systems from the network up: reachable, credential accepted, what is there.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos probe\n  diaporos probe catalogue\n  diaporos probe --reach\n  diaporos probe visitor-site --write-check\n\nNothing is changed, there or here. Exit code 1 where something does not work."
)]
pub(crate) struct Probe {
    /// The systems to look at; all where none is named.
    #[arg(value_name = "SYSTEM")]
    systems: Vec<String>,
    /// Instead of looking, list what the hub reaches: hosts, folders, variables and secret files.
    #[arg(long, conflicts_with = "opml")]
    reach: bool,
    /// Read back some of the documents that were delivered, and tell field by field how they are kept.
    #[arg(long, conflicts_with_all = ["opml", "reach"])]
    write_check: bool,
    /// Instead of looking, print the feeds of one system as a list for other programs (OPML 2.0).
    #[arg(long, requires = "systems")]
    opml: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("system", "system"),
    Column::text("what", "what"),
    Column::text("verdict", "verdict"),
    Column::prose("found", "found"),
];

const REACH: &[Column] = &[
    Column::text("system", "system"),
    Column::text("what", "what"),
    Column::text("name", "name"),
    Column::prose("purpose", "for"),
];

fn show_reach(config: &Config, chosen: &[&SystemName], context: &Context) -> Result<Exit, Failure> {
    let mut sheet = context.sheet(REACH);
    let wanted = |one: &Reached| chosen.iter().any(|name| name.as_str() == one.system);
    for one in reaches(config).into_iter().filter(wanted) {
        sheet.row(vec![Cell::text(one.system), Cell::text(one.what), Cell::text(one.name), Cell::text(one.purpose)]);
    }
    sheet.end("nothing outside the hub's folder")?;
    Ok(Exit::Done)
}

pub(crate) async fn run(args: &Probe, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let chosen = args.systems.iter().map(|name| system(&config, name)).collect::<Result<Vec<_>, _>>()?;
    let chosen = if chosen.is_empty() { config.systems.keys().collect() } else { chosen };
    if args.reach {
        return show_reach(&config, &chosen, context);
    }
    let connector = Connector::new(&config, &Context::variable);
    if args.opml {
        let [name] = chosen.as_slice() else { return Err(Failure::wrong("`--opml` lists the feeds of one system")) };
        let feeds = connector.feeds(name)?;
        let feeds = feeds.ok_or_else(|| Failure::wrong(format!("`{name}` is no system of feeds")))?;
        write!(out(), "{}", write_opml(name.as_str(), &feeds)?)?;
        return Ok(Exit::Done);
    }
    let mut sheet = context.sheet(COLUMNS);
    let mut exit = Exit::Done;
    for name in chosen {
        let rows = if args.write_check {
            if !config.lanes.values().any(|lane| lane.lane.to.system == *name) {
                continue;
            }
            let writer = connector.writer(name)?;
            write_check(&config, &Context::store(&config)?, writer.as_ref(), name).await?
        } else {
            probe(&config, &connector, name, Context::now()).await
        };
        for row in rows {
            let tint = match row.verdict {
                Verdict::Good => Tint::Good,
                Verdict::Note => Tint::Faint,
                Verdict::Warning => Tint::Warn,
                Verdict::Bad => Tint::Bad,
            };
            if row.verdict == Verdict::Bad {
                exit = Exit::Failed;
            }
            sheet.row(vec![
                Cell::text(name.to_string()),
                Cell::text(row.what),
                Cell::text(row.verdict.word()).tint(tint),
                Cell::text(row.found),
            ]);
        }
    }
    sheet.end("no systems; add a table `[systems.NAME]` to diaporos.toml")?;
    Ok(exit)
}
