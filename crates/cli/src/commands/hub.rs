//! `hub`.

use clap::{Args, Subcommand};
use diaporos_hub::config::{StoreSetting, server_at, store_file};
use diaporos_store::{Moved, Store, StoreError, StorePlace};
use diaporos_systems::SecretReference;
use serde_json::Map;

use super::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, note};

/// Look after the hub itself.
#[derive(Debug, Args)]
pub(crate) struct HubCommand {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    Move(Move),
}

/// Move the whole store to a server, or from there into a file of this machine.
///
/// Everything is copied window by window, then counted and compared by fingerprint on both sides. What is here stays as it
/// is, and nobody changes it meanwhile. Where it is broken off, run it again: it goes on, and till then no command takes
/// the new place for whole.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos hub move --to env:STORE_URL\n  diaporos hub move --to file\n\nThen say in diaporos.toml where the store is: `[store]` with `url = \"env:STORE_URL\"`, or no `[store]` for the file."
)]
struct Move {
    /// `env:NAME` or `file:PATH` where the address of a PostgreSQL database is kept; `file` for the file of this hub.
    #[arg(long, value_name = "PLACE")]
    to: String,
    /// The authorities that sign the server's certificate, in PEM.
    #[arg(long, value_name = "FILE")]
    ca: Option<String>,
}

const COLUMNS: &[Column] = &[Column::text("table", "table"), Column::number("rows", "rows")];

pub(crate) fn run(args: &HubCommand, context: &Context) -> Result<Exit, Failure> {
    match &args.what {
        What::Move(args) => move_store(args, context),
    }
}

fn move_store(args: &Move, context: &Context) -> Result<Exit, Failure> {
    let folder = context.folder()?;
    let from = StoreSetting::of(&folder).place(&folder, &Context::variable)?;
    let to = match (args.to.as_str(), SecretReference::read(&args.to)) {
        ("file", _) => StorePlace::File(store_file(&folder)),
        (_, Some(reference)) => server_at(&folder, (&reference, args.ca.as_deref()), &Context::variable)?,
        _ => {
            let wrong = Failure::wrong(format!("`{}` is no place for a store", args.to));
            return Err(wrong.advise("say `env:NAME`, where a variable holds the address of the database, or `file`"));
        }
    };
    if from.to_string() == to.to_string() {
        return Err(Failure::wrong(format!("the store is at {from} already")));
    }
    if !from.exists() {
        return Err(
            Failure::wrong("there is no store yet").advise("`diaporos pull` makes one where the configuration says")
        );
    }
    if let Some(busy) = Store::open(&from)?.leases(Context::now())?.into_iter().next() {
        return Err(StoreError::Leased(Box::new(busy)).into());
    }
    let mut told = |moved: &Moved| {
        if moved.rows > 0 {
            note(&format!("{}: {}", moved.table, counted(moved.rows, "row", "rows")));
        }
    };
    let moved = Store::move_to(&from, &to, &mut told)?;
    let rows = moved.iter().map(|one| one.rows).sum();
    let mut sheet = context.sheet(COLUMNS).within("tables");
    for one in moved.into_iter().filter(|one| one.rows > 0) {
        sheet.row(vec![Cell::text(one.table), Cell::count(one.rows)]);
    }
    let next = match &to {
        StorePlace::File(_) => "take `[store]` out of diaporos.toml".to_owned(),
        StorePlace::Server { .. } => format!("say in diaporos.toml: `[store]` with `url = \"{}\"`", args.to),
    };
    let rows = counted(rows, "row is", "rows are");
    let sentence = format!("{rows} at {to}, and the same as at {from}, which stays as it is; now {next}");
    sheet.end_with(Summary { counts: Map::new(), sentence })?;
    Ok(Exit::Done)
}
