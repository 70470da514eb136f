//! `withdraw`.

use std::collections::BTreeMap;

use clap::Args;
use diaporos_core::plan::GonePolicy;
use diaporos_core::value::Address;
use diaporos_hub::config::ConfiguredLane;

use super::address;
use super::selection::Selection;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column};

/// Take entries off a destination by hand, and keep them off until they are put back.
///
/// What their source or their lane says of them does not matter meanwhile. The next push does it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos withdraw catalogue/plant-profile/p-001 --from visitor-site\n  diaporos withdraw catalogue/plant-profile/p-001 --from visitor-site --put-back\n  diaporos withdraw --type plant-profile --where 'habitat == \"bog\"' --from visitor-site --dry-run"
)]
pub(crate) struct Withdraw {
    /// The entries, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    addresses: Vec<String>,
    /// The destination; may be given several times.
    #[arg(long, value_name = "SYSTEM", required = true)]
    from: Vec<String>,
    /// Let them go there again as their lane has them.
    #[arg(long)]
    put_back: bool,
    #[command(flatten)]
    which: Selection,
    /// Only say what would be taken off.
    #[arg(long)]
    dry_run: bool,
    /// Take off up to so many entries of a lane.
    #[arg(long, value_name = "N", default_value_t = 20)]
    allow_removals: u64,
}

const COLUMNS: &[Column] =
    &[Column::text("lane", "lane"), Column::text("address", "address"), Column::text("next", "next")];

pub(crate) fn run(args: &Withdraw, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let addresses = args.addresses.iter().map(|text| address(text)).collect::<Result<Vec<_>, _>>()?;
    let systems = args.from.iter().map(|name| super::system(&config, name)).collect::<Result<Vec<_>, _>>()?;
    let mut store = Context::store_for_change(&config)?;
    let entries = args.which.entries(&config, &store, &addresses)?;
    if entries.is_empty() {
        let failure = Failure::wrong("no entry is meant");
        return Err(failure.advise("name one, `system/type/id`, or say which: `--type`, `--where`"));
    }
    let lanes = |address: &Address| {
        let takes = |lane: &&ConfiguredLane| {
            let (from, to) = (&lane.lane.from, &lane.lane.to);
            (&from.system, &from.kind) == (&address.system, &address.kind) && systems.contains(&&to.system)
        };
        config.lanes.values().filter(takes).collect::<Vec<_>>()
    };
    let mut wanted: Vec<(&ConfiguredLane, Address, i64)> = Vec::new();
    for (address, entry) in entries {
        let lanes = lanes(&address);
        if lanes.is_empty() {
            let message =
                format!("no lane takes entries of `{}/{}` to {}", address.system, address.kind, to(&args.from));
            return Err(Failure::wrong(message).advise("`diaporos status` lists the lanes"));
        }
        wanted.extend(lanes.into_iter().map(|lane| (lane, address.clone(), entry)));
    }
    if !args.put_back {
        may_be_taken_off(&wanted, args)?;
    }
    let mut sheet = context.sheet(COLUMNS);
    for (lane, address, entry) in wanted {
        let name = &lane.lane.name;
        let is_off = store.taken_off(name, entry)?.is_some() && store.undone(name, entry)?.is_none();
        let changes = is_off == args.put_back;
        if changes && !args.dry_run {
            store.take_off(&lane.lane.name, entry, !args.put_back, Context::now())?;
        }
        let next = match (changes, args.put_back, args.dry_run) {
            (false, false, _) => "it was kept off already",
            (false, true, _) => "it was not kept off",
            (true, false, false) => "the next push takes it off",
            (true, true, false) => "the next push lets it go as the lane has it",
            (true, false, true) => "it would be taken off",
            (true, true, true) => "it would go as the lane has it",
        };
        sheet.row(vec![Cell::text(lane.lane.name.to_string()), Cell::text(address.to_string()), Cell::text(next)]);
    }
    sheet.end("")?;
    Ok(Exit::Done)
}

fn to(systems: &[String]) -> String {
    systems.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
}

/// Whether all of them may be taken off: each lane says how, and not more of it are than go without being asked.
fn may_be_taken_off(wanted: &[(&ConfiguredLane, Address, i64)], args: &Withdraw) -> Result<(), Failure> {
    let mut by_lane: BTreeMap<&str, u64> = BTreeMap::new();
    for (lane, ..) in wanted {
        let name = lane.lane.name.as_str();
        if lane.lane.gone == GonePolicy::Keep {
            let message = format!("the lane `{name}` keeps what is gone, and is not told how to take anything off");
            return Err(Failure::failed(message).advise("say `gone = \"withdraw\"` or `\"delete\"` of it"));
        }
        *by_lane.entry(name).or_default() += 1;
    }
    match by_lane.into_iter().find(|(_, entries)| *entries > args.allow_removals && !args.dry_run) {
        None => Ok(()),
        Some((lane, entries)) => {
            let message = format!(
                "{entries} entries of `{lane}` would be taken off, and at most {} are without being asked; none was",
                args.allow_removals
            );
            Err(Failure::failed(message)
                .advise(format!("`--dry-run` lists them; `--allow-removals {entries}` takes them off")))
        }
    }
}
