//! `lane`.

use clap::{Args, Subcommand};
use diaporos_core::value::LaneName;
use diaporos_hub::Connector;
use diaporos_hub::config::Config;
use diaporos_hub::left_behind::withdraw;
use diaporos_store::{Leased, LeftLane, Store};

use super::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, note, out};

/// See to what lanes delivered whose name, destination or configuration changed.
///
/// A lane that was renamed or taken out of the configuration leaves its documents at the destination;
/// `diaporos status` and `diaporos check` list them.
#[derive(Debug, Args)]
#[command(
    arg_required_else_help = true,
    after_help = "Examples:\n  diaporos lane left\n  diaporos lane rename profiles plants\n  diaporos lane forget profiles\n  diaporos lane moved visitor-site --same"
)]
pub(crate) struct Lane {
    #[command(subcommand)]
    command: LaneCommand,
}

#[derive(Debug, Subcommand)]
enum LaneCommand {
    /// List lanes that are no longer configured, and left documents behind.
    #[command(after_help = "Example:\n  diaporos lane left")]
    Left,
    /// Keep what a lane delivered under its new name. Rename it in the configuration as well.
    #[command(after_help = "Example:\n  diaporos lane rename profiles plants")]
    Rename {
        /// The lane's name till now.
        #[arg(value_name = "OLD")]
        old: String,
        /// Its name from now on.
        #[arg(value_name = "NEW")]
        new: String,
    },
    /// Leave the documents of a lane as they are, and know nothing more of them.
    #[command(after_help = "Example:\n  diaporos lane forget profiles")]
    Forget {
        /// A lane that is no longer configured.
        #[arg(value_name = "LANE")]
        lane: String,
    },
    /// Take the documents of a lane off view that is no longer configured.
    #[command(after_help = "Example:\n  diaporos lane withdraw profiles")]
    Withdraw {
        /// A lane that is no longer configured.
        #[arg(value_name = "LANE")]
        lane: String,
    },
    /// Say what a destination is that is at another address than before.
    #[command(
        after_help = "Examples:\n  diaporos lane moved visitor-site --same\n  diaporos lane moved visitor-site --other"
    )]
    Moved(Moved),
}

#[derive(Debug, Args)]
#[group(required = true, multiple = false)]
struct MovedTo {
    /// It is the same system with the same documents.
    #[arg(long)]
    same: bool,
    /// It is another: forget what the one before had, and deliver everything anew.
    #[arg(long)]
    other: bool,
}

#[derive(Debug, Args)]
struct Moved {
    /// The destination.
    #[arg(value_name = "SYSTEM")]
    system: String,
    #[command(flatten)]
    to: MovedTo,
}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("from", "from"),
    Column::text("to", "to"),
    Column::number("documents", "documents"),
];

pub(crate) async fn run(args: &Lane, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    match &args.command {
        LaneCommand::Left => list(&config, context)?,
        LaneCommand::Rename { old, new } => rename(&config, (&name(old)?, &name(new)?))?,
        LaneCommand::Forget { lane } => {
            let mut store = Context::store_leased(&config, &leases([lane.as_str()]), "lane forget")?;
            let left = left(&store, &config, lane)?;
            let documents = store.forget_lane(&left.name)?.unwrap_or_default();
            say(&format!("{} of `{lane}` stay as they are", counted(documents, "document", "documents")))?;
        }
        LaneCommand::Withdraw { lane } => return take_off(&config, lane).await,
        LaneCommand::Moved(moved) => say_where(&config, moved)?,
    }
    Ok(Exit::Done)
}

/// Lanes that nobody may push meanwhile.
fn leases<'a>(names: impl IntoIterator<Item = &'a str>) -> Vec<Leased> {
    names.into_iter().filter_map(|name| LaneName::new(name).ok()).map(Leased::Lane).collect()
}

fn say(sentence: &str) -> Result<(), Failure> {
    Ok(std::io::Write::write_fmt(&mut out(), format_args!("{sentence}\n"))?)
}

fn name(text: &str) -> Result<LaneName, Failure> {
    LaneName::new(text).map_err(|error| Failure::wrong(format!("`{text}` cannot name a lane: {error}")))
}

fn list(config: &Config, context: &Context) -> Result<(), Failure> {
    let store = Context::store(config)?;
    let mut sheet = context.sheet(COLUMNS);
    for left in left_lanes(&store, config)? {
        sheet.row(vec![
            Cell::text(left.name.to_string()),
            Cell::text(left.from.to_string()),
            Cell::text(left.to.to_string()),
            Cell::count(left.documents),
        ]);
    }
    sheet.end("no lane left documents behind")
}

/// The lanes that are no longer configured and left documents behind.
pub(super) fn left_lanes(store: &Store, config: &Config) -> Result<Vec<LeftLane>, Failure> {
    let configured: Vec<&LaneName> = config.lanes.keys().collect();
    Ok(store.left_behind(&configured)?)
}

/// What `status` and `check` say of a lane that is no longer configured.
pub(super) fn told_of(left: &LeftLane) -> String {
    format!(
        "note: the lane `{}` is no longer configured, and left {} at {}; `diaporos lane rename`, `forget` or `withdraw`",
        left.name,
        counted(left.documents, "document", "documents"),
        left.to
    )
}

fn left(store: &Store, config: &Config, lane: &str) -> Result<LeftLane, Failure> {
    if config.lanes.keys().any(|known| known.as_str() == lane) {
        return Err(Failure::wrong(format!("`{lane}` is configured"))
            .advise("take it out of diaporos.toml first; `diaporos withdraw` takes single entries off"));
    }
    let found = left_lanes(store, config)?.into_iter().find(|left| left.name.as_str() == lane);
    found.ok_or_else(|| {
        Failure::wrong(format!("no lane `{lane}` left documents behind"))
            .advise("`diaporos lane left` lists those that did")
    })
}

fn rename(config: &Config, (old, new): (&LaneName, &LaneName)) -> Result<(), Failure> {
    // Before the configured lanes are made known, so that a new name is free.
    let mut store = Context::leased(config, &[Leased::Lane(old.clone()), Leased::Lane(new.clone())], "lane rename")?;
    let done = store.rename_lane(old, new)? || store.hand_over(old, new, Context::now())?.is_some();
    if !done {
        return Err(Failure::failed(format!("`{old}` cannot become `{new}`")).advise(
            "there must have been a lane of the old name, and one of the new name must go from and to the same types; `diaporos lane left` lists what is left",
        ));
    }
    let next = if config.lanes.contains_key(new) { "" } else { "; give it that name in diaporos.toml too" };
    say(&format!("`{old}` is `{new}` from now on, with all that it delivered{next}"))
}

async fn take_off(config: &Config, lane: &str) -> Result<Exit, Failure> {
    let mut store = Context::store_leased(config, &leases([lane]), "lane withdraw")?;
    let left = left(&store, config, lane)?;
    let connector = Connector::new(config, &Context::variable);
    let writer = connector.writer(&left.to.system)?;
    let run = store.begin_run(&format!("lane withdraw {lane}"), &Context::who(), Context::now())?;
    let done = withdraw(&mut store, &left, writer.as_ref(), (run, &Context::now)).await?;
    store.end_run(run, "{}", Context::now())?;
    say(&format!("{} taken off view", counted(done.withdrawn, "document was", "documents were")))?;
    for (id, why) in &done.left {
        note(&format!("left: `{id}`: {why}"));
    }
    Ok(if done.left.is_empty() { Exit::Done } else { Exit::Partly })
}

fn say_where(config: &Config, moved: &Moved) -> Result<(), Failure> {
    let system = super::system(config, &moved.system)?;
    let to_it = config.lanes.values().filter(|lane| lane.lane.to.system == *system);
    let mut store = Context::store_leased(config, &leases(to_it.map(|lane| lane.lane.name.as_str())), "lane moved")?;
    let place = Connector::new(config, &Context::variable).writer(system)?.place();
    if moved.to.same {
        store.keep_destination_place(system, &place)?;
        return say(&format!("`{system}` is at {place} from now on, with what it has"));
    }
    let documents = store.forget_destination(system, &place, Context::now())?;
    let documents = counted(documents, "document of the one before is", "documents of the one before are");
    say(&format!("`{system}` at {place} is another: {documents} forgotten, and the next push delivers everything"))
}
