//! `serve --plan`.

use diaporos_hub::config::{Config, Pushed};
use diaporos_hub::serve::{Planned, When, agenda, facts};
use diaporos_store::Leased;
use jiff::Timestamp;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column};

const COLUMNS: &[Column] = &[
    Column::text("what", "what"),
    Column::text("next", "next"),
    Column::text("times", "times"),
    Column::prose("why", "why"),
];

/// What would be done next, and when.
pub(super) fn plan(config: &Config, context: &Context) -> Result<Exit, Failure> {
    let store = Context::store(config)?;
    let now = Context::now();
    let mut sheet = context.sheet(COLUMNS);
    for planned in agenda(config, &facts(config, &store, now, now)?) {
        sheet.row(cells(config, &planned, now, context));
    }
    sheet.end("nothing is pulled or pushed by itself: say `every = \"5m\"` of a system")?;
    Ok(Exit::Done)
}

fn cells(config: &Config, planned: &Planned, now: Timestamp, context: &Context) -> Vec<Cell> {
    let next = match &planned.when {
        When::At { moment, .. } if *moment <= now => Cell::text("at once"),
        When::At { moment, .. } => Cell::moment(*moment, &context.zone),
        When::Paused(pause) => pause.until.map_or_else(Cell::nothing, |until| Cell::moment(until, &context.zone)),
        When::AfterPull | When::FirstLoad | When::NothingOut | When::ByHand | When::NoTimes => Cell::nothing(),
    };
    vec![
        Cell::text(planned.what.to_string()),
        next,
        Cell::maybe(times(config, &planned.what)),
        Cell::text(why(&planned.when, &planned.what)),
    ]
}

/// The times that are set for something.
fn times(config: &Config, what: &Leased) -> Option<String> {
    match what {
        Leased::System(name) => config.systems.get(name)?.pulled.as_ref().map(ToString::to_string),
        Leased::Lane(name) => match &config.lanes.get(name)?.pushing.when {
            Pushed::At(schedule) => Some(schedule.to_string()),
            Pushed::AfterPull => Some("after a pull".to_owned()),
            Pushed::ByHand => Some("by hand".to_owned()),
        },
        Leased::Brief(name) => config.briefs.get(name)?.times.made.as_ref().map(ToString::to_string),
        Leased::Returns(name) => config.briefs.get(name)?.times.collected.as_ref().map(ToString::to_string),
        Leased::Slate(_)
        | Leased::Hubs(_)
        | Leased::Batches
        | Leased::Entries(_)
        | Leased::Tell(_)
        | Leased::Open(_)
        | Leased::Hand(_, _)
        | Leased::Tidying => None,
    }
}

fn why(when: &When, what: &Leased) -> String {
    match when {
        When::At { why, .. } => why.word().to_owned(),
        When::AfterPull => "nothing is owed".to_owned(),
        When::Paused(pause) => format!("paused by {}: {}", pause.who, pause.why),
        When::FirstLoad => {
            let name = what.to_string();
            format!("never pushed: start its first load, `diaporos push {}`", name.trim_start_matches("lane "))
        }
        When::NothingOut => "no batch is with the translators".to_owned(),
        When::ByHand => "a person pushes it".to_owned(),
        When::NoTimes => "no times are set; say `every`, `at` or `cron`".to_owned(),
    }
}
