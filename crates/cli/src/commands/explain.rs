//! `explain`.

use std::io::Write;

use clap::Args;
use diaporos_core::lane::{Clause, Ruling};
use diaporos_core::value::{Value, to_json};
use diaporos_hub::explain::{LaneSays, explain};
use diaporos_hub::given::{given, with_given};
use diaporos_store::Standing;
use serde_json::{Value as Json, json};

use super::amend::told;
use super::{address, given as services, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::fields::value_text;
use crate::output::{Cell, Column, Format, Sheet, one_line, out};

/// Tell for each lane whether an entry goes and why, clause by clause with values.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  diaporos explain catalogue/plant-profile/p-023\n\nNothing is asked of any system.")]
pub(crate) struct Explain {
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: String,
}

const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("rule", "rule"),
    Column::text("holds", "holds"),
    Column::prose("clause", "clause"),
    Column::text("value", "value"),
    Column::prose("parts", "with"),
];

pub(crate) fn run(args: &Explain, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let address = address(&args.address)?;
    let Some(said) = explain(&config, &store, &address, Context::now())? else {
        return Err(no_entry(&store, &address)?);
    };
    if context.format != Format::Table {
        let mut sheet = context.sheet(COLUMNS);
        said.iter().for_each(|lane| rows(lane, &mut sheet));
        sheet.end("")?;
        return Ok(Exit::Done);
    }
    let Some(entry) = store.entry(&address)? else { return Err(no_entry(&store, &address)?) };
    let (given, fields) = (given(&config, &store, &entry.row)?, with_given(&config, &store, &entry.row)?);
    let mut out = out();
    writeln!(out, "{address}\n")?;
    if said.is_empty() {
        writeln!(out, "no lane takes entries of `{}/{}`", address.system, address.kind)?;
    }
    for (place, lane) in said.iter().enumerate() {
        if place > 0 {
            writeln!(out)?;
        }
        let amended = told(lane.lane, &address, &fields);
        draw(&mut out, lane, [("amended", amended), ("services", services::told(lane.lane, &given, context))])?;
    }
    out.flush()?;
    Ok(Exit::Done)
}

fn verdict(said: &LaneSays<'_>) -> String {
    if said.taken_off.is_some() {
        return "is kept off by hand".to_owned();
    }
    if let Some(undone) = &said.undone {
        return format!("is kept as it was before run {}", undone.run);
    }
    match (said.explanation.goes, &said.hold) {
        (None, _) => "cannot be decided".to_owned(),
        (Some(false), _) => "does not go".to_owned(),
        (Some(true), Some(hold)) => format!("goes, and is held: {}", one_line(&hold.message)),
        (Some(true), None) => "goes".to_owned(),
    }
}

fn draw(out: &mut dyn Write, said: &LaneSays<'_>, origins: [(&str, Option<String>); 2]) -> Result<(), Failure> {
    let lane = &said.lane.lane;
    writeln!(out, "{} → {}: {}", lane.name, lane.to, verdict(said))?;
    let standing = match said.standing {
        None | Some(Standing::Owed) => "the next push looks at it",
        Some(standing) => standing.word(),
    };
    writeln!(out, "  stands: {standing}")?;
    for (what, told) in origins {
        if let Some(told) = told {
            writeln!(out, "  {what}: {told}")?;
        }
    }
    if !said.own_form.is_empty() {
        let fields: Vec<&str> = said.own_form.iter().map(String::as_str).collect();
        writeln!(out, "  kept there in a form of its own: {}", one_line(&fields.join(", ")))?;
    }
    if said.taken_off.is_some() {
        let put_back = format!("diaporos withdraw ADDRESS --from {} --put-back", lane.to.system);
        writeln!(out, "  next: `{put_back}` lets it go again as the lane has it")?;
    }
    if let Some(undone) = &said.undone {
        writeln!(out, "  undone by {}", one_line(&undone.who))?;
        let release = format!("diaporos undo {} --release --only ADDRESS", undone.run);
        writeln!(out, "  next: `{release}` lets it go again as the lane has it")?;
    }
    draw_ruling(out, "when", &said.explanation.when)?;
    for ruling in &said.explanation.require {
        draw_ruling(out, "require", ruling)?;
    }
    for ruling in &said.explanation.protect {
        draw_ruling(out, "protect", ruling)?;
    }
    Ok(())
}

fn draw_ruling(out: &mut dyn Write, kind: &str, ruling: &Ruling) -> Result<(), Failure> {
    let name = if kind == ruling.name { kind.to_owned() } else { format!("{kind} {}", ruling.name) };
    let answer = match &ruling.holds {
        Ok(true) => "holds".to_owned(),
        Ok(false) => "does not hold".to_owned(),
        Err(message) => format!("has no answer: {}", one_line(message)),
    };
    // A rule says something where it decides.
    let decides = if kind == "protect" { ruling.holds != Ok(false) } else { ruling.holds != Ok(true) };
    let message = ruling.message.as_ref().filter(|_| decides).map_or(String::new(), |message| format!(": {message}"));
    writeln!(out, "  {name}: {answer}{message}")?;
    let widest = ruling.clauses.iter().map(|clause| clause.text.chars().count() + 2 * clause.depth).max().unwrap_or(0);
    for clause in &ruling.clauses {
        let text = format!("{}{}", "  ".repeat(clause.depth), one_line(&clause.text));
        let parts = parts(clause);
        let parts = if parts.is_empty() { parts } else { format!("  {parts}") };
        writeln!(out, "    {:13} {text:widest$}{parts}", answer_of(clause))?;
    }
    Ok(())
}

/// What a clause came to, in a word.
fn answer_of(clause: &Clause) -> String {
    match &clause.value {
        None => "not reached".to_owned(),
        Some(Value::Boolean(true)) => "true".to_owned(),
        Some(Value::Boolean(false) | Value::Null) => "false".to_owned(),
        Some(other) => other.kind_name().to_owned(),
    }
}

/// `state is live, tags is fern, public`.
fn parts(clause: &Clause) -> String {
    let told = clause.parts.iter().filter(|(text, _)| *text != clause.text).map(|(text, value)| {
        let value = match value {
            Value::Null => "null".to_owned(),
            other => one_line(&value_text(other)),
        };
        format!("{text} is {value}")
    });
    told.collect::<Vec<_>>().join("; ")
}

fn rows(said: &LaneSays<'_>, sheet: &mut Sheet) {
    let explanation = &said.explanation;
    let rulings = std::iter::once(("when", &explanation.when))
        .chain(explanation.require.iter().map(|ruling| ("require", ruling)))
        .chain(explanation.protect.iter().map(|ruling| ("protect", ruling)));
    for (kind, ruling) in rulings {
        let name = if kind == ruling.name { kind.to_owned() } else { format!("{kind} {}", ruling.name) };
        let holds = ruling.holds.as_ref().map_or(Json::Null, |holds| (*holds).into());
        for clause in &ruling.clauses {
            let values: serde_json::Map<String, Json> =
                clause.parts.iter().map(|(text, value)| (text.clone(), to_json(value))).collect();
            sheet.row(vec![
                Cell::text(said.lane.lane.name.to_string()),
                Cell::text(&name),
                Cell { json: holds.clone(), ..Cell::text(holds.to_string()) },
                Cell::text(&clause.text),
                Cell { json: clause.value.as_ref().map_or(Json::Null, to_json), ..Cell::text(answer_of(clause)) },
                Cell { json: json!(values), ..Cell::text(parts(clause)) },
            ]);
        }
    }
}
