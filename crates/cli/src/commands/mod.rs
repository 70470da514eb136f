//! The commands, one file each: arguments whose comments are the help, and one function.

mod alerts;
mod amend;
mod ask;
mod backup;
mod batch;
mod changes;
mod check;
mod completions;
mod crop;
mod demo;
mod entries;
mod explain;
mod functions;
mod given;
mod holds;
mod hub;
mod init;
mod lane;
mod ledger;
mod list;
mod man;
mod model;
mod moments;
mod outline;
mod pause;
mod preview;
mod probe;
mod pull;
mod push;
mod refs;
mod report;
mod resolve;
mod selection;
mod serve;
mod show;
mod slate;
mod status;
mod tell;
mod tidy;
mod undo;
mod withdraw;

use std::str::FromStr;

use clap::{Parser, Subcommand};
use diaporos_core::diagnostic::nearest;
use diaporos_core::value::{Address, SystemName};
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_store::Store;

use crate::context::{Context, Global};
use crate::error::{Exit, Failure};

/// Keeps content in step between systems that model it differently.
///
/// Pulls entries from feeds and content platforms, maps them field by field to other models, and
/// delivers what changed: never twice, never half.
#[derive(Debug, Parser)]
#[command(
    name = "diaporos",
    version,
    max_term_width = 100,
    disable_help_subcommand = true,
    arg_required_else_help = true,
    after_help = "Example, in a new folder:\n  diaporos demo\n\nExit codes: 0 done; 1 failed; 2 wrong usage or configuration; 3 done, but something is held or failed."
)]
pub(crate) struct Cli {
    #[command(flatten)]
    pub(crate) global: Global,
    #[command(subcommand)]
    pub(crate) command: Command,
}

// In the order of a working day.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Init(init::Init),
    Check(check::Check),
    Probe(probe::Probe),
    Ask(ask::AskCommand),
    Model(model::Model),
    Pull(pull::Pull),
    Entries(entries::Entries),
    Show(show::Show),
    Refs(refs::Refs),
    Changes(changes::Changes),
    Preview(preview::Preview),
    Explain(explain::Explain),
    Amend(amend::AmendCommand),
    Push(push::Push),
    Status(status::Status),
    Holds(holds::Holds),
    Resolve(resolve::Resolve),
    Withdraw(withdraw::Withdraw),
    Lane(lane::Lane),
    Ledger(ledger::Ledger),
    Batch(batch::Batch),
    Serve(serve::ServeCommand),
    Alerts(alerts::Alerts),
    Tell(tell::Tell),
    Pause(pause::PauseCommand),
    Resume(pause::Resume),
    Slate(slate::SlateCommand),
    List(list::ListCommand),
    Outline(outline::OutlineCommand),
    Crop(crop::Crop),
    Undo(undo::UndoCommand),
    Report(report::ReportCommand),
    Tidy(tidy::Tidy),
    Backup(backup::Backup),
    Hub(hub::HubCommand),
    Functions(functions::Functions),
    Completions(completions::Completions),
    Man(man::Man),
    Demo(demo::Demo),
}

pub(crate) async fn run(command: Command, context: &Context) -> Result<Exit, Failure> {
    match command {
        Command::Init(args) => init::run(&args, context).await,
        Command::Check(args) => check::run(&args, context).await,
        Command::Probe(args) => probe::run(&args, context).await,
        Command::Ask(args) => ask::run(&args, context).await,
        Command::Model(args) => model::run(&args, context).await,
        Command::Pull(args) => pull::run(&args, context).await,
        Command::Entries(args) => entries::run(&args, context),
        Command::Show(args) => show::run(&args, context).await,
        Command::Refs(args) => refs::run(&args, context),
        Command::Changes(args) => changes::run(&args, context),
        Command::Preview(args) => preview::run(&args, context).await,
        Command::Explain(args) => explain::run(&args, context),
        Command::Amend(args) => amend::run(&args, context),
        Command::Push(args) => push::run(&args, context).await,
        Command::Status(args) => status::run(&args, context).await,
        Command::Holds(args) => holds::run(&args, context),
        Command::Resolve(args) => resolve::run(&args, context).await,
        Command::Withdraw(args) => withdraw::run(&args, context),
        Command::Lane(args) => lane::run(&args, context).await,
        Command::Ledger(args) => ledger::run(&args, context),
        Command::Batch(args) => batch::run(&args, context).await,
        Command::Serve(args) => serve::run(&args, context).await,
        Command::Alerts(args) => alerts::run(&args, context),
        Command::Tell(args) => tell::run(&args, context).await,
        Command::Pause(args) => pause::pause(&args, context),
        Command::Resume(args) => pause::resume(&args, context),
        Command::Slate(args) => slate::run(&args, context).await,
        Command::List(args) => list::run(&args, context),
        Command::Outline(args) => outline::run(&args, context),
        Command::Crop(args) => crop::run(&args, context).await,
        Command::Undo(args) => undo::run(&args, context).await,
        Command::Report(args) => report::run(&args, context),
        Command::Tidy(args) => tidy::run(&args, context).await,
        Command::Backup(args) => backup::run(&args, context),
        Command::Hub(args) => hub::run(&args, context),
        Command::Functions(args) => functions::run(&args, context),
        Command::Completions(args) => completions::run(&args),
        Command::Man(args) => man::run(&args),
        Command::Demo(args) => demo::run(&args, context).await,
    }
}

/// The lane of that name.
fn lane<'a>(config: &'a Config, name: &str) -> Result<&'a ConfiguredLane, Failure> {
    let found = config.lanes.values().find(|configured| configured.lane.name.as_str() == name);
    found.ok_or_else(|| unknown("lane", name, config.lanes.keys().map(|known| known.as_str())))
}

/// The lanes of those names, each once; all where none is named.
fn lanes<'a>(config: &'a Config, names: &[String]) -> Result<Vec<&'a ConfiguredLane>, Failure> {
    if names.is_empty() {
        return Ok(config.lanes.values().collect());
    }
    let wanted = names.iter().map(|name| lane(config, name)).collect::<Result<Vec<_>, _>>()?;
    let mut chosen: Vec<&ConfiguredLane> = Vec::new();
    for configured in wanted {
        if !chosen.iter().any(|known| known.lane.name == configured.lane.name) {
            chosen.push(configured);
        }
    }
    Ok(chosen)
}

/// The system of that name.
fn system<'a>(config: &'a Config, name: &str) -> Result<&'a SystemName, Failure> {
    let found = config.systems.keys().find(|known| known.as_str() == name);
    found.ok_or_else(|| unknown("system", name, config.systems.keys().map(SystemName::as_str)))
}

fn unknown<'a>(what: &str, name: &str, known: impl Iterator<Item = &'a str>) -> Failure {
    let known: Vec<&str> = known.collect();
    let failure = Failure::wrong(format!("there is no {what} `{name}`"));
    match nearest(name, known.iter().copied()) {
        Some(near) => failure.advise(format!("did you mean `{near}`?")),
        None if known.is_empty() => failure.advise(format!("add a table `[{what}s.{name}]` to diaporos.toml")),
        None => failure.advise(format!("known here: {}", known.join(", "))),
    }
}

/// Reads an address as it was typed.
fn address(text: &str) -> Result<Address, Failure> {
    Address::from_str(text).map_err(|error| {
        Failure::wrong(format!("`{text}`: {error}")).advise("`diaporos entries` lists addresses; copy one whole")
    })
}

/// An address that the store does not have, with those that look like it.
fn no_entry(store: &Store, address: &Address) -> Result<Failure, Failure> {
    let failure = Failure::failed(format!("there is no entry `{address}`"));
    let near = store.addresses_like(address.id.as_str(), 3)?;
    Ok(if near.is_empty() {
        failure.advise("`diaporos entries` lists what was pulled; `diaporos pull` takes in what is new")
    } else {
        let near: Vec<String> = near.iter().map(|near| format!("`{near}`")).collect();
        failure.advise(format!("did you mean {}?", near.join(" or ")))
    })
}

/// So many of a thing, in words: `1 entry`, `2 entries`.
fn counted(count: u64, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}
