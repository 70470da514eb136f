//! `slate add`, `drop` and `show`.

use clap::Args;
use diaporos_core::value::Address;
use diaporos_hub::slate::{whereabouts, with_references};
use diaporos_store::SlateAction;

use super::{of, open_slate, slate};
use crate::commands::address;
use crate::commands::selection::Selection;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint, note};

/// Add entries to a slate, as they are now.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos slate add spring catalogue/plant-profile/p-001 catalogue/plant-profile/p-002\n  diaporos slate add spring --type plant-profile --where '\"fern\" in tags'"
)]
pub(crate) struct Add {
    /// The slate.
    #[arg(value_name = "NAME")]
    name: String,
    /// The entries, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    addresses: Vec<String>,
    #[command(flatten)]
    which: Selection,
    /// With the entries that they refer to, so many steps far.
    #[arg(long, value_name = "N", default_value_t = 0)]
    with_references: usize,
}

/// Take entries out of a slate.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos slate drop spring catalogue/plant-profile/p-002")]
pub(crate) struct Drop {
    /// The slate.
    #[arg(value_name = "NAME")]
    name: String,
    /// The entries, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    addresses: Vec<String>,
    #[command(flatten)]
    which: Selection,
}

/// Show the entries of a slate, and how each stands.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos slate show spring")]
pub(crate) struct Show {
    /// The slate.
    #[arg(value_name = "NAME")]
    name: String,
}

pub(crate) fn add(args: &Add, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_for_change(&config)?;
    open_slate(&store, &args.name)?;
    let addresses = args.addresses.iter().map(|text| address(text)).collect::<Result<Vec<Address>, _>>()?;
    let found: Vec<Address> =
        args.which.entries(&config, &store, &addresses)?.into_iter().map(|(address, _)| address).collect();
    let mut numbers = Vec::new();
    for address in with_references(&store, &found, args.with_references)? {
        numbers.extend(store.entry(&address)?.map(|entry| entry.number));
    }
    if numbers.is_empty() {
        return Err(
            Failure::wrong("no entry is meant").advise("name one, `system/type/id`, or say which: `--type`, `--where`")
        );
    }
    let before = store.slate_entries(&args.name)?.len();
    store.add_to_slate(&args.name, &numbers, Context::now())?;
    let after = store.slate_entries(&args.name)?.len();
    note(&format!(
        "{} added, {} noted anew; `{}` has {}; next: `diaporos slate check {}`",
        of(after - before),
        of(numbers.len() + before - after),
        args.name,
        of(after),
        args.name
    ));
    Ok(Exit::Done)
}

pub(crate) fn drop_entries(args: &Drop, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut store = Context::store_for_change(&config)?;
    open_slate(&store, &args.name)?;
    let addresses = args.addresses.iter().map(|text| address(text)).collect::<Result<Vec<Address>, _>>()?;
    let found = args.which.entries(&config, &store, &addresses)?;
    let numbers: Vec<i64> = found.into_iter().map(|(_, number)| number).collect();
    let dropped = store.drop_from_slate(&args.name, &numbers, Context::now())?;
    note(&format!("{} dropped", of(usize::try_from(dropped).unwrap_or_default())));
    Ok(Exit::Done)
}

const COLUMNS: &[Column] = &[
    Column::text("address", "address"),
    Column::number("version", "version"),
    Column::text("changed", "changed since"),
    Column::text("standings", "standings"),
];

pub(crate) fn show(args: &Show, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let shown = slate(&store, &args.name)?;
    let mut sheet = context.sheet(COLUMNS).within("entries");
    for of in store.slate_entries(&args.name)? {
        let standings = whereabouts(&store, &shown, &of)?;
        let standings = standings.into_iter().map(|at| format!("{} {}", at.lane, at.words()));
        let changed = if of.version == of.now { Cell::nothing() } else { Cell::text(format!("now {}", of.now)) };
        sheet.row(vec![
            Cell::text(of.address.to_string()),
            Cell::count(of.version),
            changed.tint(Tint::Warn),
            Cell::text(standings.collect::<Vec<_>>().join(", ")),
        ]);
    }
    let does = match shown.does {
        SlateAction::Launch => "launched",
        SlateAction::Withdraw => "taken off view",
    };
    let kept = if shown.keeps_back { "; ordinary pushes leave them alone till then" } else { "" };
    let sentence = match (shown.launched, shown.run) {
        _ if shown.standing.is_under_way() => format!(
            "the launch of `{0}` began: `diaporos slate launch {0}` finishes it, and `diaporos undo {0}` takes it back",
            shown.name
        ),
        (Some(at), Some(run)) => {
            let at = crate::output::moment(at, &context.zone);
            format!("`{0}` was launched at {at}, as run {run}: `diaporos undo {0}` takes it back", shown.name)
        }
        _ => format!("`{}` is {}: its entries are {does} together{kept}", shown.name, shown.standing.word()),
    };
    let counts = [
        ("slate", shown.name.as_str().into()),
        ("does", shown.does.word().into()),
        ("standing", shown.standing.word().into()),
        ("run", shown.run.into()),
    ];
    let counts = counts.into_iter().map(|(name, value)| (name.to_owned(), value)).collect();
    sheet.end_with(Summary { counts, sentence })?;
    Ok(Exit::Done)
}
