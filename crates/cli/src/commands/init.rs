//! `init`.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use serde_json::json;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet};

/// Make a new hub: a commented configuration, an example profile, a `.gitignore` for the store.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos init gardens\n\nFiles that are there are never written over.")]
pub(crate) struct Init {
    /// The new hub's folder.
    #[arg(value_name = "DIR")]
    folder: PathBuf,
}

const COLUMNS: &[Column] = &[Column::text("written", "written")];

pub(crate) fn run(args: &Init, context: &Context) -> Result<Exit, Failure> {
    let written = diaporos_hub::init::init(&args.folder).map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Failure::failed(error.to_string()).advise("choose another folder, or take that file away")
        }
        _ => Failure::failed(format!("{}: {error}", args.folder.display())),
    })?;
    let mut sheet = Sheet::new(context, COLUMNS);
    for file in &written {
        sheet.row(vec![Cell { json: json!(file), ..Cell::text(file.display().to_string()) }]);
    }
    sheet.end("nothing was written")?;
    if context.format == Format::Table {
        let folder = args.folder.display();
        writeln!(Context::out(), "\nNext: edit {folder}/diaporos.toml, then `diaporos check --hub {folder}`")?;
    }
    Ok(Exit::Done)
}
