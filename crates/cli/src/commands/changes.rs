//! `changes`.

use std::io::Write;
use std::ops::ControlFlow;

use clap::Args;
use diaporos_core::change::{Difference, differences};
use diaporos_core::value::{State, to_json};
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::impact::{Impact, impact};
use diaporos_store::{ChangeFilter, ChangeRow, Store};
use serde_json::{Map, Value as Json, json};

use super::{address, lane, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, drawn_out, fields, moment, one_line, words};
use crate::typed::past;

/// Show what changed at the sources: entry by entry, field by field, the newest first.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos changes --since 2h\n  diaporos changes catalogue/plant-profile/p-006\n  diaporos changes --lane profiles --format jsonl\n\nA field that was changed stands with what went as `[-…-]` and what came as `{+…+}`; on a terminal in red and green. `→ LANE` says what of it a lane delivers; a change that alters nothing of that is not sent."
)]
pub(crate) struct Changes {
    /// The changes of one entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS", conflicts_with_all = ["system", "lane"])]
    address: Option<String>,
    /// Only those of this system.
    #[arg(long, value_name = "SYSTEM", conflicts_with = "lane")]
    system: Option<String>,
    /// Only those of entries that this lane takes.
    #[arg(long, value_name = "LANE")]
    lane: Option<String>,
    /// Only those since then: a duration (`2h`, `3 days`), a date or a moment (RFC 3339).
    #[arg(long, value_name = "WHEN")]
    since: Option<String>,
    /// At most so many entries; 20 in a table, and all in other formats, where not given.
    #[arg(long, value_name = "N")]
    most: Option<usize>,
}

const COLUMNS: &[Column] = &[
    Column::text("address", "address"),
    Column::number("version", "version"),
    Column::text("at", "at"),
    Column::text("what", "what"),
    Column::text("state", "state"),
    Column::prose("fields", "fields"),
    Column::prose("reaches", "reaches"),
];
/// Changes in a table where the user does not say how many.
const USUAL: usize = 20;

pub(crate) fn run(args: &Changes, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut filter = ChangeFilter::default();
    if let Some(text) = &args.address {
        let address = address(text)?;
        if store.entry(&address)?.is_none() {
            return Err(no_entry(&store, &address)?);
        }
        filter.address = Some(address);
    }
    if let Some(name) = &args.system {
        filter.system = Some(super::system(&config, name)?.to_string());
    }
    if let Some(name) = &args.lane {
        let from = &lane(&config, name)?.lane.from;
        (filter.system, filter.kind) = (Some(from.system.to_string()), Some(from.kind.to_string()));
    }
    filter.since = args.since.as_deref().map(|text| past(text, Context::now(), &context.zone)).transpose()?;
    let most = args.most.or((context.format == Format::Table).then_some(USUAL)).unwrap_or(usize::MAX);
    let wanted = |name: &str| args.lane.as_deref().is_none_or(|lane| lane == name);
    let lanes: Vec<&ConfiguredLane> =
        config.lanes.iter().filter(|(name, _)| wanted(name.as_str())).map(|(_, lane)| lane).collect();
    if context.format == Format::Table {
        draw(&store, &filter, &lanes, most, context)?;
    } else {
        rows(&store, &filter, &lanes, most, context)?;
    }
    Ok(Exit::Done)
}

/// What a change alters of what each lane delivers, by lane.
fn impacts(store: &Store, lanes: &[&ConfiguredLane], change: &ChangeRow) -> Result<Vec<(String, Impact)>, Failure> {
    let mut found = Vec::new();
    for lane in lanes {
        let impact = impact(store, lane, change, Context::now())?;
        found.extend(impact.map(|impact| (lane.lane.name.to_string(), impact)));
    }
    Ok(found)
}

/// A duration before now, a date, or a moment.
/// What happened to the entry, in a word.
fn what(change: &ChangeRow) -> &'static str {
    match (&change.before, change.state) {
        (None, _) => "new",
        (Some((State::Gone, _)), now) if now != State::Gone => "returned",
        (Some((before, _)), State::Gone) if *before != State::Gone => "gone",
        (Some((before, fields)), now) if *before != now && *fields == change.fields => "state changed",
        _ => "changed",
    }
}

fn found(change: &ChangeRow) -> Vec<Difference> {
    match &change.before {
        Some((_, before)) if change.state != State::Gone => differences(before, &change.fields),
        _ => Vec::new(),
    }
}

fn draw(
    store: &Store,
    filter: &ChangeFilter,
    lanes: &[&ConfiguredLane],
    most: usize,
    context: &Context,
) -> Result<(), Failure> {
    // What others wrote is put on one line, so that the colours are ours.
    let mut out = drawn_out();
    let (mut shown, mut more, mut divergences) = (0, false, false);
    store.changes(filter, |change| -> Result<_, Failure> {
        if shown == most {
            more = true;
            return Ok(ControlFlow::Break(()));
        }
        let found = found(&change);
        // Changes of fields stand apart; entries that have none to show follow each other.
        if shown > 0 && (divergences || !found.is_empty()) {
            writeln!(out)?;
        }
        shown += 1;
        divergences = !found.is_empty();
        let state = match &change.before {
            Some((before, _)) if *before != change.state => format!("  {before} → {}", change.state),
            _ => String::new(),
        };
        let at = moment(change.at, &context.zone);
        let address = one_line(&change.address.to_string());
        writeln!(out, "{address}  {}{state}  version {}  {at}", what(&change), change.number)?;
        let name = |one: &Difference| {
            one.language.as_ref().map_or_else(|| one.field.clone(), |tag| format!("{}@{tag}", one.field))
        };
        let widest = found.iter().map(|one| name(one).chars().count()).max().unwrap_or(0);
        for one in &found {
            let name = one_line(&name(one));
            let (old, new) = (fields::value_text(&one.old), fields::value_text(&one.new));
            writeln!(out, "  {name:widest$}  {}", words::draw(&old, &new, context.terminal.colour))?;
        }
        // Of what is new everything goes, which needs no saying.
        if change.before.is_some() {
            for (lane, impact) in impacts(store, lanes, &change)? {
                writeln!(out, "  → {lane}: {}", one_line(&impact.told()))?;
            }
        }
        Ok(ControlFlow::Continue(()))
    })?;
    if shown == 0 {
        writeln!(out, "no changes")?;
    } else if more {
        writeln!(out, "\nThe newest {shown}; there are more: `--most N`, or narrow with ADDRESS, --lane, --since")?;
    }
    out.flush()?;
    Ok(())
}

fn rows(
    store: &Store,
    filter: &ChangeFilter,
    lanes: &[&ConfiguredLane],
    most: usize,
    context: &Context,
) -> Result<(), Failure> {
    let mut sheet = context.sheet(COLUMNS);
    store.changes(filter, |change| -> Result<_, Failure> {
        if sheet.rows() >= most as u64 {
            return Ok(ControlFlow::Break(()));
        }
        let found = found(&change);
        let names: Vec<&str> = found.iter().map(|one| one.field.as_str()).collect();
        let told: Vec<_> = found
            .iter()
            .map(|one| {
                json!({ "field": one.field, "language": one.language.as_ref().map(ToString::to_string),
                        "old": to_json(&one.old), "new": to_json(&one.new) })
            })
            .collect();
        sheet.row(vec![
            Cell::text(change.address.to_string()),
            Cell::count(change.number),
            Cell::moment(change.at, &context.zone),
            Cell::word(what(&change)),
            Cell::word(change.state.word()),
            Cell { json: json!(told), ..Cell::text(names.join(", ")) },
            {
                let impacts = impacts(store, lanes, &change)?;
                let told: Vec<String> =
                    impacts.iter().map(|(lane, impact)| format!("{lane}: {}", impact.told())).collect();
                let json: Map<String, Json> =
                    impacts.into_iter().map(|(lane, impact)| (lane, Json::String(impact.told()))).collect();
                Cell { json: Json::Object(json), ..Cell::text(told.join("; ")) }
            },
        ]);
        Ok(ControlFlow::Continue(()))
    })?;
    sheet.end("no changes")
}
