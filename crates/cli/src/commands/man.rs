//! `man`.

use std::io::Write;
use std::path::PathBuf;

use clap::{Args, CommandFactory};

use super::Cli;
use crate::error::{Exit, Failure};
use crate::output::out;

/// Write the manual's pages, one a command.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos man --into ~/.local/share/man/man1\n  man diaporos-push")]
pub(crate) struct Man {
    /// The folder; it is made where it is not there.
    #[arg(long, value_name = "DIR")]
    into: PathBuf,
}

pub(crate) fn run(args: &Man) -> Result<Exit, Failure> {
    std::fs::create_dir_all(&args.into)?;
    clap_mangen::generate_to(Cli::command(), &args.into)?;
    let pages = std::fs::read_dir(&args.into)?.count();
    let mut out = out();
    writeln!(out, "{pages} pages in {}", args.into.display())?;
    out.flush()?;
    Ok(Exit::Done)
}
