//! `resolve`.

use clap::{Args, ValueEnum};
use diaporos_hub::Connector;
use diaporos_hub::resolve::{Resolved, Take, resolve};

use super::{address, lanes, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Sheet};

/// Answer for an entry that the hub must not guess about: whose version is right?
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos resolve catalogue/plant-profile/p-001 --take theirs")]
pub(crate) struct Resolve {
    /// The entry that is held.
    #[arg(value_name = "ADDRESS")]
    address: String,
    /// `ours` writes over what is there, by the next push; `theirs` leaves it until the entry changes.
    #[arg(long, value_enum, value_name = "SIDE")]
    take: Side,
    /// Only on this lane; on every lane that holds it where not given.
    #[arg(long, value_name = "LANE")]
    lane: Option<String>,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum Side {
    Ours,
    Theirs,
}

const COLUMNS: &[Column] =
    &[Column::text("lane", "lane"), Column::text("address", "address"), Column::text("next", "next")];

pub(crate) async fn run(args: &Resolve, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let address = address(&args.address)?;
    let mut store = Context::store_for_change(&config)?;
    if store.entry(&address)?.is_none() {
        return Err(no_entry(&store, &address)?);
    }
    let connector = Connector::new(&config, &Context::variable);
    let (take, next) = match args.take {
        Side::Ours => (Take::Ours, "the next push writes ours"),
        Side::Theirs => (Take::Theirs, "theirs stays until the entry changes"),
    };
    let mut sheet = Sheet::new(context, COLUMNS);
    for configured in lanes(&config, args.lane.as_slice())? {
        let lane = &configured.lane;
        if (&lane.from.system, &lane.from.kind) != (&address.system, &address.kind) {
            continue;
        }
        let writer = connector.writer(&lane.to.system)?;
        let resolved = resolve(&mut store, configured, writer.as_ref(), &address, take, Context::now()).await?;
        if resolved == Resolved::Settled {
            sheet.row(vec![Cell::text(lane.name.to_string()), Cell::text(address.to_string()), Cell::text(next)]);
        }
    }
    if sheet.rows() == 0 {
        return Err(Failure::failed(format!("`{address}` is not held for a question that this answers"))
            .advise("`diaporos holds` lists what is held, and the way out of each"));
    }
    sheet.end("")?;
    Ok(Exit::Done)
}
