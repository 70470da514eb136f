//! `report`.

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::PathBuf;

use clap::Args;
use diaporos_hub::report::{ReportForm, report, write};
use diaporos_store::Span;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Format, note, out};
use crate::typed::past;

/// Report on a span of time: what came in and went out, how fast, what was held and why, what was translated.
#[derive(Debug, Args)]
#[command(
    name = "report",
    after_help = "Examples:\n  diaporos report november.html --since 2026-11-01 --until 2026-12-01\n  diaporos report --since 7d\n\nThe page of HTML needs nothing beside it, and can be sent or printed. Without FILE, Markdown is printed, or what `--format` asks for."
)]
pub(crate) struct ReportCommand {
    /// The file to write; its ending (`.html`, `.md`, `.json`, `.csv`) says in which form.
    #[arg(value_name = "FILE")]
    file: Option<PathBuf>,
    /// From then on: a duration (`7d`, `4 weeks`), a date or a moment (RFC 3339).
    #[arg(long, value_name = "WHEN", default_value = "30d")]
    since: String,
    /// Until then; until now where not given.
    #[arg(long, value_name = "WHEN")]
    until: Option<String>,
}

pub(crate) fn run(args: &ReportCommand, context: &Context) -> Result<Exit, Failure> {
    let now = Context::now();
    let from = past(&args.since, now, &context.zone)?;
    let until = args.until.as_deref().map_or(Ok(now), |text| past(text, now, &context.zone))?;
    if from >= until {
        return Err(Failure::wrong("the span ends before it begins").advise("`--since` must be before `--until`"));
    }
    let name = args.file.as_ref().map(|file| file.to_string_lossy().into_owned());
    let form = match (&name, context.format) {
        (Some(name), _) => ReportForm::of_file(name).ok_or_else(|| {
            let known = "name a file that ends in `.html`, `.md`, `.json` or `.csv`";
            Failure::wrong(format!("`{name}` does not say in which form it is to be")).advise(known)
        })?,
        (None, Format::Table) => ReportForm::Markdown,
        (None, Format::Json | Format::Jsonl) => ReportForm::Json,
        (None, Format::Csv) => ReportForm::Csv,
    };
    let config = context.config()?;
    let store = Context::store(&config)?;
    let made = report(&config, &store, Span { from, until }, (&context.zone, now))?;
    match &args.file {
        None => write(&made, form, &mut out()).map_err(|error| Failure::failed(error.to_string()))?,
        Some(file) => {
            let failed = |error: String| Failure::failed(format!("{}: {error}", file.display()));
            let mut to = BufWriter::new(File::create(file).map_err(|error| failed(error.to_string()))?);
            write(&made, form, &mut to).map_err(|error| failed(error.to_string()))?;
            to.flush().map_err(|error| failed(error.to_string()))?;
            note(&format!("the report is in {}", file.display()));
        }
    }
    Ok(Exit::Done)
}
