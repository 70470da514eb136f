//! `serve`.

use std::net::SocketAddr;
use std::sync::Arc;

use clap::Args;
use diaporos_hub::alerts::AlertKind;
use diaporos_hub::config::{Config, Pushed};
use diaporos_hub::pull::{FoundAlone, PullRow};
use diaporos_hub::push::PushSummary;
use diaporos_hub::serve::{Asked, Done, JobEnd, Looked, Planned, Serve, Told, When, agenda, facts};
use diaporos_hub::tell::TellTally;
use diaporos_hub::tidy::TidyRow;
use diaporos_store::{AlertChanges, AlertRow, Leased};
use jiff::Timestamp;

use super::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt;
use crate::output::{Cell, Column, note, one_line};

/// Run the hub by itself: pull systems at their times, and push what lanes owe.
#[derive(Debug, Args)]
#[command(
    name = "serve",
    after_help = "Examples:\n  diaporos serve\n  diaporos serve --plan\n\nA system says when it is pulled (`every`, `at` or `cron`); a lane is pushed after its source was pulled, at times of its own, or by hand (`pushed`). The first push of a lane is a person's. Other commands work meanwhile. A changed configuration is taken over once it is sound. SIGTERM and Ctrl-C finish what is under way, within 20 s; a second one ends at once, which is as safe as a crash."
)]
pub(crate) struct ServeCommand {
    /// Print what would be done next, and when, and do nothing.
    #[arg(long)]
    plan: bool,
    /// Listen here and not where the configuration says; port 0 takes a free one, and says which.
    #[arg(long, value_name = "ADDRESS:PORT")]
    listen: Option<SocketAddr>,
}

const COLUMNS: &[Column] = &[
    Column::text("what", "what"),
    Column::text("next", "next"),
    Column::text("times", "times"),
    Column::prose("why", "why"),
];

pub(crate) async fn run(args: &ServeCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if args.plan {
        return plan(&config, context);
    }
    context.confirm_reach(&config)?;
    let asked = Arc::new(Asked::default());
    interrupt::ask(Arc::clone(&asked));
    let (later, zone) = (context.clone(), context.zone.clone());
    let serve = Serve {
        folder: config.folder.clone(),
        listen: args.listen,
        load: Box::new(move || later.config().map_err(|failure| failure.in_a_line())),
        worker: Arc::new(Context::worker(&config)?),
        variable: Context::variable,
        clock: Context::now,
        who: Context::who(),
        asked,
        tell: Box::new(move |told| {
            for line in tell(told) {
                let at = Context::now().to_zoned_datetime(zone.clone()).strftime("%F %T");
                note(&one_line(&format!("{at}  {line}")));
            }
        }),
    };
    serve.run(config).await?;
    Ok(Exit::Done)
}

/// What is told of an event, a line each; nothing of what changed nothing.
fn tell(told: &Told) -> Vec<String> {
    match told {
        Told::Runs { systems, lanes } => vec![format!(
            "serve runs: {} pulled and {} pushed by themselves; `diaporos serve --plan` says when",
            counted(*systems as u64, "system is", "systems are"),
            counted(*lanes as u64, "lane is", "lanes are")
        )],
        Told::Listens(at) => vec![format!("listening at http://{at}")],
        Told::Done(done) => ended(done),
        Told::Alerts(changes) => alerts(changes),
        Told::Trouble(error) => vec![format!("the store failed, and is tried again in a moment: {error}")],
        Told::Reloaded => vec!["the configuration changed, and is taken over".to_owned()],
        Told::Refused(fault) => {
            vec![format!("the configuration changed and is faulty; the one before goes on: {fault}")]
        }
        Told::Ending(jobs) => vec![format!(
            "ending: {} under way, finished and noted; once more ends at once",
            counted(*jobs as u64, "job is", "jobs are")
        )],
    }
}

fn alerts(changes: &AlertChanges) -> Vec<String> {
    let AlertChanges { opened, reminded, closed } = changes;
    let told = |word: &str, row: &AlertRow| {
        let way_out = AlertKind::way_out(&row.kind, &row.subject);
        format!("{word}: {} {}: {}; {way_out}", row.kind, row.subject, row.message)
    };
    let opened = opened.iter().map(|row| told("alert", row));
    let reminded = reminded.iter().map(|row| told("alert still", row));
    let closed = closed.iter().map(|row| format!("alert over: {} {}", row.kind, row.subject));
    opened.chain(reminded).chain(closed).collect()
}

fn ended(done: &Done) -> Vec<String> {
    let what = done.what.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
    match &done.end {
        JobEnd::Pulled(rows) => pulled(rows),
        JobEnd::Looked(looked) => seen(looked),
        JobEnd::Tidied(rows) => tidied(rows),
        JobEnd::Told(tally) => told(&what, tally),
        JobEnd::NotTold(error) => vec![format!("{what}: {error}")],
        JobEnd::Pushed(summary) => pushed(&what, summary),
        JobEnd::Taken(_) => Vec::new(),
        JobEnd::NotBegun(error) => vec![format!("{what}: {error}")],
        JobEnd::Store(error) => vec![format!("{what}: {error}; tried again in a moment")],
        JobEnd::Broken(error) => vec![format!("{what}: the program has a fault: {error}")],
    }
}

fn pulled(rows: &[PullRow]) -> Vec<String> {
    let mut lines = Vec::new();
    for row in rows {
        let kind = row.kind.as_ref().map_or(String::new(), |kind| format!("/{kind}"));
        let counts = [(row.tally.new, "new"), (row.tally.changed, "changed"), (row.gone, "gone")];
        let counts: Vec<String> =
            counts.iter().filter(|(count, _)| *count > 0).map(|(count, word)| format!("{count} {word}")).collect();
        if !counts.is_empty() {
            lines.push(format!("pulled {}{kind}: {}", row.system, counts.join(", ")));
        }
        if let Some(problem) = row.problems.first() {
            let more = row.problems.len() as u64 - 1;
            let more = if more > 0 { format!(" ({more} more)") } else { String::new() };
            lines.push(format!("problem: {}{kind}: {problem}{more}", row.system));
        }
    }
    lines
}

fn tidied(rows: &[TidyRow]) -> Vec<String> {
    let all: u64 = rows.iter().map(|row| row.rows).sum();
    if all == 0 { Vec::new() } else { vec![format!("tidied: {} taken out", counted(all, "row was", "rows were"))] }
}

fn told(what: &str, tally: &TellTally) -> Vec<String> {
    let mut lines = Vec::new();
    if tally.told > 0 {
        lines.push(format!("{what}: {} told", tally.told));
    }
    if let Some((count, problem)) = &tally.failed {
        lines.push(format!("{what}: {} failed, the last: {problem}", counted(*count, "attempt", "attempts")));
    }
    if tally.given_up > 0 {
        lines.push(format!("{what}: {} given up; `diaporos tell` lists what was not told", tally.given_up));
    }
    if let Some((count, why)) = &tally.unsaid {
        let what_happened = counted(*count, "event has", "events have");
        lines.push(format!("{what}: {what_happened} no value for an expression, the last: {why}"));
    }
    lines
}

fn seen(looked: &Looked) -> Vec<String> {
    let mut lines = Vec::new();
    for ((kind, id), found) in &looked.entries {
        let what = format!("{}/{kind}/{id}", looked.system);
        match found {
            FoundAlone::New => lines.push(format!("called, and pulled {what}: new")),
            FoundAlone::Changed => lines.push(format!("called, and pulled {what}: changed")),
            FoundAlone::Gone => lines.push(format!("called, and pulled {what}: gone")),
            FoundAlone::Failed(error) => lines.push(format!("called, and could not read {what}: {error}")),
            FoundAlone::Doubtful(why) => lines.push(format!("called, and kept {what}: {why}")),
            FoundAlone::Unchanged | FoundAlone::NotThere | FoundAlone::OnlyListed => {}
        }
    }
    lines.extend(pulled(&looked.listed));
    lines
}

fn pushed(what: &str, summary: &PushSummary) -> Vec<String> {
    let quiet = ["unchanged", "outside"];
    let entries = summary.tally.entries();
    let counts: Vec<String> = entries
        .iter()
        .filter(|(word, count)| *count > 0 && !quiet.contains(word))
        .map(|(word, count)| format!("{count} {word}"))
        .collect();
    let mut lines = Vec::new();
    if summary.tally.requests > 0 || summary.tally.failed > 0 {
        lines.push(format!("pushed {what}: {}", counts.join(", ")));
    }
    lines.extend(summary.stopped.iter().map(|(lane, error)| format!("the lane {lane} stopped: {error}")));
    lines
}

/// What would be done next, and when.
fn plan(config: &Config, context: &Context) -> Result<Exit, Failure> {
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
        When::AfterPull | When::FirstLoad | When::ByHand | When::NoTimes => Cell::nothing(),
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
        Leased::Batches | Leased::Entries(_) | Leased::Tell(_) | Leased::Tidying => None,
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
        When::ByHand => "a person pushes it".to_owned(),
        When::NoTimes => "no times are set; say `every`, `at` or `cron`".to_owned(),
    }
}
