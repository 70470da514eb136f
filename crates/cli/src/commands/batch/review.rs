//! `batch review`.

use std::io::{BufRead, Write};
use std::path::PathBuf;

use clap::Args;
use diaporos_core::translate::{Inline, UnitId};
use diaporos_core::value::LanguageTag;
use diaporos_hub::batch::{CollectTally, Collector, Decided, Decision, write_review};
use diaporos_hub::config::Brief;
use diaporos_store::{BatchRow, BatchUnit, Leased, Store, UnitStanding};
use serde_json::json;

use super::decisions::read_decisions;
use super::show::coded_text;
use super::{batch, language};
use crate::commands::counted;
use crate::context::{Context, can_answer};
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Sheet, Summary, Tint, note, out};

/// Review what came back: see what waits, and accept, change or reject it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch review plants-1\n  diaporos batch review plants-1 --into cy --step\n  diaporos batch review plants-1 --page review\n  diaporos batch review plants-1 --into cy --take plants-1.cy.review.csv --by \"Gwen Tudor\"\n  diaporos batch review plants-1 --into cy --accept all\n  diaporos batch review plants-1 --into cy --reject u7b8f8cb2074fa009 --reason \"a frond is no leaf\"\n  diaporos batch review plants-1 --into cy --change u7b8f8cb2074fa009 --text \"Rhedynen <1>dal</1>\""
)]
pub(crate) struct Review {
    /// The batch.
    #[arg(value_name = "BATCH")]
    batch: String,
    /// Only into this language; decisions need one where the batch has several.
    #[arg(long, value_name = "LANGUAGE")]
    into: Option<String>,
    /// Who decides; the name of the user without it.
    #[arg(long, value_name = "NAME")]
    by: Option<String>,
    /// Go through what waits one by one, and ask about each.
    #[arg(long, conflicts_with_all = ["page", "take", "accept", "reject", "change"])]
    step: bool,
    /// Write a page for each language into this folder: what came back beside its source, to be decided about in a
    /// browser.
    #[arg(long, value_name = "DIR", conflicts_with_all = ["take", "accept", "reject", "change"])]
    page: Option<PathBuf>,
    /// Do what a file says: CSV with the headings `unit,decision,text,reason,seen`, as the page saves it.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["accept", "reject", "change"])]
    take: Option<PathBuf>,
    /// Accept these units, or `all` that are pending.
    #[arg(long, value_name = "UNIT", num_args = 1..)]
    accept: Vec<String>,
    /// Send this unit back.
    #[arg(long, value_name = "UNIT", requires = "reason")]
    reject: Option<String>,
    /// Why it goes back.
    #[arg(long, value_name = "TEXT", requires = "reject")]
    reason: Option<String>,
    /// Take another text for this unit.
    #[arg(long, value_name = "UNIT", requires = "text")]
    change: Option<String>,
    /// The text, its tags as `<1>…</1>` and `<2/>`.
    #[arg(long, value_name = "TEXT", requires = "change")]
    text: Option<String>,
}

const COLUMNS: &[Column] = &[
    Column::text("unit", "unit"),
    Column::text("language", "lang"),
    Column::text("name", "where"),
    Column::text("outcome", "standing"),
    Column::prose("source", "source"),
    Column::prose("target", "translation"),
    Column::prose("reasons", "why"),
    Column::text("reviewer", "by"),
];

/// Units that are read together.
const TOGETHER: usize = 500;

pub(crate) fn run(args: &Review, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let decides = args.step || args.take.is_some() || !args.accept.is_empty();
    let decides = decides || args.reject.is_some() || args.change.is_some();
    if !decides {
        let store = Context::store(&config)?;
        let (found, brief) = batch(&config, &store, &args.batch)?;
        let languages = languages(args, &found)?;
        return match &args.page {
            Some(folder) => pages(&store, brief, &found, (&languages, folder)),
            None => listed(&store, &found, &languages, context),
        };
    }
    // Whoever looks keeps nobody from collecting; what came meanwhile is not what they decided about.
    let store = Context::store(&config)?;
    let (found, brief) = batch(&config, &store, &args.batch)?;
    let into = match languages(args, &found)?.as_slice() {
        [only] => only.clone(),
        several => {
            let names: Vec<String> = several.iter().map(ToString::to_string).collect();
            return Err(Failure::wrong("a decision is about one language")
                .advise(format!("name it with `--into`: {}", names.join(", "))));
        }
    };
    let reviewer = args.by.clone().or_else(|| Context::variable("USER")).filter(|name| !name.trim().is_empty());
    let reviewer = reviewer.ok_or_else(|| Failure::wrong("nobody is named who decides").advise("name them: `--by`"))?;
    let decisions = if args.step { stepped(&store, &found, &into)? } else { decisions(args, &store, &found, &into)? };
    drop(store);
    let mut store = Context::store_leased(&config, &[Leased::Batches], "batch review")?;
    let mut sheet = context.sheet(COLUMNS).within("units");
    let batch = &found;
    let mut collector = Collector { store: &mut store, brief, batch, now: Context::now(), reviewer: Some(reviewer) };
    let decided = decisions.len();
    let tally = collector.decide(&into, decisions, &mut |row| {
        let reasons = Cell { shown: row.reasons.join("; "), ..Cell::list(row.reasons) };
        sheet.row(vec![
            Cell::text(row.unit),
            Cell::text(row.language.to_string()),
            Cell::maybe(row.name),
            Cell::text(row.outcome),
            Cell::nothing(),
            Cell::nothing(),
            reasons,
            Cell::nothing(),
        ]);
    })?;
    end(sheet, decided, tally, &args.batch)
}

fn end(sheet: Sheet, decided: usize, tally: CollectTally, batch: &str) -> Result<Exit, Failure> {
    let CollectTally { accepted, unchanged, rejected, outdated, refused, values, .. } = tally;
    let mut sentences = vec![match decided {
        0 => "Nothing was decided".to_owned(),
        _ => format!("Units: {accepted} accepted, {rejected} rejected, {unchanged} as before, {refused} left alone"),
    }];
    if outdated > 0 {
        sentences.push(format!("{outdated} are of texts that have changed since"));
    }
    if values > 0 {
        let texts = counted(values, "text is", "texts are");
        sentences.push(format!("{texts} whole, and values of their entries now; `diaporos push` takes them along"));
    }
    if rejected > 0 {
        sentences.push(format!("next: `diaporos batch reject-note {batch}` writes a file that says why, to send back"));
    }
    let counts = json!({
        "accepted": accepted, "rejected": rejected, "unchanged": unchanged, "outdated": outdated, "refused": refused, "values": values,
    });
    let counts = counts.as_object().cloned().unwrap_or_default();
    sheet.end_with(Summary { counts, sentence: sentences.join("\n") })?;
    Ok(if refused + outdated == 0 { Exit::Done } else { Exit::Partly })
}

fn languages(args: &Review, found: &BatchRow) -> Result<Vec<LanguageTag>, Failure> {
    match &args.into {
        Some(text) => Ok(vec![language(text, &found.into)?]),
        None => Ok(found.into.clone()),
    }
}

/// Hands over what waits for a person.
fn waiting(
    store: &Store,
    found: &BatchRow,
    into: &LanguageTag,
    mut each: impl FnMut(&BatchUnit) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let mut after = 0;
    loop {
        let page = store.batch_units(found.number, into, after, TOGETHER)?;
        let Some(last) = page.last() else { return Ok(()) };
        after = last.text;
        let waits = |unit: &&BatchUnit| matches!(unit.standing, UnitStanding::Pending | UnitStanding::Rejected);
        page.iter().filter(waits).try_for_each(&mut each)?;
    }
}

fn listed(store: &Store, found: &BatchRow, languages: &[LanguageTag], context: &Context) -> Result<Exit, Failure> {
    let mut sheet = context.sheet(COLUMNS);
    let text = |coded| coded_text(coded, context.format);
    for into in languages {
        waiting(store, found, into, |unit| {
            let tint = if unit.standing == UnitStanding::Rejected { Tint::Bad } else { Tint::Warn };
            sheet.row(vec![
                Cell::text(unit.unit.id.to_string()),
                Cell::text(into.to_string()),
                Cell::text(&unit.unit.name),
                Cell::text(unit.standing.word()).tint(tint),
                text(unit.unit.source.coded()),
                unit.target.as_ref().map_or_else(Cell::nothing, |target| text(target.coded())),
                Cell { shown: unit.reasons.join("; "), ..Cell::list(unit.reasons.clone()) },
                Cell::maybe(unit.reviewer.clone()),
            ]);
            Ok(())
        })?;
    }
    sheet.end("nothing waits for a person")?;
    Ok(Exit::Done)
}

fn pages(
    store: &Store,
    brief: &Brief,
    found: &BatchRow,
    (languages, folder): (&[LanguageTag], &PathBuf),
) -> Result<Exit, Failure> {
    let mut out = out();
    for into in languages {
        let (file, units) = write_review(store, brief, (found, into), folder)?;
        writeln!(out, "{}: {}", file.display(), counted(units, "unit waits", "units wait"))?;
    }
    out.flush()?;
    Ok(Exit::Done)
}

fn unit_id(text: &str) -> Result<UnitId, Failure> {
    text.parse().map_err(|error| Failure::wrong(format!("{error}")))
}

/// What the arguments or a file decide.
fn decisions(args: &Review, store: &Store, found: &BatchRow, into: &LanguageTag) -> Result<Vec<Decided>, Failure> {
    if let Some(file) = &args.take {
        return read_decisions(file);
    }
    let mut decisions = Vec::new();
    for text in &args.accept {
        if text != "all" {
            decisions.push(Decided { id: unit_id(text)?, seen: None, decision: Decision::Accept });
            continue;
        }
        waiting(store, found, into, |unit| {
            let is_pending = unit.standing == UnitStanding::Pending;
            let decision = Decision::Accept;
            let (id, seen) = (unit.unit.id.clone(), unit.target.clone());
            decisions.extend(is_pending.then_some(Decided { id, seen, decision }));
            Ok(())
        })?;
    }
    if let (Some(unit), Some(reason)) = (&args.reject, &args.reason) {
        decisions.push(Decided { id: unit_id(unit)?, seen: None, decision: Decision::Reject(reason.clone()) });
    }
    if let (Some(unit), Some(text)) = (&args.change, &args.text) {
        let decision = Decision::Change(Inline::from_coded(text));
        decisions.push(Decided { id: unit_id(unit)?, seen: None, decision });
    }
    Ok(decisions)
}

/// Goes through what waits, and asks. Nothing is done before the end, so that whoever stops has decided what
/// they decided, and no more.
fn stepped(store: &Store, found: &BatchRow, into: &LanguageTag) -> Result<Vec<Decided>, Failure> {
    let mut units = Vec::new();
    waiting(store, found, into, |unit| {
        units.push(unit.clone());
        Ok(())
    })?;
    let mut decisions = Vec::new();
    let mut lines = std::io::stdin().lock().lines();
    let total = units.len();
    for (unit, number) in units.into_iter().zip(1..) {
        note(&format!("\n{number} of {total}  {}", unit.unit.name));
        note(&format!("  {}", unit.unit.source.coded()));
        note(&format!("  {}", unit.target.as_ref().map(Inline::coded).unwrap_or_default()));
        unit.reasons.iter().for_each(|reason| note(&format!("  ! {reason}")));
        let mut ask = |question: &str| -> Result<Option<String>, Failure> {
            note(question);
            Ok(lines.next().transpose()?.map(|line| line.trim().to_owned()))
        };
        let decision = loop {
            match ask("[a]ccept, [c]hange, [r]eject, [s]kip, [q]uit?")?.as_deref() {
                Some("a" | "accept") => break Some(Decision::Accept),
                Some("c" | "change") => match ask("instead:")? {
                    Some(text) if !text.is_empty() => break Some(Decision::Change(Inline::from_coded(&text))),
                    _ => {}
                },
                Some("r" | "reject") => match ask("why:")? {
                    Some(reason) if !reason.is_empty() => break Some(Decision::Reject(reason)),
                    _ => {}
                },
                Some("s" | "skip") => break None,
                Some("q" | "quit") | None => return Ok(decisions),
                // Somebody is there, and may type again.
                Some(_) if can_answer() => {}
                Some(other) => return Err(Failure::wrong(format!("`{other}` is no answer"))),
            }
        };
        let (id, seen) = (unit.unit.id, unit.target);
        decisions.extend(decision.map(|decision| Decided { id, seen, decision }));
    }
    Ok(decisions)
}
