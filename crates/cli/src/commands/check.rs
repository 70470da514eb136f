//! `check`.

mod coverage;

use std::io::Write;

use clap::Args;
use diaporos_core::diagnostic::{Diagnostic, Report, Severity, Source};
use diaporos_hub::config::{FILE, StoreSetting, house_form};
use diaporos_hub::model::{ModelDrift, Today, drifts};
use diaporos_hub::probe::{UNGUARDED, unguarded};
use diaporos_hub::review::misfits;
use diaporos_store::Store;
use diaporos_systems::files::publish;
use indexmap::IndexMap;

use super::counted;
use super::model::describe;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet, Tint, drawn_out, findings, one_line, out};

/// Read the whole configuration and name every fault in it, with its place and how to mend it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos check\n  diaporos check --coverage\n  diaporos check --entries\n  diaporos check --models\n  diaporos check --store\n  diaporos check --fix\n\nNothing is asked of any system, but with --models. Exit code 2 where there are faults."
)]
pub(crate) struct Check {
    /// Print for each lane which source fields reach which destination fields, and which are lost.
    #[arg(long, group = "what")]
    coverage: bool,
    /// Map every entry in the store, and count those that would be held, by field.
    #[arg(long, group = "what")]
    entries: bool,
    /// Compare the models that the hub keeps with what systems say today; those that describe
    /// themselves are asked.
    #[arg(long, group = "what")]
    models: bool,
    /// Inspect the store's file, page by page, and the chain of its ledger.
    #[arg(long, group = "what")]
    store: bool,
    /// Rewrite the expressions of diaporos.toml in the house form.
    #[arg(long, group = "what")]
    fix: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("file", "file"),
    Column::number("line", "line"),
    Column::number("column", "column"),
    Column::text("severity", "severity"),
    Column::text("code", "code"),
    Column::prose("message", "message"),
    Column::prose("help", "help"),
];

const MISFITS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("field", "field"),
    Column::number("entries", "would be held"),
    Column::text("example", "one of them"),
    Column::prose("why", "why"),
];

const DRIFT: &[Column] = &[
    Column::text("type", "type"),
    Column::text("field", "field"),
    Column::text("drift", "since it was kept"),
    Column::text("told_by", "told by"),
];

pub(crate) async fn run(args: &Check, context: &Context) -> Result<Exit, Failure> {
    if args.fix {
        return fix(context);
    }
    if args.models {
        return show_drift(context).await;
    }
    if args.store {
        return inspect_store(context);
    }
    if args.coverage {
        return coverage::show(context);
    }
    if args.entries {
        return count_entries(context);
    }
    read_whole(context)
}

/// Reads the whole configuration, and draws what is wrong with it.
fn read_whole(context: &Context) -> Result<Exit, Failure> {
    let (folder, mut loaded) = context.load()?;
    let exit = if loaded.config.is_some() { Exit::Done } else { Exit::Wrong };
    if context.format != Format::Table {
        let mut sheet = context.sheet(COLUMNS);
        loaded.reports.iter().for_each(|report| rows(report, &mut sheet));
        sheet.end("")?;
        return Ok(exit);
    }
    let mut out = drawn_out();
    let warned_of = |reports: &[Report]| {
        reports.iter().flat_map(|report| &report.findings).filter(|finding| !finding.is_error()).count() as u64
    };
    let warnings = warned_of(&loaded.reports);
    // Faults come first; what may go wrong is told when nothing is sure to.
    if exit == Exit::Wrong {
        loaded.reports.iter_mut().for_each(|report| report.findings.retain(Diagnostic::is_error));
    }
    write!(out, "{}", findings::draw(&loaded.reports, context.terminal.colour, context.terminal.width))?;
    let findings = || loaded.reports.iter().flat_map(|report| &report.findings);
    let errors = findings().filter(|finding| finding.severity == Severity::Error).count() as u64;
    let warned = if warnings == 0 { String::new() } else { format!(", {}", counted(warnings, "warning", "warnings")) };
    match loaded.config {
        Some(config) => {
            let systems = counted(config.systems.len() as u64, "system", "systems");
            let lanes = counted(config.lanes.len() as u64, "lane", "lanes");
            writeln!(out, "{}: {systems}, {lanes}; no faults{warned}", folder.join("diaporos.toml").display())?;
            for name in config.systems.keys() {
                for kind in unguarded(&config, name) {
                    writeln!(out, "note: {name}/{kind}: {UNGUARDED}")?;
                }
            }
            let place = config.store_place(&Context::variable)?;
            let store = if place.exists() { Some(Store::open(&place)?) } else { None };
            if let Some(store) = &store {
                for left in super::lane::left_lanes(store, &config)? {
                    writeln!(out, "{}", super::lane::told_of(&left))?;
                }
            }
            let lost = coverage::lost(&config, store.as_ref())?;
            if lost > 0 {
                let fields = counted(lost, "source field reaches", "source fields reach");
                writeln!(out, "{fields} no destination: `diaporos check --coverage`")?;
            }
        }
        None if warnings > 0 => {
            let (faults, warned) = (counted(errors, "fault", "faults"), counted(warnings, "warning", "warnings"));
            writeln!(out, "{faults}; {warned} when these are mended")?;
        }
        None => writeln!(out, "{}", counted(errors, "fault", "faults"))?,
    }
    out.flush()?;
    Ok(exit)
}

/// Rewrites what is not in the house form, and says what.
fn fix(context: &Context) -> Result<Exit, Failure> {
    let file = context.folder()?.join(FILE);
    let text =
        std::fs::read_to_string(&file).map_err(|error| Failure::wrong(format!("{}: {error}", file.display())))?;
    let (fixed, rewritten) = house_form(&Source { name: FILE.to_owned(), text });
    let mut out = out();
    for one in &rewritten {
        writeln!(out, "line {}\n  - {}\n  + {}", one.line, one_line(&one.before), one_line(&one.after))?;
    }
    if rewritten.is_empty() {
        writeln!(out, "{}: every expression is in the house form", file.display())?;
    } else {
        // Whole or not at all: a configuration that is half written is none.
        let mut beside = tempfile::NamedTempFile::new_in(context.folder()?)?;
        beside.write_all(fixed.as_bytes())?;
        publish(beside, &file)?;
        writeln!(
            out,
            "{}: {} rewritten",
            file.display(),
            counted(rewritten.len() as u64, "expression", "expressions")
        )?;
    }
    out.flush()?;
    Ok(Exit::Done)
}

async fn show_drift(context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let mut described = IndexMap::new();
    for system in config.systems.keys() {
        if config.kept.keys().any(|end| end.system == *system)
            && let Some(model) = describe(&config, system).await?
        {
            described.insert(system.clone(), model);
        }
    }
    let mut sheet = context.sheet(DRIFT);
    let mut breaks = false;
    for ModelDrift { end, today, drift } in drifts(&config, &Context::store(&config)?, &described)? {
        let told_by = match today {
            Today::Described => "the system",
            Today::Declared => "its profile",
            Today::Entries => "entries",
            Today::Nowhere => "nothing",
        };
        for one in drift {
            breaks |= one.what.breaks();
            let what = Cell::text(one.what.to_string());
            let what = if one.what.breaks() { what.tint(Tint::Warn) } else { what.tint(Tint::Faint) };
            sheet.row(vec![Cell::text(end.to_string()), Cell::text(one.field), what, Cell::text(told_by)]);
        }
    }
    let nothing = if config.kept.is_empty() {
        "no models are kept; `diaporos model keep SYSTEM/TYPE` keeps one"
    } else {
        "every kept model is as its system says today"
    };
    sheet.end(nothing)?;
    Ok(if breaks { Exit::Partly } else { Exit::Done })
}

fn count_entries(context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut sheet = context.sheet(MISFITS);
    for found in misfits(&config, &store, Context::now())? {
        sheet.row(vec![
            Cell::text(found.lane),
            Cell::text(found.field),
            if found.goes {
                Cell { shown: format!("{}, goes", found.entries), ..Cell::count(found.entries) }
            } else {
                Cell::count(found.entries)
            },
            Cell::text(found.example.to_string()),
            Cell::text(found.message),
        ]);
    }
    sheet.end("every entry in the store would go as it is")?;
    Ok(Exit::Done)
}

fn inspect_store(context: &Context) -> Result<Exit, Failure> {
    let folder = context.folder()?;
    let place = StoreSetting::of(&folder).place(&folder, &Context::variable)?;
    if !place.exists() {
        return Err(Failure::failed(format!("{place} is not there; `diaporos pull` makes it")));
    }
    let store = Store::open(&place)?;
    let mut faults = store.inspect()?;
    if faults.is_empty() {
        faults = store.verify_ledger()?.faults;
    }
    let mut sheet = context.sheet(&[Column::prose("fault", "what is wrong")]);
    faults.iter().for_each(|fault| sheet.row(vec![Cell::text(fault).tint(Tint::Bad)]));
    sheet.end(&format!("{place}: whole, its ledger too"))?;
    if faults.is_empty() {
        return Ok(Exit::Done);
    }
    let failure = Failure::failed(format!("{place} is damaged, or was altered"));
    Err(failure.advise(
        "put back a copy; without one, move it away and pull: a push then meets what is there already, and adopts it",
    ))
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
