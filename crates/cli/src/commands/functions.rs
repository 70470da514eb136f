//! `functions`.

use clap::Args;
use diaporos_core::expr::functions::{ALL, GROUPS};

use super::unknown;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column};

/// List the functions that may follow a pipe in a field expression.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos functions\n  diaporos functions shorten\n  diaporos functions --group dates"
)]
pub(crate) struct Functions {
    /// One function.
    #[arg(value_name = "NAME")]
    name: Option<String>,
    /// Only those of a group, by the start of its name.
    #[arg(long, value_name = "GROUP", conflicts_with = "name")]
    group: Option<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("group", "group"),
    Column::text("function", "function"),
    Column::prose("gives", "what it gives"),
    Column::prose("example", "example"),
    Column::prose("result", "result"),
];

pub(crate) fn run(args: &Functions, context: &Context) -> Result<Exit, Failure> {
    if let Some(name) = args.name.as_deref().filter(|name| ALL.iter().all(|function| function.name != *name)) {
        return Err(unknown("function", name, ALL.iter().map(|function| function.name)));
    }
    let wanted = args.group.as_ref().map(|group| group.to_lowercase());
    if let Some(group) =
        wanted.as_ref().filter(|group| GROUPS.iter().all(|known| !known.to_lowercase().starts_with(*group)))
    {
        return Err(
            Failure::wrong(format!("there is no group `{group}`")).advise(format!("known here: {}", GROUPS.join(", ")))
        );
    }
    let mut sheet = context.sheet(COLUMNS);
    for group in
        GROUPS.iter().filter(|known| wanted.as_ref().is_none_or(|group| known.to_lowercase().starts_with(group)))
    {
        let own = ALL.iter().filter(|function| function.group == *group);
        for function in own.filter(|function| args.name.as_ref().is_none_or(|name| function.name == name)) {
            // A list shows one example; a function on its own all of them.
            let examples = if args.name.is_some() { function.examples } else { &function.examples[..1] };
            for (place, (example, result)) in examples.iter().enumerate() {
                let first = place == 0;
                sheet.row(vec![
                    Cell::text(if first { *group } else { "" }),
                    Cell::text(if first { function.usage() } else { String::new() }),
                    Cell::text(if first { function.summary } else { "" }),
                    Cell::text(*example),
                    Cell::text(*result),
                ]);
            }
        }
    }
    sheet.end("")?;
    Ok(Exit::Done)
}
