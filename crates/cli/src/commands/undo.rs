//! `undo`.

use std::collections::{BTreeMap, BTreeSet};

use clap::Args;
use diaporos_core::value::{Address, LaneName};
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_hub::push::{Author, Chosen, PushOptions, PushRun, PushSummary, Target};
use diaporos_hub::undo::{UndoRow, undo};
use diaporos_hub::{Connector, Silent};
use diaporos_store::{Leased, Slate, SlateStanding, Store, Undone};

use super::push::{COLUMNS as STEP_COLUMNS, Steps, stopped};
use super::{address, counted, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::{Cell, Column, Summary, note, one_line};

/// Take a run back: what it created goes, what it changed is as it was, what it took off view is back.
///
/// What somebody else changed there since stays, and is told. An entry is kept as it was before the run until it is
/// released: pushes do not do it again.
#[derive(Debug, Args)]
#[command(
    name = "undo",
    after_help = "Examples:\n  diaporos undo 7 --dry-run\n  diaporos undo 7\n  diaporos undo spring\n  diaporos undo spring --lane guide\n  diaporos undo --list\n  diaporos undo 7 --release\n\n`diaporos ledger` lists runs with their numbers."
)]
pub(crate) struct UndoCommand {
    /// The run, or the slate that was launched.
    #[arg(value_name = "RUN|SLATE", required_unless_present = "list")]
    run: Option<String>,
    /// Only say what would be done.
    #[arg(long)]
    dry_run: bool,
    /// Only these entries of it.
    #[arg(long, value_name = "ADDRESS", num_args = 1..)]
    only: Vec<String>,
    /// Only on this lane; may be given several times.
    #[arg(long, value_name = "LANE")]
    lane: Vec<String>,
    /// Take away up to so many entries of a lane; a share of those that are there where not given, as in `push`.
    #[arg(long, value_name = "N")]
    allow_removals: Option<u64>,
    /// Let what was undone go again as its lane has it; the next push sends it.
    #[arg(long, conflicts_with = "dry_run")]
    release: bool,
    /// List what is kept as it was.
    #[arg(long, conflicts_with_all = ["run", "dry_run", "only", "lane", "release"])]
    list: bool,
}

pub(crate) async fn run(args: &UndoCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let Some(named) = args.run.as_ref().filter(|_| !args.list) else { return list(&config, context) };
    let (runs, slate) = runs_of(&config, named)?;
    let number = runs.iter().max().copied().unwrap_or_default();
    let lanes: BTreeSet<LaneName> =
        super::lanes(&config, &args.lane)?.into_iter().map(|lane| lane.lane.name.clone()).collect();
    let is_meant = |lane: &LaneName| args.lane.is_empty() || lanes.contains(lane);
    let only = args.only.iter().map(|text| address(text)).collect::<Result<BTreeSet<Address>, _>>()?;
    if args.release {
        let is_meant =
            |lane: &LaneName, address: &Address| is_meant(lane) && (only.is_empty() || only.contains(address));
        return release(&config, number, is_meant);
    }
    let store = Context::store(&config)?;
    if !store.has_run_numbered(number)? {
        return Err(Failure::wrong(format!("the ledger has no run {number}")).advise("`diaporos ledger` lists runs"));
    }
    drop(store);
    if !args.dry_run {
        settle(&config, number, context).await?;
    }
    let (store, who) = (Context::store(&config)?, Context::who());
    let mut rows = undo(&config, &store, &runs, (&who, Context::now()))?;
    rows.retain(|row| is_meant(&row.lane) && (only.is_empty() || only.contains(&row.address)));
    let kept: Vec<(LaneName, i64, Undone)> =
        rows.iter().filter_map(|row| Some((row.lane.clone(), row.entry, row.end.as_ref().ok()?.clone()))).collect();
    for UndoRow { lane, address, end, .. } in &rows {
        if let Err(why) = end {
            note(&one_line(&format!("{lane}: {address} is left as it is: {why}")));
        }
    }
    let left = rows.len() - kept.len();
    if kept.is_empty() {
        let what = if rows.is_empty() { "it changed nothing" } else { "nothing of it can be taken back" };
        note(&format!("run {number}: {what}"));
        if let Some(slate) = slate.filter(|slate| left == 0 && slate.standing.is_under_way() && !args.dry_run) {
            drop(store);
            let mut store = Context::store_for_change(&config)?;
            store.keep_slate(&Slate { standing: SlateStanding::Cancelled, ..slate }, Context::now())?;
        }
        return Ok(if left > 0 { Exit::Partly } else { Exit::Done });
    }
    drop(store);
    Undoing { args, config: &config, context, number, who: &who, slate }.carry_out(kept, left).await
}

/// Finds out what became of requests whose answers were lost, since they are part of what is taken back.
async fn settle(config: &Config, run: i64, context: &Context) -> Result<(), Failure> {
    let store = Context::store(config)?;
    let mut lanes: Vec<&ConfiguredLane> = Vec::new();
    for lane in config.lanes.values() {
        if store.count_in_doubt(&lane.lane.name)? > 0 {
            lanes.push(lane);
        }
    }
    drop(store);
    if lanes.is_empty() {
        return Ok(());
    }
    context.confirm_reach(config)?;
    let names = || lanes.iter().map(|lane| lane.lane.name.clone());
    let targets = Target::of(&lanes, &Connector::new(config, &Context::variable))?;
    let leases: Vec<Leased> = names().map(Leased::Lane).collect();
    let mut store = Context::store_leased(config, &leases, "undo")?;
    // Nothing is chosen, so nothing is sent.
    let chosen: BTreeMap<LaneName, Chosen> = names().map(|name| (name, Chosen::default())).collect();
    let mut push = PushRun {
        store: &mut store,
        targets: &targets,
        chosen: Some(&chosen),
        own: None,
        clock: &Context::now,
        stop: &|| false,
    };
    let settled = push.run_within(run, PushOptions::default(), &mut Silent, &mut |_, _| {}).await?;
    for (lane, error) in settled.stopped {
        context.report(&stopped(&lane, error, &format!("undo {run}")));
    }
    Ok(())
}

/// The runs that are meant: one by its number, or those of a slate.
fn runs_of(config: &Config, named: &str) -> Result<(Vec<i64>, Option<Slate>), Failure> {
    if let Ok(number) = named.parse() {
        return Ok((vec![number], None));
    }
    let store = Context::store(config)?;
    let Some(slate) = store.slate(named)? else {
        let known: Vec<String> = store.slates()?.into_iter().map(|slate| slate.name).collect();
        if known.is_empty() {
            let failure = Failure::wrong(format!("there is no run or slate `{named}`"));
            return Err(failure.advise("`diaporos ledger` lists runs; no slate was made yet"));
        }
        return Err(unknown("run or slate", named, known.iter().map(String::as_str)));
    };
    let runs = store.slate_runs(named)?;
    if runs.is_empty() {
        let why = format!("`{named}` is {}, and was not launched", slate.standing.word());
        return Err(Failure::failed(why).advise(format!("`diaporos slate show {named}`")));
    }
    Ok((runs, Some(slate)))
}

struct Undoing<'a> {
    args: &'a UndoCommand,
    config: &'a Config,
    context: &'a Context,
    number: i64,
    who: &'a str,
    /// The slate that is taken back, where it is one.
    slate: Option<Slate>,
}

impl Undoing<'_> {
    async fn carry_out(&self, kept: Vec<(LaneName, i64, Undone)>, left: usize) -> Result<Exit, Failure> {
        self.context.confirm_reach(self.config)?;
        let chosen = chosen(&kept, self.slate.as_ref());
        let lanes: Vec<&ConfiguredLane> = chosen.keys().filter_map(|name| self.config.lanes.get(name)).collect();
        let leases: Vec<Leased> = chosen.keys().cloned().map(Leased::Lane).collect();
        let targets = Target::of(&lanes, &Connector::new(self.config, &Context::variable))?;
        let command = format!("undo {}", self.number);
        let mut store = Context::store_leased(self.config, if self.args.dry_run { &[] } else { &leases }, &command)?;
        let author = Author { command: &command, who: self.who };
        // What was saved and never shown is missed by nobody.
        let is_unseen = self.slate.as_ref().is_some_and(|slate| slate.standing == SlateStanding::Saving);
        let allow_removals = self.args.allow_removals.or(is_unseen.then_some(u64::MAX));
        let options = PushOptions { allow_removals, ..PushOptions::default() };
        let mut steps = Steps::new(self.context.sheet(STEP_COLUMNS).within("steps"), true, self.context.format);
        let interrupt = Interrupt::listen();
        let stop = || interrupt.is_asked();
        let mut run = PushRun {
            store: &mut store,
            targets: &targets,
            chosen: Some(&chosen),
            own: None,
            clock: &Context::now,
            stop: &stop,
        };
        // Seen first: where more would go than goes without being asked, nothing is kept either.
        let planned = PushOptions { dry_run: true, ..options };
        let plan = run
            .run(planned, author, &mut Silent, &mut |lane, row| {
                if self.args.dry_run {
                    steps.add(lane.as_str(), row);
                }
            })
            .await?;
        if self.args.dry_run || !plan.stopped.is_empty() {
            steps.end(self.summary(&plan, false, left))?;
            return self.end(plan, left);
        }
        run.store.keep_undone(&kept)?;
        // What is taken back of a launch that was broken off is not gone on with.
        if let Some(slate) = self.slate.clone().filter(|slate| slate.standing.is_under_way()) {
            run.store.keep_slate(&Slate { standing: SlateStanding::Cancelled, ..slate }, Context::now())?;
        }
        let done = run.run(options, author, &mut Silent, &mut |lane, row| steps.add(lane.as_str(), row)).await?;
        steps.end(self.summary(&done, true, left))?;
        self.end(done, left)
    }

    /// `was_sent` is false of a plan, be it all that was wished or one that stopped to ask.
    fn summary(&self, done: &PushSummary, was_sent: bool, left: usize) -> Summary {
        let number = self.number;
        let counts = done.tally.entries().into_iter().filter(|(_, count)| *count > 0);
        let counts: Vec<String> = counts.map(|(word, count)| format!("{count} {word}")).collect();
        let counts = if counts.is_empty() { "nothing".to_owned() } else { counts.join(", ") };
        let mut sentence = match (was_sent, done.stopped.is_empty()) {
            (false, true) => format!("Dry run, nothing was sent. Run {number} would be taken back: {counts}"),
            (false, false) => format!("Run {number} is not taken back; nothing was sent"),
            (true, true) => format!(
                "Run {number} is taken back: {counts}\nKept so until it is released: `diaporos undo {number} --release`; `diaporos undo --list` lists it"
            ),
            (true, false) => format!("Run {number} is taken back in part: {counts}; the next push goes on with it"),
        };
        if left > 0 {
            sentence += &format!("\n{} left as it is, as was said", counted(left as u64, "entry is", "entries are"));
        }
        Summary { counts: done.counts(), sentence }
    }

    fn end(&self, done: PushSummary, left: usize) -> Result<Exit, Failure> {
        let is_partial = done.tally.held + done.tally.failed > 0 || left > 0 || !done.stopped.is_empty();
        for (lane, error) in done.stopped {
            self.context.report(&stopped(&lane, error, &format!("undo {}", self.number)));
        }
        Ok(if is_partial { Exit::Partly } else { Exit::Done })
    }
}

/// What a push of these entries alone is to do, by lane.
fn chosen(kept: &[(LaneName, i64, Undone)], slate: Option<&Slate>) -> BTreeMap<LaneName, Chosen> {
    let mut chosen: BTreeMap<LaneName, Chosen> = BTreeMap::new();
    for (lane, entry, undone) in kept {
        let of_lane = chosen.entry(lane.clone()).or_default();
        of_lane.entries.insert(*entry);
        of_lane.slate = slate.map(|slate| slate.name.clone());
        of_lane.undone.insert(*entry, undone.clone());
    }
    chosen
}

fn release(config: &Config, run: i64, is_meant: impl Fn(&LaneName, &Address) -> bool) -> Result<Exit, Failure> {
    let mut store = Context::store_for_change(config)?;
    let all = store.all_undone()?;
    let wanted = all.into_iter().filter(|(lane, address, _, undone)| undone.run == run && is_meant(lane, address));
    let released: Vec<(LaneName, i64)> = wanted.map(|(lane, _, entry, _)| (lane, entry)).collect();
    let count = store.release_undone(&released, Context::now())?;
    note(&match count {
        0 => format!("nothing is kept as it was before run {run}"),
        count => format!(
            "{} released; `diaporos push` lets it go as its lane has it",
            counted(count, "entry is", "entries are")
        ),
    });
    Ok(Exit::Done)
}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::number("run", "as before run"),
    Column::text("languages", "documents"),
    Column::text("since", "since"),
    Column::prose("who", "undone by"),
];

fn list(config: &Config, context: &Context) -> Result<Exit, Failure> {
    let store: Store = Context::store(config)?;
    let mut sheet = context.sheet(COLUMNS);
    for (lane, address, _, Undone { run, who, since, documents }) in store.all_undone()? {
        let named = documents.iter().map(|document| document.language.as_ref().map_or("one", |tag| tag.as_str()));
        let named: Vec<&str> = named.collect();
        sheet.row(vec![
            Cell::text(lane.to_string()),
            Cell::text(address.to_string()),
            Cell::count(run.unsigned_abs()),
            Cell::text(if named.is_empty() { "none".to_owned() } else { named.join(" ") }),
            Cell::moment(since, &context.zone),
            Cell::text(one_line(&who)),
        ]);
    }
    sheet.end("nothing is kept as it was")?;
    Ok(Exit::Done)
}
