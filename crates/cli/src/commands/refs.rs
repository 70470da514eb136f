//! `refs`.

use std::io::Write;

use clap::Args;
use diaporos_hub::refs::{RefEnd, RefRow, Way, refs};

use super::{address, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, out};

/// Draw the tree of references of an entry, with circles and dead ends, or who refers to it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos refs catalogue/trail/t-1 --depth 2\n  diaporos refs catalogue/curator/c-1 --back"
)]
pub(crate) struct Refs {
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: String,
    /// How far references are followed.
    #[arg(long, value_name = "N", default_value_t = 3)]
    depth: usize,
    /// Who refers to it, instead of what it refers to.
    #[arg(long)]
    back: bool,
}

const COLUMNS: &[Column] = &[
    Column::number("depth", "depth"),
    Column::text("field", "field"),
    Column::text("address", "address"),
    Column::text("state", "state"),
    Column::text("end", "end"),
];

pub(crate) fn run(args: &Refs, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let address = address(&args.address)?;
    if store.entry(&address)?.is_none() {
        return Err(no_entry(&store, &address)?);
    }
    let way = if args.back { Way::Back } else { Way::Forth };
    let rows = refs(&store, &address, way, args.depth)?;
    if context.format == Format::Table {
        draw(&rows)?;
        if rows.len() == 1 {
            writeln!(out(), "{}", if args.back { "nothing refers to it" } else { "it refers to nothing" })?;
        }
        return Ok(Exit::Done);
    }
    let mut sheet = context.sheet(COLUMNS);
    for row in &rows {
        let (state, end) = said(row.end);
        sheet.row(vec![
            Cell { json: row.depth.into(), ..Cell::text(row.depth.to_string()) },
            Cell::text(&row.field),
            Cell::text(row.address.to_string()),
            Cell::maybe(state),
            Cell::maybe(end),
        ]);
    }
    sheet.end("")?;
    Ok(Exit::Done)
}

fn said(end: RefEnd) -> (Option<&'static str>, Option<&'static str>) {
    match end {
        RefEnd::Entry(state) => (Some(state.word()), None),
        RefEnd::Dead => (None, Some("dead end: it is not in the store")),
        RefEnd::Circle(state) => (Some(state.word()), Some("circle: it stands above")),
        RefEnd::Again(state) => (Some(state.word()), Some("see above")),
    }
}

/// A tree with lines, as in
///
/// ```text
/// catalogue/trail/t-1  live
/// ├─ stops → catalogue/plant-profile/p-001  live
/// │  └─ curator → catalogue/curator/c-1  live
/// └─ stops → catalogue/plant-profile/p-404  dead end: it is not in the store
/// ```
fn draw(rows: &[RefRow]) -> Result<(), Failure> {
    let mut out = out();
    let mut open: Vec<bool> = Vec::new();
    for row in rows {
        open.truncate(row.depth);
        let lead: String = open.iter().skip(1).map(|more| if *more { "│  " } else { "   " }).collect();
        let branch = match (row.depth, row.last) {
            (0, _) => "",
            (_, true) => "└─ ",
            (_, false) => "├─ ",
        };
        let field = if row.field.is_empty() { String::new() } else { format!("{} → ", row.field) };
        let (state, end) = said(row.end);
        let said = [state, end].into_iter().flatten().collect::<Vec<_>>().join("  ");
        writeln!(out, "{lead}{branch}{field}{}  {said}", row.address)?;
        open.push(!row.last);
    }
    out.flush()?;
    Ok(())
}
