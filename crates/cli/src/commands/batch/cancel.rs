//! `batch cancel`.

use std::io::Write;

use clap::Args;
use diaporos_hub::batch::cancel;
use diaporos_store::Leased;

use super::{agency, batch};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::out;

/// Call a batch off, at its agency too. What was accepted of it stays; the rest can be sent anew.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos batch cancel plants-1")]
pub(crate) struct Cancel {
    /// The batch.
    #[arg(value_name = "BATCH")]
    batch: String,
    /// Only here: the agency was told otherwise.
    #[arg(long)]
    here: bool,
}

pub(crate) async fn run(args: &Cancel, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_leased(&config, &[Leased::Batches], "batch cancel")?;
    let (mut found, brief) = batch(&config, &store, &args.batch)?;
    let agency = if args.here { None } else { agency(&config, brief, &found)? };
    let was_open = cancel(&mut store, agency.as_ref(), &mut found, Context::now()).await?;
    let mut out = out();
    match was_open {
        true => writeln!(out, "`{}` is cancelled; what comes back of it is left alone", found.name)?,
        false => writeln!(out, "`{}` was cancelled before; nothing was done", found.name)?,
    }
    out.flush()?;
    Ok(Exit::Done)
}
