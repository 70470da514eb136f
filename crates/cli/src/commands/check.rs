//! `check`.

use std::io::Write;

use clap::Args;
use diaporos_core::diagnostic::{Report, Severity};

use super::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet, findings};

/// Read the whole configuration and name every fault in it, with its place and how to mend it.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  diaporos check\n\nNothing is asked of any system. Exit code 2 where there are faults."
)]
pub(crate) struct Check {}

const COLUMNS: &[Column] = &[
    Column::text("file", "file"),
    Column::number("line", "line"),
    Column::number("column", "column"),
    Column::text("severity", "severity"),
    Column::text("code", "code"),
    Column::prose("message", "message"),
    Column::prose("help", "help"),
];

pub(crate) fn run(_: &Check, context: &Context) -> Result<Exit, Failure> {
    let (folder, loaded) = context.load()?;
    let exit = if loaded.config.is_some() { Exit::Done } else { Exit::Wrong };
    if context.format != Format::Table {
        let mut sheet = Sheet::new(context, COLUMNS);
        loaded.reports.iter().for_each(|report| rows(report, &mut sheet));
        sheet.end("")?;
        return Ok(exit);
    }
    let mut out = Context::out();
    write!(out, "{}", findings::draw(&loaded.reports, context.terminal.colour, context.terminal.width))?;
    let findings = || loaded.reports.iter().flat_map(|report| &report.findings);
    let errors = findings().filter(|finding| finding.severity == Severity::Error).count() as u64;
    let warnings = findings().count() as u64 - errors;
    let warned = if warnings == 0 { String::new() } else { format!(", {}", counted(warnings, "warning", "warnings")) };
    match loaded.config {
        Some(config) => {
            let systems = counted(config.systems.len() as u64, "system", "systems");
            let lanes = counted(config.lanes.len() as u64, "lane", "lanes");
            writeln!(out, "{}: {systems}, {lanes}; no faults{warned}", folder.join("diaporos.toml").display())?;
        }
        None => writeln!(out, "{}{warned}", counted(errors, "fault", "faults"))?,
    }
    out.flush()?;
    Ok(exit)
}

fn rows(report: &Report, sheet: &mut Sheet) {
    for finding in &report.findings {
        let (line, column) = report.source.position(finding.span.start);
        let severity = if finding.severity == Severity::Error { "error" } else { "warning" };
        sheet.row(vec![
            Cell::text(&report.source.name),
            Cell::count(line as u64),
            Cell::count(column as u64),
            Cell::word(severity),
            Cell::text(finding.code.to_string()),
            Cell::text(&finding.message),
            Cell::maybe(finding.help.clone()),
        ]);
    }
}
