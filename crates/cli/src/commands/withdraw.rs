//! `withdraw`.

use clap::Args;
use diaporos_core::plan::GonePolicy;
use diaporos_hub::config::ConfiguredLane;

use super::{address, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column};

/// Take an entry off a destination by hand, and keep it off until it is put back.
///
/// What its source or its lane says of it does not matter meanwhile. The next push does it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos withdraw catalogue/plant-profile/p-001 --from visitor-site\n  diaporos withdraw catalogue/plant-profile/p-001 --from visitor-site --put-back"
)]
pub(crate) struct Withdraw {
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: String,
    /// The destination.
    #[arg(long, value_name = "SYSTEM")]
    from: String,
    /// Let it go there again as its lane has it.
    #[arg(long)]
    put_back: bool,
}

const COLUMNS: &[Column] =
    &[Column::text("lane", "lane"), Column::text("address", "address"), Column::text("next", "next")];

pub(crate) fn run(args: &Withdraw, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let address = address(&args.address)?;
    let to = super::system(&config, &args.from)?;
    let mut store = Context::store_for_change(&config)?;
    let Some(entry) = store.entry(&address)? else { return Err(no_entry(&store, &address)?) };
    let takes = |lane: &&ConfiguredLane| {
        let (from, lane_to) = (&lane.lane.from, &lane.lane.to);
        (&from.system, &from.kind) == (&address.system, &address.kind) && lane_to.system == *to
    };
    let lanes: Vec<&ConfiguredLane> = config.lanes.values().filter(takes).collect();
    if lanes.is_empty() {
        let message = format!("no lane takes entries of `{}/{}` to `{to}`", address.system, address.kind);
        return Err(Failure::wrong(message).advise("`diaporos status` lists the lanes"));
    }
    let mut sheet = context.sheet(COLUMNS);
    for lane in lanes {
        if lane.lane.gone == GonePolicy::Keep && !args.put_back {
            let message =
                format!("the lane `{}` keeps what is gone, and is not told how to take anything off", lane.lane.name);
            return Err(Failure::failed(message).advise("say `gone = \"withdraw\"` or `\"delete\"` of it"));
        }
        let changed = store.take_off(&lane.lane.name, entry.number, !args.put_back, Context::now())?;
        let next = match (changed, args.put_back) {
            (false, false) => "it was kept off already",
            (false, true) => "it was not kept off",
            (true, false) => "the next push takes it off",
            (true, true) => "the next push lets it go as the lane has it",
        };
        sheet.row(vec![Cell::text(lane.lane.name.to_string()), Cell::text(address.to_string()), Cell::text(next)]);
    }
    sheet.end("")?;
    Ok(Exit::Done)
}
