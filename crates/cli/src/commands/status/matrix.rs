//! `status --entries`: a row an entry, a column a lane.

use diaporos_core::value::LaneName;
use diaporos_hub::config::Config;
use diaporos_hub::look::{Glance, entries};
use diaporos_store::{LaneStanding, Standing};
use serde_json::json;

use crate::commands::selection::Selection;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Tint, moment, out};

/// Rows of a table where the user does not say how many.
const USUAL: usize = 100;

pub(super) fn run(which: &Selection, most: Option<usize>, config: &Config, context: &Context) -> Result<Exit, Failure> {
    let store = Context::store(config)?;
    let shown = most.or((context.format == Format::Table).then_some(USUAL));
    let query = which.read(config)?.query(None, shown.map(|most| most.saturating_add(1)));
    let lanes: Vec<&LaneName> = config
        .lanes
        .iter()
        .filter(|(_, lane)| {
            let from = &lane.lane.from;
            query.system.as_deref().is_none_or(|system| system == from.system.as_str())
                && query.kind.as_deref().is_none_or(|kind| kind == from.kind.as_str())
        })
        .map(|(name, _)| name)
        .collect();
    let columns = lanes.iter().map(|lane| Column::chosen(lane.as_str()));
    let columns: Vec<Column> = std::iter::once(Column::text("address", "address")).chain(columns).collect();
    let mut sheet = context.sheet(&columns);
    let glance = Glance { store: &store, library: &config.library, now: Context::now() };
    let mut more = false;
    entries(glance, &query, |row| -> Result<(), Failure> {
        if shown.is_some_and(|most| sheet.rows() >= most as u64) {
            more = true;
            return Ok(());
        }
        let standings = store.standings(&row.address)?;
        let mut cells = vec![Cell::text(row.address.to_string())];
        for lane in &lanes {
            cells.push(cell(standings.iter().find(|known| known.lane == **lane), context));
        }
        sheet.row(cells);
        Ok(())
    })?;
    let count = sheet.rows();
    sheet.end("no entries of that kind")?;
    if context.format == Format::Table && count > 0 {
        let signs = Standing::WORDS.map(|(word, standing)| format!("{} {word}", standing.sign())).join("  ");
        std::io::Write::write_fmt(&mut out(), format_args!("\n{signs}\n"))?;
        if more {
            let advice = "there are more: `--most N`, or narrow with --type, --state, --text, --where";
            std::io::Write::write_fmt(&mut out(), format_args!("The first {count}; {advice}\n"))?;
        }
    }
    Ok(Exit::Done)
}

/// How an entry stands on a lane: a sign beside the colour, why, and since when.
fn cell(known: Option<&LaneStanding>, context: &Context) -> Cell {
    let Some(LaneStanding { standing, reason, since, .. }) = known else { return Cell::nothing() };
    let why = reason.as_ref().map_or(String::new(), |reason| format!(" {reason}"));
    let tint = match standing {
        Standing::Delivered => Tint::Good,
        Standing::Owed | Standing::Held => Tint::Warn,
        Standing::Failed => Tint::Bad,
        Standing::Withdrawn | Standing::Outside => Tint::Faint,
    };
    let json = json!({ "standing": standing.word(), "reason": reason, "since": since.to_string() });
    Cell { json, shown: format!("{}{why}  {}", standing.sign(), moment(*since, &context.zone)), tint }
}
