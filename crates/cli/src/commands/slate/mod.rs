//! `slate`.

mod entries;
mod launch;

use clap::{Args, Subcommand};
use diaporos_hub::config::Config;
use diaporos_store::{Slate, SlateAction, SlateStanding, Store};

use super::{counted, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Tint, note};

/// Put entries together that are launched or withdrawn as one: a slate.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos slate new spring --keep-back\n  diaporos slate add spring catalogue/plant-profile/p-001 --with-references 1\n  diaporos slate check spring\n  diaporos slate launch spring\n  diaporos undo spring"
)]
pub(crate) struct SlateCommand {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    New(New),
    Add(entries::Add),
    Drop(entries::Drop),
    Show(entries::Show),
    Check(launch::Check),
    Launch(launch::LaunchCommand),
    Cancel(Cancel),
    List(List),
}

/// Make a slate.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos slate new spring --lane profiles --keep-back\n  diaporos slate new autumn --withdraw"
)]
struct New {
    /// Its name.
    #[arg(value_name = "NAME")]
    name: String,
    /// Only for this lane; may be given several times. All that take its entries where none is named.
    #[arg(long, value_name = "LANE")]
    lane: Vec<String>,
    /// Take its entries off view when it is launched.
    #[arg(long)]
    withdraw: bool,
    /// Have ordinary pushes leave its entries alone till it is launched.
    #[arg(long, conflicts_with = "withdraw")]
    keep_back: bool,
}

/// Let nothing come of a slate any more; what it kept back goes with the next push.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos slate cancel spring")]
struct Cancel {
    /// The slate.
    #[arg(value_name = "NAME")]
    name: String,
}

/// List slates.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos slate list")]
struct List {}

pub(crate) async fn run(args: &SlateCommand, context: &Context) -> Result<Exit, Failure> {
    match &args.what {
        What::New(args) => new(args, context),
        What::Add(args) => entries::add(args, context),
        What::Drop(args) => entries::drop_entries(args, context),
        What::Show(args) => entries::show(args, context),
        What::Check(args) => launch::check(args, context).await,
        What::Launch(args) => launch::launch(args, context).await,
        What::Cancel(args) => cancel(args, context),
        What::List(_) => list(context),
    }
}

/// The slate of that name.
fn slate(store: &Store, name: &str) -> Result<Slate, Failure> {
    match store.slate(name)? {
        Some(slate) => Ok(slate),
        None => {
            let known: Vec<String> = store.slates()?.into_iter().map(|slate| slate.name).collect();
            if known.is_empty() {
                let failure = Failure::wrong(format!("there is no slate `{name}`"));
                return Err(failure.advise(format!("`diaporos slate new {name}` makes it")));
            }
            Err(unknown("slate", name, known.iter().map(String::as_str)))
        }
    }
}

/// The same, while it is put together.
fn open_slate(store: &Store, name: &str) -> Result<Slate, Failure> {
    let slate = slate(store, name)?;
    match slate.standing {
        SlateStanding::Open => Ok(slate),
        SlateStanding::Saving | SlateStanding::Showing => {
            let next = format!("`diaporos slate launch {name}` finishes it, and `diaporos undo {name}` takes it back");
            Err(Failure::failed(format!("the launch of `{name}` began, and was broken off")).advise(next))
        }
        standing => {
            Err(Failure::failed(format!("`{name}` is {}", standing.word()))
                .advise("`diaporos slate new` makes another"))
        }
    }
}

fn new(args: &New, context: &Context) -> Result<Exit, Failure> {
    let config: Config = context.config()?;
    let plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
    if args.name.is_empty()
        || args.name.len() > 60
        || !args.name.starts_with(|c: char| c.is_ascii_lowercase())
        || !args.name.chars().all(plain)
    {
        return Err(Failure::wrong(format!("`{}` cannot name a slate", args.name))
            .advise("use small letters, digits and `-`, a letter first"));
    }
    let lanes = super::lanes(&config, &args.lane)?;
    let lanes =
        if args.lane.is_empty() { Vec::new() } else { lanes.into_iter().map(|lane| lane.lane.name.clone()).collect() };
    let mut store = Context::store_for_change(&config)?;
    if store.slate(&args.name)?.is_some() {
        return Err(Failure::wrong(format!("there is a slate `{}` already", args.name))
            .advise("`diaporos slate list` lists them"));
    }
    let now = Context::now();
    let made = Slate {
        name: args.name.clone(),
        does: if args.withdraw { SlateAction::Withdraw } else { SlateAction::Launch },
        lanes,
        keeps_back: args.keep_back,
        standing: SlateStanding::Open,
        made: now,
        who: Context::who(),
        launch_at: None,
        launched: None,
        run: None,
    };
    store.keep_slate(&made, now)?;
    note(&format!("`{0}` is made; next: `diaporos slate add {0} ADDRESS…`", args.name));
    Ok(Exit::Done)
}

fn cancel(args: &Cancel, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_for_change(&config)?;
    let cancelled = Slate { standing: SlateStanding::Cancelled, ..open_slate(&store, &args.name)? };
    store.keep_slate(&cancelled, Context::now())?;
    note(&format!("`{}` is cancelled; what it kept back goes with the next push", args.name));
    Ok(Exit::Done)
}

const COLUMNS: &[Column] = &[
    Column::text("slate", "slate"),
    Column::text("does", "does"),
    Column::text("standing", "standing"),
    Column::number("entries", "entries"),
    Column::text("lanes", "lanes"),
    Column::text("keeps_back", "keeps back"),
    Column::text("launched", "launched"),
    Column::number("run", "run"),
];

fn list(context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut sheet = context.sheet(COLUMNS);
    for slate in store.slates()? {
        let tint = match slate.standing {
            SlateStanding::Open => Tint::Warn,
            SlateStanding::Saving | SlateStanding::Showing => Tint::Bad,
            SlateStanding::Launched => Tint::Good,
            SlateStanding::Cancelled => Tint::Faint,
        };
        let lanes = slate.lanes.iter().map(ToString::to_string).collect::<Vec<_>>();
        sheet.row(vec![
            Cell::text(slate.name.as_str()),
            Cell::text(slate.does.word()),
            Cell::text(slate.standing.word()).tint(tint),
            Cell::count(store.slate_entries(&slate.name)?.len() as u64),
            Cell::text(if lanes.is_empty() { "all".to_owned() } else { lanes.join(" ") }),
            Cell::text(if slate.keeps_back { "yes" } else { "no" }),
            slate.launched.map_or_else(Cell::nothing, |at| Cell::moment(at, &context.zone)),
            slate.run.map_or_else(Cell::nothing, |run| Cell::count(run.unsigned_abs())),
        ]);
    }
    sheet.end("no slates yet; `diaporos slate new NAME` makes one")?;
    Ok(Exit::Done)
}

/// So many entries, in words.
fn of(entries: usize) -> String {
    counted(entries as u64, "entry", "entries")
}
