//! The value after every step of every field.

use std::io::Write;

use diaporos_core::value::{Value, to_json};
use diaporos_hub::config::{Config, ConfiguredLane};
use diaporos_hub::given::{given, with_given};
use diaporos_hub::preview::steps;
use diaporos_hub::push::EntryPlan;
use diaporos_store::Store;

use crate::commands;
use crate::commands::amend::told;
use crate::context::Context;
use crate::error::Failure;
use crate::output::{Cell, Column, Format, fields, one_line, out};

const STEPS: &[Column] = &[
    Column::text("address", "address"),
    Column::text("field", "field"),
    Column::text("step", "step"),
    Column::prose("value", "value"),
];

/// The most characters of a value that a line shows.
const SHOWN: usize = 200;

pub(super) fn show(
    plans: &[EntryPlan],
    (config, lane): (&Config, &ConfiguredLane),
    store: &Store,
    context: &Context,
) -> Result<(), Failure> {
    let mut sheet = context.sheet(STEPS);
    let mut out = out();
    for (place, plan) in plans.iter().enumerate() {
        let all = steps(store, lane, &plan.address)?.unwrap_or_default();
        if context.format != Format::Table {
            for of in &all {
                for (step, value) in &of.steps {
                    sheet.row(vec![
                        Cell::text(plan.address.to_string()),
                        Cell::text(&of.field),
                        Cell::text(step),
                        value.as_ref().map_or_else(Cell::nothing, |value| Cell {
                            json: to_json(value),
                            ..Cell::text(fields::value_text(value))
                        }),
                    ]);
                }
            }
            continue;
        }
        if place > 0 {
            writeln!(out)?;
        }
        writeln!(out, "{} → {}", plan.address, lane.lane.to)?;
        let Some(entry) = store.entry(&plan.address)? else { continue };
        let (given, own) = (given(config, store, &entry.row)?, with_given(config, store, &entry.row)?);
        if let Some(amended) = told(lane, &plan.address, &own) {
            writeln!(out, "  amended: {amended}")?;
        }
        if let Some(services) = commands::given::told(lane, &given, context) {
            writeln!(out, "  services: {services}")?;
        }
        for of in &all {
            writeln!(out, "\n  {}", of.field)?;
            let widest = of.steps.iter().map(|(step, _)| one_line(step).chars().count()).max().unwrap_or(0).min(40);
            for (step, value) in &of.steps {
                draw_step(&mut out, &one_line(step), value.as_ref(), widest)?;
            }
            if let Some(error) = &of.error {
                writeln!(out, "    no further: {}", one_line(error))?;
            }
        }
    }
    out.flush()?;
    if context.format == Format::Table { Ok(()) } else { sheet.end("") }
}

fn draw_step(out: &mut dyn Write, step: &str, value: Option<&Value>, widest: usize) -> Result<(), Failure> {
    let lines: Vec<String> = match value {
        None => vec!["(not reached)".to_owned()],
        Some(Value::Localised(by_language)) if by_language.is_empty() => vec!["null".to_owned()],
        Some(Value::Localised(by_language)) => {
            by_language.iter().map(|(tag, inner)| format!("{tag}  {}", shown(inner))).collect()
        }
        Some(plain) => vec![shown(plain)],
    };
    for (place, line) in lines.iter().enumerate() {
        let step = if place == 0 { step } else { "" };
        writeln!(out, "    {step:widest$}  {line}")?;
    }
    Ok(())
}

fn shown(value: &Value) -> String {
    match value {
        Value::Null => "null".to_owned(),
        other => {
            let line = one_line(&fields::value_text(other));
            diaporos_core::text::shorten(&line, SHOWN, diaporos_core::text::Cut::Letters)
        }
    }
}
