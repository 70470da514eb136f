//! `completions`.

use std::io::Write;

use clap::{Args, CommandFactory};
use clap_complete::Shell;

use super::Cli;
use crate::error::{Exit, Failure};
use crate::output::out;

/// Print what a shell needs to complete commands and options.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos completions bash > ~/.local/share/bash-completion/completions/diaporos\n  diaporos completions zsh > ~/.zfunc/_diaporos"
)]
pub(crate) struct Completions {
    /// The shell.
    #[arg(value_enum, value_name = "SHELL")]
    shell: Shell,
}

pub(crate) fn run(args: &Completions) -> Result<Exit, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut Cli::command(), "diaporos", &mut script);
    let mut out = out();
    out.write_all(&script)?;
    out.flush()?;
    Ok(Exit::Done)
}
