//! `push`.

mod helping;
mod steps;

use std::collections::BTreeMap;

use clap::Args;
use diaporos_core::value::{Address, LaneName};
use diaporos_hub::Connector;
use diaporos_hub::config::{ByHand, Config, ConfiguredLane};
use diaporos_hub::push::{Author, Chosen, PushError, PushOptions, PushRun, PushSummary, Showing, Target};

use diaporos_store::{Leased, Paused, Store};

use super::pause::told;
use super::selection::Selection;
use super::{address, counted, lanes};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::{Summary, note, one_line};
use helping::Helping;
pub(in crate::commands) use steps::{COLUMNS, Steps};

/// Deliver what lanes owe their destinations, and nothing else.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos push --dry-run\n  diaporos push profiles\n  diaporos push catalogue/plant-profile/p-001 --dry-run\n  diaporos push --to visitor-site --where 'habitat == \"bog\"'\n  diaporos push --verify\n\nKilled, or with an answer lost? Push again: the destination is asked what was done, and nothing is sent twice."
)]
pub(crate) struct Push {
    /// The lanes to push, all where none is named; or entries, as `system/type/id`, which are pushed alone.
    #[arg(value_name = "LANE|ADDRESS")]
    lanes: Vec<String>,
    /// Only lanes to this destination; may be given several times.
    #[arg(long, value_name = "SYSTEM")]
    to: Vec<String>,
    #[command(flatten)]
    which: Selection,
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
    /// List every document, also where there are many; holds that were there before too.
    #[arg(long)]
    rows: bool,
    /// Read every document that is there, and merge what somebody else changed; ends with 3 where
    /// somebody did.
    #[arg(long)]
    verify: bool,
    /// Push lanes too that only `serve` may push.
    #[arg(long)]
    insist: bool,
}

pub(crate) async fn run(args: &Push, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    context.confirm_reach(&config)?;
    // A lane has no `/` in its name, and an address has two.
    let (addresses, names): (Vec<String>, Vec<String>) =
        args.lanes.iter().cloned().partition(|text| text.contains('/'));
    let chosen = lanes(&config, &names)?;
    let chosen = to_destinations(&config, chosen, &args.to)?;
    let chosen = by_hand(chosen, args)?;
    let alone = alone(&config, args, &addresses, &chosen)?;
    let chosen = match &alone {
        Some(alone) => chosen.into_iter().filter(|lane| alone.contains_key(&lane.lane.name)).collect(),
        None => chosen,
    };
    let chosen = config.with_words(chosen);
    let targets = Target::of(&chosen, &Connector::new(&config, &Context::variable))?;
    let leases = leases(args, &chosen);
    let command = std::iter::once("push").chain(args.lanes.iter().map(String::as_str)).collect::<Vec<_>>().join(" ");
    let who = Context::who();
    let author = Author { command: &command, who: &who };
    let mut progress = context.progress();
    let mut steps =
        Steps::new(context.sheet(COLUMNS).within("steps").around(progress.bar()), args.rows, context.format);
    let interrupt = Interrupt::listen();
    let stop = || interrupt.is_asked();
    let is_shared = !args.dry_run && alone.is_none();
    let helping = Helping { config: &config, targets: &targets, author, stop: &stop, is_shared };
    let mut add = |lane: &LaneName, row| steps.add(lane.as_str(), row);
    let (mut store, helped) = helping.until_led(&leases, &mut progress, &mut add).await?;
    if !args.dry_run {
        tell_of_pauses(&store, &chosen, context)?;
    }
    let options = PushOptions {
        showing: Showing::AtOnce,
        dry_run: args.dry_run,
        allow_removals: args.allow_removals,
        allow_adoptions: args.allow_adoptions,
        verify: args.verify,
        only_owed: false,
    };
    let mut run = PushRun {
        store: &mut store,
        targets: &targets,
        chosen: alone.as_ref(),
        own: Some(&config),
        clock: &Context::now,
        stop: &stop,
    };
    let mut done = run.run(options, author, &mut progress, &mut add).await?;
    done.tally += helped.tally;
    progress.clear();
    let counted = steps.counted();
    let mut summary = summary(&done, args, steps.known());
    summary.sentence = counted + &summary.sentence;
    steps.end(summary)?;
    end(done, chosen.len(), args, context)
}

/// The lanes to those destinations; all where none is named.
fn to_destinations<'a>(
    config: &Config,
    chosen: Vec<&'a ConfiguredLane>,
    names: &[String],
) -> Result<Vec<&'a ConfiguredLane>, Failure> {
    let systems = names.iter().map(|name| super::system(config, name)).collect::<Result<Vec<_>, _>>()?;
    Ok(chosen.into_iter().filter(|lane| systems.is_empty() || systems.contains(&&lane.lane.to.system)).collect())
}

/// The entries that are pushed alone, by lane; none where all are that are due.
fn alone(
    config: &Config,
    args: &Push,
    addresses: &[String],
    lanes: &[&ConfiguredLane],
) -> Result<Option<BTreeMap<LaneName, Chosen>>, Failure> {
    if addresses.is_empty() && args.which == Selection::default() {
        return Ok(None);
    }
    let addresses = addresses.iter().map(|text| address(text)).collect::<Result<Vec<Address>, _>>()?;
    let store = Context::store(config)?;
    let mut by_lane: BTreeMap<LaneName, Chosen> = BTreeMap::new();
    for (address, entry) in args.which.entries(config, &store, &addresses)? {
        let takes = |lane: &&&ConfiguredLane| {
            let from = &lane.lane.from;
            (&from.system, &from.kind) == (&address.system, &address.kind)
        };
        for lane in lanes.iter().filter(takes) {
            by_lane.entry(lane.lane.name.clone()).or_default().entries.insert(entry);
        }
    }
    if by_lane.is_empty() {
        return Err(Failure::wrong("no lane takes any of these entries").advise("`diaporos status` lists the lanes"));
    }
    Ok(Some(by_lane))
}

/// The lanes that a person may push. One that was named and may not be pushed is refused; others are left out.
fn by_hand<'a>(chosen: Vec<&'a ConfiguredLane>, args: &Push) -> Result<Vec<&'a ConfiguredLane>, Failure> {
    if args.dry_run || args.insist {
        return Ok(chosen);
    }
    let (refused, allowed): (Vec<_>, Vec<_>) =
        chosen.into_iter().partition(|lane| lane.pushing.by_hand == ByHand::Refused);
    let names = refused.iter().map(|lane| format!("`{}`", lane.lane.name)).collect::<Vec<_>>().join(", ");
    if refused.is_empty() {
        return Ok(allowed);
    }
    if args.lanes.is_empty() && !allowed.is_empty() {
        note(&format!("left to `serve`, which alone pushes it (`by_hand = \"refused\"`): {names}"));
        return Ok(allowed);
    }
    Err(Failure::wrong(format!("only `serve` pushes {names}: the configuration says `by_hand = \"refused\"`"))
        .advise("`--dry-run` shows what is owed; `--insist` pushes all the same, as a first load needs it"))
}

/// Says of which lanes `serve` leaves alone, and why: a person pushes them all the same.
fn tell_of_pauses(store: &Store, chosen: &[&ConfiguredLane], context: &Context) -> Result<(), Failure> {
    let pauses = store.pauses(Context::now())?;
    let of_lanes = chosen.iter().map(|lane| Paused::One(Leased::Lane(lane.lane.name.clone())));
    for paused in std::iter::once(Paused::All).chain(of_lanes) {
        if let Some(pause) = pauses.get(&paused.to_string()) {
            note(&one_line(&format!(
                "{}; pushed by hand all the same",
                told(&paused.to_string(), pause, &context.zone)
            )));
        }
    }
    Ok(())
}

/// What only one process at a time may do: to push these lanes. A plan needs nothing.
fn leases(args: &Push, chosen: &[&ConfiguredLane]) -> Vec<Leased> {
    let lanes = chosen.iter().filter(|_| !args.dry_run);
    lanes.map(|configured| Leased::Lane(configured.lane.name.clone())).collect()
}

/// Tells of the lanes that stopped, and how the program ends.
fn end(done: PushSummary, lanes: usize, args: &Push, context: &Context) -> Result<Exit, Failure> {
    let PushSummary { tally, stopped, problems, .. } = done;
    for problem in &problems {
        note(&format!("problem: {}", one_line(problem)));
    }
    let is_partial = !problems.is_empty()
        || tally.held + tally.failed > 0
        || !stopped.is_empty()
        || (args.verify && tally.drifted > 0);
    let all_stopped = stopped.len() == lanes && lanes > 0;
    for (lane, error) in stopped {
        let failure = Failure::from(error).about(&format!("the lane `{lane}` stopped"));
        if all_stopped && tally.did_nothing() {
            return Err(failure);
        }
        context.report(&failure);
    }
    Ok(if is_partial { Exit::Partly } else { Exit::Done })
}

/// Why a lane stopped within another command, which goes ahead where more may be taken away.
pub(in crate::commands) fn stopped(lane: &LaneName, error: PushError, command: &str) -> Failure {
    let entries = if let PushError::Removals { entries, .. } = &error { Some(*entries) } else { None };
    let failure = Failure::from(error).about(&format!("the lane `{lane}` stopped"));
    match entries {
        Some(entries) => failure.advise(format!("`diaporos {command} --allow-removals {entries}` goes ahead")),
        None => failure,
    }
}

/// What was done, in words; `known` entries are held as before, which was said.
fn summary(done: &PushSummary, args: &Push, known: u64) -> Summary {
    let tally = &done.tally;
    let entries: Vec<String> =
        tally.entries().iter().filter(|(_, count)| *count > 0).map(|(name, count)| format!("{count} {name}")).collect();
    let entries = if entries.is_empty() { "no entries".to_owned() } else { entries.join(", ") };
    let requests = counted(tally.requests, "request that writes", "requests that write");
    let mut sentence = match (args.dry_run, tally.requests) {
        (true, 0) => format!("Dry run, nothing was sent. A push would send nothing: {entries}"),
        (true, _) => format!("Dry run, nothing was sent. A push would send {requests}: {entries}"),
        (false, 0) => format!("Nothing was sent: {entries}"),
        (false, _) => format!("Sent {requests}: {entries}"),
    };
    if tally.asked > 0 {
        let asked = counted(tally.asked, "question", "questions");
        sentence += &if args.dry_run {
            format!("\nBefore, it would ask services {asked}; what comes of that is not shown")
        } else {
            format!("\nServices were asked {asked}")
        };
    }
    if tally.settled > 0 {
        sentence += &format!("\nSettled {} of an interrupted run", counted(tally.settled, "request", "requests"));
    }
    if args.verify && tally.drifted > 0 {
        let documents = counted(tally.drifted, "document was", "documents were");
        sentence += &format!("\n{documents} changed there by somebody else: `diaporos show ADDRESS --three-way`");
    }
    if tally.held + tally.failed > known && !args.dry_run {
        sentence += "\nWhy, and what to do: `diaporos holds`";
    }
    Summary { counts: done.counts(), sentence }
}
