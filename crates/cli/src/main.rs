//! The command line of Diaporos: arguments in, tables and advice out. No logic lives here.

mod commands;
mod context;
mod error;
mod interrupt;
mod output;
mod typed;

use std::process::ExitCode;

use clap::Parser;

use commands::Cli;
use context::Context;
use error::Failure;

/// A third faster than the system's allocator on a first pull.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    let cli = Cli::parse();
    let context = Context::gather(&cli.global);
    let done = tokio::runtime::Runtime::new()
        .map_err(|error| Failure::failed(format!("the runtime cannot be started: {error}")))
        .and_then(|runtime| {
            let done = runtime.block_on(commands::run(cli.command, &context));
            // A job that did not end in time is left as a crash would leave it; to wait for it here has no end.
            runtime.shutdown_background();
            done
        });
    match done {
        Ok(exit) => exit.into(),
        Err(failure) => context.report(&failure).into(),
    }
}
