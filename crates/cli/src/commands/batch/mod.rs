//! `batch`.

mod cancel;
mod check;
mod collect;
mod coverage;
mod decisions;
mod files;
mod glossary;
mod list;
mod make;
mod memory;
mod progress;
mod quote;
mod review;
mod send;
mod show;

use clap::{Args, Subcommand};
use diaporos_core::translate::UnitFormat;
use diaporos_core::value::LanguageTag;
use diaporos_hub::Connector;
use diaporos_hub::config::{Brief, Carrier, Config};
use diaporos_store::{BatchRow, Store};
use diaporos_systems::agency::Agency;

use super::unknown;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Tint};

/// Translate: send what is missing or out of date, watch it, check and take what comes back.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch coverage\n  diaporos batch make plants --dry-run\n  diaporos batch make plants\n  diaporos batch send plants-1\n  diaporos batch progress\n  diaporos batch collect\n  diaporos push"
)]
pub(crate) struct Batch {
    #[command(subcommand)]
    what: What,
}

// In the order of a batch's life.
#[derive(Debug, Subcommand)]
enum What {
    Coverage(coverage::CoverageOf),
    Check(check::Check),
    Make(make::Make),
    Send(send::Send),
    Quote(quote::Quote),
    List(list::List),
    Show(show::Show),
    Progress(progress::ProgressOf),
    Collect(collect::Collect),
    Review(review::Review),
    RejectNote(files::RejectNote),
    Pseudo(files::Pseudo),
    Cancel(cancel::Cancel),
    Memory(memory::Memory),
    Glossary(glossary::Glossary),
}

pub(super) async fn run(args: &Batch, context: &Context) -> Result<Exit, Failure> {
    match &args.what {
        What::Coverage(args) => coverage::run(args, context),
        What::Check(args) => check::run(args, context),
        What::Make(args) => make::run(args, context),
        What::Send(args) => send::run(args, context).await,
        What::Quote(args) => quote::run(args, context).await,
        What::List(args) => list::run(args, context),
        What::Show(args) => show::run(args, context),
        What::Progress(args) => progress::run(args, context).await,
        What::Collect(args) => collect::run(args, context).await,
        What::Review(args) => review::run(args, context),
        What::RejectNote(args) => files::reject_note(args, context),
        What::Pseudo(args) => files::pseudo(args, context),
        What::Cancel(args) => cancel::run(args, context).await,
        What::Memory(args) => memory::run(args, context),
        What::Glossary(args) => glossary::run(args, context),
    }
}

/// The brief of that name.
fn brief<'a>(config: &'a Config, name: &str) -> Result<&'a Brief, Failure> {
    config.briefs.get(name).ok_or_else(|| unknown("brief", name, config.briefs.keys().map(String::as_str)))
}

/// The briefs of those names; all where none is named.
fn briefs<'a>(config: &'a Config, names: &[String]) -> Result<Vec<&'a Brief>, Failure> {
    match names {
        [] => Ok(config.briefs.values().collect()),
        names => names.iter().map(|name| brief(config, name)).collect(),
    }
}

/// The batch of that name, with its brief.
pub(super) fn batch<'a>(config: &'a Config, store: &Store, name: &str) -> Result<(BatchRow, &'a Brief), Failure> {
    let Some(found) = store.batch(name)? else {
        let known: Vec<String> = store.batches()?.into_iter().map(|batch| batch.name).collect();
        let failure = Failure::wrong(format!("there is no batch `{name}`"));
        return Err(match diaporos_core::diagnostic::nearest(name, known.iter().map(String::as_str)) {
            Some(near) => failure.advise(format!("did you mean `{near}`?")),
            None => failure.advise("`diaporos batch list` lists batches, `diaporos batch make BRIEF` makes one"),
        });
    };
    let brief = config.briefs.get(&found.brief).ok_or_else(|| {
        Failure::wrong(format!("`{name}` was made by the brief `{}`, which the configuration has no more", found.brief))
            .advise(format!("put the table `[briefs.{}]` back, or cancel the batch", found.brief))
    })?;
    Ok((found, brief))
}

/// The agency of a brief; none where its files are carried by others.
fn agency(config: &Config, brief: &Brief, batch: &BatchRow) -> Result<Option<Agency>, Failure> {
    match brief.carrier_of(&batch.into) {
        Carrier::Folder(_) | Carrier::InHouse => Ok(None),
        Carrier::Agency(name) => Ok(Some(Connector::new(config, &Context::variable).agency(name)?)),
    }
}

/// A language as it was typed, which must be one of those.
fn language(text: &str, known: &[LanguageTag]) -> Result<LanguageTag, Failure> {
    let names: Vec<&str> = known.iter().map(LanguageTag::as_str).collect();
    let tag: LanguageTag = text.parse().map_err(|error| Failure::wrong(format!("{error}")))?;
    if known.contains(&tag) {
        return Ok(tag);
    }
    Err(Failure::wrong(format!("`{tag}` is none of its languages")).advise(format!("it has: {}", names.join(", "))))
}

fn unit_format(text: &str) -> Result<UnitFormat, String> {
    let found = UnitFormat::WORDS.iter().find(|(word, _)| *word == text).map(|(_, format)| *format);
    found.ok_or_else(|| format!("one of {}", UnitFormat::WORDS.map(|(word, _)| word).join(", ")))
}

/// A share as a bar, and as a number for programs.
fn bar(percent: u64) -> Cell {
    const WIDTH: u64 = 20;
    // Only what is whole looks so.
    let full = usize::try_from(percent * WIDTH / 100).unwrap_or_default();
    let empty = usize::try_from(WIDTH).unwrap_or_default().saturating_sub(full);
    let shown = format!("{}{} {percent:>3} %", "━".repeat(full), "╌".repeat(empty));
    let tint = if percent >= 100 { Tint::Good } else { Tint::Plain };
    Cell { json: percent.into(), shown, tint }
}
