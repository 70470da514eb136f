//! `preview`.

use std::io::Write;

use clap::Args;
use diaporos_core::value::{Address, LanguageTag, to_json};
use diaporos_hub::Connector;
use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::look::{EntryQuery, entries};
use diaporos_hub::preview::{preview, requests};
use diaporos_hub::push::{DocumentPlan, EntryPlan};
use diaporos_store::Store;
use diaporos_systems::Write as SystemWrite;

use super::{address, lane, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet, Tint, fields, one_line};

/// Show what entries become on a lane, field by field, without sending anything.
///
/// Nothing is asked of the destination: what was never delivered is shown as it would be created.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos preview profiles catalogue/plant-profile/p-001\n  diaporos preview profiles --most 3\n  diaporos preview profiles catalogue/plant-profile/p-001 --as-curl"
)]
pub(crate) struct Preview {
    /// The lane.
    #[arg(value_name = "LANE")]
    lane: String,
    /// The entry, as `system/type/id`; the first that go on the lane where none is given.
    #[arg(value_name = "ADDRESS")]
    address: Option<String>,
    /// Print the very requests that a push would send, secrets as variables.
    #[arg(long)]
    as_curl: bool,
    /// How many entries, where no address is given.
    #[arg(long, value_name = "N", default_value_t = 3)]
    most: usize,
}

const FIELDS: &[Column] = &[
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("step", "step"),
    Column::text("id_there", "id there"),
    Column::text("field", "field"),
    Column::prose("value", "value"),
    Column::text("differs", "differs"),
];
const REQUESTS: &[Column] = &[
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("step", "step"),
    Column::text("method", "method"),
    Column::text("url", "url"),
    Column::prose("body", "body"),
    Column::prose("curl", "curl"),
];

pub(crate) fn run(args: &Preview, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let lane = lane(&config, &args.lane)?;
    let store = Context::store(&config)?;
    let plans = match &args.address {
        Some(text) => vec![one(&store, lane, &address(text)?)?],
        None => first(&store, lane, args.most)?,
    };
    if args.as_curl {
        let writer = Connector::new(&config, &Context::variable).writer(&lane.lane.to.system)?;
        show_requests(&plans, lane, writer.as_ref(), context)?;
    } else if context.format == Format::Table {
        draw(&plans, lane)?;
    } else {
        let mut sheet = Sheet::new(context, FIELDS);
        plans.iter().for_each(|plan| rows(plan, &mut sheet));
        sheet.end("")?;
    }
    let held = plans.iter().any(|plan| plan.hold.is_some());
    Ok(if held { Exit::Partly } else { Exit::Done })
}

fn one(store: &Store, lane: &ConfiguredLane, address: &Address) -> Result<EntryPlan, Failure> {
    let from = &lane.lane.from;
    if (&from.system, &from.kind) != (&address.system, &address.kind) {
        return Err(Failure::wrong(format!(
            "the lane `{}` takes entries of `{from}`, not `{address}`",
            lane.lane.name
        )));
    }
    match preview(store, lane, address)? {
        Some(plan) => Ok(plan),
        None => Err(no_entry(store, address)?),
    }
}

/// The first entries that go on the lane.
fn first(store: &Store, lane: &ConfiguredLane, most: usize) -> Result<Vec<EntryPlan>, Failure> {
    let from = &lane.lane.from;
    let query = EntryQuery {
        system: Some(from.system.to_string()),
        kind: Some(from.kind.to_string()),
        ..EntryQuery::default()
    };
    let mut plans = Vec::new();
    entries(store, &query, |row| -> Result<(), Failure> {
        if plans.len() < most
            && let Some(plan) = preview(store, lane, &row.address)?
            && plan.goes
        {
            plans.push(plan);
        }
        Ok(())
    })?;
    Ok(plans)
}

fn language(document: &DocumentPlan) -> String {
    document.language.as_ref().map_or(String::new(), LanguageTag::to_string)
}

fn rows(plan: &EntryPlan, sheet: &mut Sheet) {
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

fn draw(plans: &[EntryPlan], lane: &ConfiguredLane) -> Result<(), Failure> {
    let mut out = Context::out();
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
        for dead in &plan.dead {
            writeln!(out, "\n  note: it refers to `{dead}`, which is not in the store")?;
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

fn show_requests(
    plans: &[EntryPlan],
    lane: &ConfiguredLane,
    writer: &dyn SystemWrite,
    context: &Context,
) -> Result<(), Failure> {
    let mut sheet = Sheet::new(context, REQUESTS);
    let mut out = Context::out();
    for plan in plans {
        let orders = if plan.hold.is_some() { Vec::new() } else { requests(plan, lane, writer)? };
        if orders.is_empty() && context.format == Format::Table {
            let why =
                plan.hold.as_ref().map_or("nothing is to be sent".to_owned(), |hold| format!("held: {}", hold.message));
            writeln!(out, "# {}: {}", plan.address, one_line(&why))?;
        }
        for (document, request) in orders {
            if context.format == Format::Table {
                writeln!(out, "# {} {}: {}", plan.address, language(document), document.step.word())?;
                writeln!(out, "{}\n", request.as_curl())?;
            } else {
                let body = request.body.clone().map_or_else(Cell::nothing, |json| Cell { json, ..Cell::nothing() });
                sheet.row(vec![
                    Cell::text(plan.address.to_string()),
                    Cell::text(language(document)),
                    Cell::word(document.step.word()),
                    Cell::text(request.method.word()),
                    Cell::text(request.shown_url()),
                    body.tint(Tint::Plain),
                    Cell::text(request.as_curl()),
                ]);
            }
        }
    }
    out.flush()?;
    if context.format == Format::Table { Ok(()) } else { sheet.end("") }
}
