//! `pause` and `resume`.

use clap::Args;
use diaporos_core::diagnostic::nearest;
use diaporos_core::value::{LaneName, SystemName};
use diaporos_hub::config::Config;
use diaporos_store::{Leased, Pause, Paused};
use jiff::civil::{DateTime, Time};
use jiff::tz::TimeZone;
use jiff::{Span, SpanRelativeTo, Timestamp, ToSpan};

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column};

/// Have `serve` leave a system, a lane or everything alone.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos pause visitor-site-pages --why \"the site moves\" --until 18:00\n  diaporos pause all --why \"audit\" --until 2h\n\nIt stays so over restarts, until the time, or `diaporos resume`. What a person starts by hand is not kept back. Where a system and a lane have the same name, say `system:NAME` or `lane:NAME`."
)]
pub(crate) struct PauseCommand {
    /// Systems and lanes by name, or `all`.
    #[arg(value_name = "NAME", required = true)]
    what: Vec<String>,
    /// Why, for those who find it so.
    #[arg(long, value_name = "TEXT")]
    why: String,
    /// Until when: `2h`, `18:00`, `2026-12-01T09:00`; for good where not given.
    #[arg(long, value_name = "WHEN")]
    until: Option<String>,
}

/// Have `serve` go on with what was paused.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos resume visitor-site-pages\n  diaporos resume all")]
pub(crate) struct Resume {
    /// Systems and lanes by name; `all` for what was paused as `all`.
    #[arg(value_name = "NAME", required = true)]
    what: Vec<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("what", "what"),
    Column::text("until", "until"),
    Column::text("who", "who"),
    Column::prose("why", "why"),
];

pub(crate) fn pause(args: &PauseCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let now = Context::now();
    let until = args.until.as_deref().map(|text| moment(text, now, &context.zone)).transpose()?;
    let what = args.what.iter().map(|name| named(&config, name)).collect::<Result<Vec<_>, _>>()?;
    let mut store = Context::open_for_change(&config)?;
    let pause = Pause { who: Context::who(), why: args.why.clone(), since: now, until };
    let mut sheet = context.sheet(COLUMNS);
    for paused in what {
        store.pause(&paused, &pause)?;
        sheet.row(cells(&paused.to_string(), &pause, context));
    }
    sheet.end("")?;
    Ok(Exit::Done)
}

/// What is paused, in a line.
pub(super) fn told(what: &str, pause: &Pause, zone: &TimeZone) -> String {
    let until = pause
        .until
        .map_or_else(|| "for good".to_owned(), |until| format!("until {}", crate::output::moment(until, zone)));
    format!("paused: {what} {until}, by {}: {}", pause.who, pause.why)
}

/// A row of what is paused.
fn cells(what: &str, pause: &Pause, context: &Context) -> Vec<Cell> {
    vec![
        Cell::text(what),
        pause.until.map_or_else(
            || Cell { shown: "for good".to_owned(), ..Cell::nothing() },
            |until| Cell::moment(until, &context.zone),
        ),
        Cell::text(&pause.who),
        Cell::text(&pause.why),
    ]
}

const RESUMED: &[Column] = &[Column::text("what", "what"), Column::text("outcome", "outcome")];

pub(crate) fn resume(args: &Resume, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let what = args.what.iter().map(|name| named(&config, name)).collect::<Result<Vec<_>, _>>()?;
    let mut store = Context::open_for_change(&config)?;
    let mut sheet = context.sheet(RESUMED);
    for paused in what {
        let outcome = if store.resume(&paused)? { "goes on" } else { "was not paused" };
        sheet.row(vec![Cell::text(paused.to_string()), Cell::text(outcome)]);
    }
    sheet.end("")?;
    Ok(Exit::Done)
}

/// What a name stands for.
fn named(config: &Config, text: &str) -> Result<Paused, Failure> {
    let system = |name: &str| config.systems.keys().find(|known| known.as_str() == name).cloned();
    let lane = |name: &str| config.lanes.keys().find(|known| known.as_str() == name).cloned();
    let (system, lane): (Option<SystemName>, Option<LaneName>) = match text.split_once(':') {
        Some(("system", name)) => (system(name), None),
        Some(("lane", name)) => (None, lane(name)),
        _ if text == "all" => return Ok(Paused::All),
        _ => (system(text), lane(text)),
    };
    match (system, lane) {
        (Some(_), Some(_)) => Err(Failure::wrong(format!("`{text}` is a system and a lane"))
            .advise(format!("say `system:{text}` or `lane:{text}`"))),
        (Some(system), None) => Ok(Paused::One(Leased::System(system))),
        (None, Some(lane)) => Ok(Paused::One(Leased::Lane(lane))),
        (None, None) => {
            let systems = config.systems.keys().map(SystemName::as_str);
            let known: Vec<&str> = systems.chain(config.lanes.keys().map(LaneName::as_str)).collect();
            let failure = Failure::wrong(format!("there is no system and no lane `{text}`"));
            Err(match nearest(text, known.iter().copied()) {
                Some(near) => failure.advise(format!("did you mean `{near}`?")),
                None => failure.advise(format!("known here: {}", known.join(", "))),
            })
        }
    }
}

/// A moment as a person says it: after a while, at the next time of the day, or at a date and time.
fn moment(text: &str, now: Timestamp, zone: &TimeZone) -> Result<Timestamp, Failure> {
    let wrong = || {
        Failure::wrong(format!("`{text}` is no moment to come"))
            .advise("for example `--until 2h`, `--until 18:00` or `--until 2026-12-01T09:00`")
    };
    let local = |at: DateTime| zone.to_ambiguous_timestamp(at).compatible().ok();
    let found = if let Ok(span) = text.parse::<Span>() {
        let lasts = span.to_duration(SpanRelativeTo::days_are_24_hours()).map_err(|_| wrong())?;
        now.checked_add(lasts).ok()
    } else if let Ok(at) = text.parse::<Timestamp>() {
        Some(at)
    } else if let Ok(time) = Time::strptime("%H:%M", text) {
        let today = now.to_zoned_datetime(zone.clone()).date();
        let days = [Ok(today), today.checked_add(1.day())];
        days.into_iter().flatten().filter_map(|day| local(day.to_datetime(time))).find(|at| *at > now)
    } else {
        text.parse::<DateTime>().ok().and_then(local)
    };
    found.filter(|at| *at > now).ok_or_else(wrong)
}
