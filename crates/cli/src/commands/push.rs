//! `push`.

use clap::Args;
use diaporos_core::value::{LaneName, LanguageTag};
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::look::lane_record;
use diaporos_hub::push::{Push as PushLane, PushError, PushOptions, PushRow, PushTally};
use diaporos_hub::{ConnectError, Connector};
use diaporos_store::{Standing, Store};
use diaporos_systems::Write;
use serde_json::Map;

use super::{counted, lanes};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::{Cell, Column, Format, Sheet, Summary, Tint};

/// Deliver what lanes owe their destinations, and nothing else.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos push --dry-run\n  diaporos push profiles\n  diaporos push --verify\n\nKilled, or with an answer lost? Push again: the destination is asked what was done, and nothing is sent twice."
)]
pub(crate) struct Push {
    /// The lanes to push; all where none is named.
    #[arg(value_name = "LANE")]
    lanes: Vec<String>,
    /// Print the plan and send nothing.
    #[arg(long)]
    dry_run: bool,
    /// Take away up to so many entries of a lane; where not given, a tenth of those that are there, or a
    /// third of few, but no more than 20.
    #[arg(long, value_name = "N")]
    allow_removals: Option<u64>,
    /// Let up to so many entries of a lane take over documents that were there before; where not given,
    /// 10, or a tenth of those that are there.
    #[arg(long, value_name = "N")]
    allow_adoptions: Option<u64>,
    /// Read every document that is there, and merge what somebody else changed.
    #[arg(long)]
    verify: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::text("step", "step"),
    Column::text("language", "lang"),
    Column::text("id_there", "id there"),
    Column::prose("changes", "changes"),
    Column::text("reason", "reason"),
    Column::prose("message", "why"),
];

/// How often lanes are gone through: the second time for what waited for an entry of another lane, the
/// third for circles.
const ROUNDS: u32 = 3;

pub(crate) async fn run(args: &Push, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    context.confirm_reach(&config)?;
    let chosen = lanes(&config, &args.lanes)?;
    let connector = Connector::new(&config, &Context::variable);
    // Every destination is set up before anything is sent to the first.
    let writers = chosen.iter().map(|lane| connector.writer(&lane.lane.to.system));
    let writers: Vec<Box<dyn Write>> = writers.collect::<Result<_, ConnectError>>()?;
    let mut store = Context::store_for_change(&config)?;
    let run = if args.dry_run { None } else { Some(begin(&mut store, args)?) };
    let mut progress = context.progress();
    let mut steps = Steps::new(context.sheet(COLUMNS).within("steps").around(progress.bar()), context.format);
    let mut tally = PushTally::default();
    let mut stopped: Vec<(String, PushError)> = Vec::new();
    let interrupt = Interrupt::listen();
    let names: Vec<LaneName> = chosen.iter().map(|lane| lane.lane.name.clone()).collect();
    for round in 0..ROUNDS {
        for (place, (lane, writer)) in chosen.iter().zip(&writers).enumerate() {
            let name = lane.lane.name.to_string();
            let is_over = stopped.iter().any(|(stopped, _)| *stopped == name) || interrupt.is_asked();
            if round > 0 && (is_over || args.dry_run || !owes(&store, lane)?) {
                continue;
            }
            let mut push = PushLane {
                store: &mut store,
                lane,
                writer: writer.as_ref(),
                run: run.unwrap_or_default(),
                later: if round == 0 { names.get(place + 1..).unwrap_or_default() } else { &[] },
                clock: &Context::now,
                stop: &|| interrupt.is_asked(),
            };
            let options = PushOptions {
                dry_run: args.dry_run,
                allow_removals: args.allow_removals,
                allow_adoptions: args.allow_adoptions,
                verify: args.verify,
                only_owed: round > 0,
            };
            let (sum, end) = push.run(options, &mut progress, &mut |row| steps.add(&name, row)).await;
            tally += sum;
            stopped.extend(end.err().map(|error| (name, error)));
        }
    }
    progress.clear();
    let summary = summary(&tally, args.dry_run, stopped.len() as u64);
    if let Some(run) = run {
        store.end_run(run, &serde_json::Value::Object(summary.counts.clone()).to_string(), Context::now())?;
    }
    steps.end(summary)?;
    let has_stopped = !stopped.is_empty();
    let all_stopped = stopped.len() == chosen.len() && !chosen.is_empty();
    let sent_nothing = tally == PushTally { unchanged: tally.unchanged, ..PushTally::default() };
    for (lane, error) in stopped {
        let failure = Failure::from(error).about(&format!("the lane `{lane}` stopped"));
        if all_stopped && sent_nothing {
            return Err(failure);
        }
        context.report(&failure);
    }
    Ok(if tally.held + tally.failed > 0 || has_stopped { Exit::Partly } else { Exit::Done })
}

/// Whether something on a lane became due by what was pushed on another.
fn owes(store: &Store, lane: &ConfiguredLane) -> Result<bool, Failure> {
    let counts = store.counts(lane_record(lane))?;
    Ok(counts.is_some_and(|counts| counts.get(&Standing::Owed).is_some_and(|owed| *owed > 0)))
}

fn begin(store: &mut Store, args: &Push) -> Result<i64, Failure> {
    let command = std::iter::once("push").chain(args.lanes.iter().map(String::as_str)).collect::<Vec<_>>().join(" ");
    Ok(store.begin_run(&command, &Context::who(), Context::now())?)
}

/// Rows of a push. In a table the documents of an entry that go the same way share one.
struct Steps {
    sheet: Sheet,
    joins: bool,
    waiting: Option<(String, PushRow, Vec<LanguageTag>, Vec<String>)>,
}

impl Steps {
    fn new(sheet: Sheet, format: Format) -> Steps {
        Steps { sheet, joins: format == Format::Table, waiting: None }
    }

    fn add(&mut self, lane: &str, row: PushRow) {
        if let Some((known_lane, known, languages, ids)) = &mut self.waiting
            && self.joins
            && known_lane == lane
            && (&known.address, known.step, &known.reason) == (&row.address, row.step, &row.reason)
            && (&known.message, &known.changes) == (&row.message, &row.changes)
        {
            languages.extend(row.language);
            ids.extend(row.id_there);
            return;
        }
        self.flush();
        let (languages, ids) = (row.language.iter().cloned().collect(), row.id_there.iter().cloned().collect());
        self.waiting = Some((lane.to_owned(), row, languages, ids));
    }

    fn flush(&mut self) {
        let Some((lane, row, languages, ids)) = self.waiting.take() else { return };
        let joined = |texts: Vec<String>| if texts.is_empty() { Cell::nothing() } else { Cell::text(texts.join(" ")) };
        self.sheet.row(vec![
            Cell::text(lane),
            Cell::text(row.address.to_string()),
            Cell::word(row.step),
            joined(languages.iter().map(ToString::to_string).collect()),
            joined(ids).tint(Tint::Faint),
            Cell::list(row.changes),
            Cell::maybe(row.reason).tint(Tint::Warn),
            Cell::maybe(row.message),
        ]);
    }

    fn end(mut self, summary: Summary) -> Result<(), Failure> {
        self.flush();
        self.sheet.end_with(summary)
    }
}

fn summary(tally: &PushTally, dry_run: bool, stopped: u64) -> Summary {
    let mut counts = Map::new();
    let named = [
        ("created", tally.created),
        ("updated", tally.updated),
        ("adopted", tally.adopted),
        ("withdrawn", tally.withdrawn),
        ("unchanged", tally.unchanged),
        ("held", tally.held),
        ("failed", tally.failed),
    ];
    for (name, count) in
        named.into_iter().chain([("settled", tally.settled), ("requests", tally.requests), ("stopped", stopped)])
    {
        counts.insert(name.to_owned(), count.into());
    }
    let entries: Vec<String> =
        named.iter().filter(|(_, count)| *count > 0).map(|(name, count)| format!("{count} {name}")).collect();
    let entries = if entries.is_empty() { "no entries".to_owned() } else { entries.join(", ") };
    let requests = counted(tally.requests, "request that writes", "requests that write");
    let mut sentence = match (dry_run, tally.requests) {
        (true, 0) => format!("Dry run, nothing was sent. A push would send nothing: {entries}"),
        (true, _) => format!("Dry run, nothing was sent. A push would send {requests}: {entries}"),
        (false, 0) => format!("Nothing was sent: {entries}"),
        (false, _) => format!("Sent {requests}: {entries}"),
    };
    if tally.settled > 0 {
        sentence += &format!("\nSettled {} of an interrupted run", counted(tally.settled, "request", "requests"));
    }
    if tally.held + tally.failed > 0 && !dry_run {
        sentence += "\nWhy, and what to do: `diaporos holds`";
    }
    Summary { counts, sentence }
}
