//! `backup`.

use std::path::PathBuf;

use clap::Args;
use diaporos_hub::config::StoreSetting;
use diaporos_store::Store;
use serde_json::Map;

use super::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary};

/// Copy the store while the hub runs, or put a copy back.
///
/// The copy is of one moment, whatever is pulled or pushed meanwhile, and is read through before it gets its
/// name. It holds what cannot be had again by pulling: what was delivered where, translations, decisions and
/// the ledger.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos backup monday.db\n  diaporos backup --restore monday.db\n\nAfter a copy was put back, what was delivered since then is not known any more: `diaporos pull`, then `diaporos push --dry-run` shows what a push would make of it."
)]
pub(crate) struct Backup {
    /// The file of the copy.
    #[arg(value_name = "FILE")]
    file: PathBuf,
    /// Put the copy in the store's place; what was there is kept beside it.
    #[arg(long)]
    restore: bool,
}

const COLUMNS: &[Column] =
    &[Column::text("file", "file"), Column::number("entries", "entries"), Column::number("bytes", "bytes")];

pub(crate) fn run(args: &Backup, context: &Context) -> Result<Exit, Failure> {
    let folder = context.folder()?;
    let store = StoreSetting::of(&folder).place(&folder, &Context::variable)?;
    let (copied, sentence) = if args.restore {
        let kept_as = format!("store-before-{}", Context::now().strftime("%Y%m%dT%H%M%SZ"));
        let (restored, kept) = Store::restore(&store, &args.file, &kept_as)?;
        let kept = kept.map_or_else(String::new, |kept| format!("; what was there is kept as {}", kept.display()));
        (restored, format!("{} is the store now{kept}", args.file.display()))
    } else {
        if !store.exists() {
            return Err(Failure::wrong("there is no store yet").advise("`diaporos pull` makes one"));
        }
        let copied = Store::open(&store)?.back_up(&args.file)?;
        let entries = counted(copied.entries, "entry", "entries");
        (copied, format!("{entries} and all that is known of them; the copy was read through and is sound"))
    };
    let mut sheet = context.sheet(COLUMNS).within("copies");
    let file = args.file.display().to_string();
    sheet.row(vec![Cell::text(file), Cell::count(copied.entries), Cell::count(copied.bytes)]);
    sheet.end_with(Summary { counts: Map::new(), sentence })?;
    Ok(Exit::Done)
}
