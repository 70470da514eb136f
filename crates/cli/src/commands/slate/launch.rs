//! `slate check` and `slate launch`.

use clap::Args;
use diaporos_hub::Connector;
use diaporos_hub::config::Config;
use diaporos_hub::push::{Author, Target};
use diaporos_hub::slate::{Launch, LaunchBy, Launched, SlateFault, chosen, lanes};
use diaporos_store::{Leased, Slate, SlateStanding, Store};

use super::{of, slate as named};
use crate::commands::counted;
use crate::commands::moments::moment_to_come;
use crate::commands::push::{COLUMNS as STEP_COLUMNS, Steps, stopped};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt::Interrupt;
use crate::output::{Cell, Column, Summary, Tint, note, one_line};

/// Judge a slate as a whole: whether every entry of it could go now, and what stands against it.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos slate check spring")]
pub(crate) struct Check {
    /// The slate.
    #[arg(value_name = "NAME")]
    name: String,
}

/// Launch a slate: all of its entries, or none where anything stands against one of them.
#[derive(Debug, Args)]
#[command(
    name = "launch",
    after_help = "Examples:\n  diaporos slate launch spring\n  diaporos slate launch spring --at 2030-03-01T09:00 --zone Europe/London\n\nWhere a destination can save without showing, all of it is saved and read back first, and goes on view only then.
Broken off, or killed? Launch it again: the rest follows. `diaporos undo NAME` takes it back."
)]
pub(crate) struct LaunchCommand {
    /// The slate.
    #[arg(value_name = "NAME")]
    name: String,
    /// Take away up to so many entries of a lane; where not given, as many as the slate has.
    #[arg(long, value_name = "N")]
    allow_removals: Option<u64>,
    /// Have `serve` launch it then, and not now: `2026-12-01T09:00`.
    #[arg(long, value_name = "WHEN")]
    at: Option<String>,
    /// The time zone (IANA) of `--at`; this machine's where not given.
    #[arg(long, value_name = "ZONE", requires = "at")]
    zone: Option<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::prose("fault", "what stands against it"),
    Column::prose("way_out", "what to do"),
];

fn tell(faults: Vec<SlateFault>, slate: &Launch<'_>, context: &Context) -> Result<Exit, Failure> {
    let mut sheet = context.sheet(COLUMNS).within("faults");
    let count = faults.len();
    for fault in faults {
        sheet.row(vec![
            fault.lane.map_or_else(Cell::nothing, |lane| Cell::text(lane.to_string())),
            Cell::text(fault.address.to_string()),
            Cell::text(one_line(&fault.message)).tint(Tint::Bad),
            Cell::text(fault.way_out),
        ]);
    }
    let (name, entries) = (&slate.slate.name, slate.entries.len());
    let sentence = match count {
        _ if slate.slate.standing == SlateStanding::Saving => format!(
            "nothing of `{name}` is on view; its launch goes on once this is mended, and `diaporos undo {name}` takes back what is saved"
        ),
        0 => format!("{} could go now; next: `diaporos slate launch {name}`", of(entries)),
        _ => format!("nothing of `{name}` goes till this is mended: {}", counted(count as u64, "fault", "faults")),
    };
    let counts = [("entries".to_owned(), entries.into()), ("faulty".to_owned(), count.into())];
    sheet.end_with(Summary { counts: counts.into_iter().collect(), sentence })?;
    Ok(if count > 0 { Exit::Partly } else { Exit::Done })
}

/// The slate of that name, which has something in it, and the lanes that it is for.
fn filled(config: &Config, store: &Store, name: &str) -> Result<(Slate, Vec<Leased>), Failure> {
    let slate = named(store, name)?;
    if !slate.standing.is_pending() {
        return Err(Failure::failed(format!("`{name}` is {}", slate.standing.word()))
            .advise("`diaporos slate new` makes another"));
    }
    let entries = store.slate_entries(name)?;
    if entries.is_empty() {
        let next = format!("`diaporos slate add {name} ADDRESS…`");
        return Err(Failure::wrong(format!("nothing is in `{name}`")).advise(next));
    }
    let lanes = lanes(config, &chosen(config, &slate, &entries)).into_iter().map(Leased::Lane).collect();
    Ok((slate, lanes))
}

pub(crate) async fn check(args: &Check, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    context.confirm_reach(&config)?;
    let mut store = Context::store_leased(&config, &[], "slate check")?;
    let (slate, _) = filled(&config, &store, &args.name)?;
    let connector = Connector::new(&config, &Context::variable);
    let who = Context::who();
    let author = Author { command: "slate check", who: &who };
    let by = LaunchBy { author, clock: &Context::now, stop: &|| false };
    let launch = Launch::of((&config, &store), slate, |lanes| Target::of(lanes, &connector), by)?;
    let faults = launch.faults(&mut store, None).await?;
    tell(faults, &launch, context)
}

pub(crate) async fn launch(args: &LaunchCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let (slate, leases) = filled(&config, &Context::store(&config)?, &args.name)?;
    if let Some(text) = &args.at {
        if slate.standing.is_under_way() {
            let why = format!("the launch of `{}` began, and was broken off", args.name);
            return Err(Failure::failed(why).advise(format!("`diaporos slate launch {}` finishes it", args.name)));
        }
        return later(slate, (text, args.zone.as_deref()), &config, context);
    }
    context.confirm_reach(&config)?;
    let mut store = Context::store_leased(&config, &leases, "slate launch")?;
    let connector = Connector::new(&config, &Context::variable);
    let (command, who) = (format!("slate launch {}", args.name), Context::who());
    let author = Author { command: &command, who: &who };
    let interrupt = Interrupt::listen();
    let stop = || interrupt.is_asked();
    let by = LaunchBy { author, clock: &Context::now, stop: &stop };
    let launch = Launch::of((&config, &store), slate, |lanes| Target::of(lanes, &connector), by)?;
    let mut steps = Steps::new(context.sheet(STEP_COLUMNS).within("steps"), true, context.format);
    let end = launch.carry_out(&mut store, args.allow_removals, &mut |lane, row| steps.add(lane.as_str(), row)).await?;
    let name = &args.name;
    let (done, sentence, exit) = match end {
        Launched::Faulty(faults) => return tell(faults, &launch, context),
        Launched::Whole(done) => {
            let (entries, run) = (of(launch.entries.len()), done.run.unwrap_or_default());
            let sentence =
                format!("`{name}` is launched, {entries}, as run {run}; `diaporos undo {name}` takes it back");
            (done, sentence, Exit::Done)
        }
        Launched::Unseen(done) => {
            let why = format!(
                "nothing of `{name}` is on view: some of it could not be saved\n`diaporos holds` says why; launched again, the rest is saved and all of it shown; `diaporos undo {name}` takes back what is saved"
            );
            (done, why, Exit::Partly)
        }
        Launched::InPart(done) => {
            let why = "`diaporos holds` says why; launched again, the rest follows";
            (done, format!("`{name}` is launched in part, and open still: {why}"), Exit::Partly)
        }
    };
    steps.end(Summary { counts: done.counts(), sentence })?;
    for (lane, error) in done.stopped {
        context.report(&stopped(&lane, error, &format!("slate launch {name}")));
    }
    Ok(exit)
}

/// Has `serve` launch a slate at a time of the day.
fn later(
    slate: Slate,
    (text, zone): (&str, Option<&str>),
    config: &Config,
    context: &Context,
) -> Result<Exit, Failure> {
    let at = moment_to_come(text, zone, context)?;
    let now = Context::now();
    let mut store = Context::store_for_change(config)?;
    let name = slate.name.clone();
    store.keep_slate(&Slate { launch_at: Some(at), ..slate }, now)?;
    let at = crate::output::moment(at, &context.zone);
    note(&format!("`serve` launches `{name}` at {at}; `diaporos slate check {name}` says whether it could go now"));
    Ok(Exit::Done)
}
