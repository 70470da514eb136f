//! What entries become, field by field.

use std::io::Write;

use diaporos_core::plan::DocumentPlan;
use diaporos_core::value::to_json;
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::push::EntryPlan;

use super::language;
use crate::error::Failure;
use crate::output::{Cell, Column, Sheet, fields, one_line, out};

pub(super) const FIELDS: &[Column] = &[
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("step", "step"),
    Column::text("id_there", "id there"),
    Column::text("field", "field"),
    Column::prose("value", "value"),
    Column::text("differs", "differs"),
];

pub(super) fn rows(plan: &EntryPlan, sheet: &mut Sheet) {
    let address = || Cell::text(plan.address.to_string());
    if let Some(hold) = &plan.hold {
        let message = Cell::text(&hold.message);
        sheet.row(vec![
            address(),
            Cell::nothing(),
            Cell::word("hold"),
            Cell::nothing(),
            Cell::nothing(),
            message,
            Cell::nothing(),
        ]);
        return;
    }
    for document in &plan.documents {
        let changes = document.changes();
        let Some(content) = &document.document else { continue };
        for (name, value) in &content.fields {
            sheet.row(vec![
                address(),
                Cell::text(language(document)),
                Cell::word(document.step.word()),
                Cell::maybe(document.id_there().map(ToString::to_string)),
                Cell::text(name),
                Cell { json: to_json(value), ..Cell::text(fields::value_text(value)) },
                Cell { json: changes.contains(name).into(), ..Cell::nothing() },
            ]);
        }
    }
}

pub(super) fn draw(plans: &[EntryPlan], lane: &ConfiguredLane) -> Result<(), Failure> {
    let mut out = out();
    if plans.is_empty() {
        writeln!(out, "no entry goes on `{}`", lane.lane.name)?;
    }
    for (place, plan) in plans.iter().enumerate() {
        if place > 0 {
            writeln!(out)?;
        }
        writeln!(out, "{} → {}", plan.address, lane.lane.to)?;
        if let Some(hold) = &plan.hold {
            writeln!(out, "  held, {}: {}", hold.reason.word(), one_line(&hold.message))?;
            writeln!(out, "  next: {}", hold.reason.way_out().replace("ADDRESS", &plan.address.to_string()))?;
        }
        if !plan.goes {
            let when = lane.lane.when.as_ref().map_or("state == \"live\"", |when| when.text.as_str());
            writeln!(out, "  does not go: `{when}` does not hold, or the entry is gone")?;
        }
        for document in plan.documents.iter().filter(|_| plan.hold.is_none()) {
            draw_document(&mut out, document)?;
        }
        for (language, missing) in &plan.incomplete {
            writeln!(out, "\n  {language}  left as it is there: {} missing", missing.join(", "))?;
        }
        for dead in &plan.dependencies.dead {
            writeln!(out, "\n  note: it refers to `{dead}`, which is not in the store")?;
        }
        for waits in plan.dependencies.not_there() {
            writeln!(out, "\n  note: `{waits}` is not at the destination yet; its identifier follows when it is")?;
        }
    }
    out.flush()?;
    Ok(())
}

fn draw_document(out: &mut dyn Write, document: &DocumentPlan) -> Result<(), Failure> {
    let there = document.id_there().map_or(String::new(), |id| format!(" {id}"));
    let language = document.language.as_ref().map_or(String::new(), |tag| format!("{tag}  "));
    writeln!(out, "\n  {language}{}{there}", document.step.word())?;
    let Some(content) = &document.document else { return Ok(()) };
    let changes = document.changes();
    let lines = fields::lines(&content.fields);
    let name = |line: &fields::FieldLine| match line.language.as_str() {
        "" => line.field.clone(),
        language => format!("{}@{language}", line.field),
    };
    let widest = lines.iter().map(|line| name(line).chars().count()).max().unwrap_or_default();
    for line in &lines {
        let mark = if changes.contains(&line.field) { "*" } else { " " };
        writeln!(out, "  {mark} {:widest$}  {}", name(line), one_line(&line.value))?;
    }
    if !changes.is_empty() {
        writeln!(out, "    * differs from what was last delivered")?;
    }
    Ok(())
}
