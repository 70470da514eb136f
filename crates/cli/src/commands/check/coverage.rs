//! What becomes of the fields of each lane's source.

use std::collections::BTreeSet;

use diaporos_core::lane::{Coverage, coverage};
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_store::{Store, StoreError};

use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Tint, note};

const COVERAGE: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("field", "source field"),
    Column::text("reaches", "reaches"),
    Column::text("note", "note"),
];
/// A source field, and whether entries have it; not known before there are any.
struct Reached {
    field: Coverage,
    in_entries: Option<bool>,
}

impl Reached {
    /// Whether it goes nowhere.
    fn is_lost(&self) -> bool {
        self.field.reaches.is_empty() && !self.field.asked
    }
}

/// The fields of a lane's source. On a lane on which translations go back nothing else is taken, and
/// nothing lost.
fn fields(lane: &ConfiguredLane, store: Option<&Store>) -> Result<Vec<Reached>, StoreError> {
    if lane.returns.is_some() {
        return Ok(Vec::new());
    }
    let from = &lane.lane.from;
    let seen = store.map(|store| store.seen_fields(from.system.as_str(), from.kind.as_str())).transpose()?;
    let seen: BTreeSet<String> = seen.into_iter().flatten().collect();
    let reached = |field: Coverage| {
        let in_entries = (!seen.is_empty()).then(|| seen.contains(&field.field));
        Reached { field, in_entries }
    };
    Ok(coverage(&lane.lane, lane.source.get(&from.kind)).into_iter().map(reached).collect())
}

/// How many fields that entries have reach no destination.
pub(super) fn lost(config: &Config, store: Option<&Store>) -> Result<u64, StoreError> {
    let mut lost = 0;
    for lane in config.lanes.values() {
        let is_there = |field: &&Reached| field.is_lost() && field.in_entries == Some(true);
        lost += fields(lane, store)?.iter().filter(is_there).count() as u64;
    }
    Ok(lost)
}

/// Prints for each lane which fields reach which.
pub(super) fn show(context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let place = config.store_place(&Context::variable)?;
    let store = if place.exists() { Some(Store::open(&place)?) } else { None };
    let mut sheet = context.sheet(COVERAGE);
    let mut left_out = 0;
    for lane in config.lanes.values() {
        for reached in fields(lane, store.as_ref())? {
            let in_no_entry = reached.is_lost() && reached.in_entries == Some(false);
            if in_no_entry && context.format == Format::Table {
                left_out += 1;
                continue;
            }
            let Coverage { field, reaches, asked, known } = reached.field;
            let note = match (reaches.is_empty(), asked, known) {
                (true, false, _) if in_no_entry => Cell::text("in no entry").tint(Tint::Faint),
                (true, false, _) => Cell::text("lost").tint(Tint::Warn),
                (true, true, _) => Cell::text("asked for alone").tint(Tint::Faint),
                (false, _, false) => Cell::text("not declared").tint(Tint::Faint),
                _ => Cell::nothing(),
            };
            sheet.row(vec![Cell::text(lane.lane.name.to_string()), Cell::text(&field), Cell::list(reaches), note]);
        }
    }
    sheet.end("no lane is configured")?;
    if left_out > 0 {
        let fields = counted(left_out, "field", "fields");
        note(&format!("{fields} that no entry has and no lane takes: `diaporos check --coverage --format json`"));
    }
    Ok(Exit::Done)
}
