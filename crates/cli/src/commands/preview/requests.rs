//! The very requests that a push would send.

use std::io::Write;

use diaporos_hub::config::ConfiguredLane;
use diaporos_hub::preview::requests;
use diaporos_hub::push::EntryPlan;
use diaporos_systems::Write as SystemWrite;
use diaporos_systems::http::Body;

use super::language;
use crate::context::Context;
use crate::error::Failure;
use crate::output::{Cell, Column, Format, Tint, one_line, out};

const REQUESTS: &[Column] = &[
    Column::text("address", "address"),
    Column::text("language", "lang"),
    Column::text("step", "step"),
    Column::text("method", "method"),
    Column::text("url", "url"),
    Column::prose("body", "body"),
    Column::prose("curl", "curl"),
];

pub(super) fn show(
    plans: &[EntryPlan],
    lane: &ConfiguredLane,
    writer: &dyn SystemWrite,
    context: &Context,
) -> Result<(), Failure> {
    let mut sheet = context.sheet(REQUESTS);
    let mut out = out();
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
                let body = match request.body.clone() {
                    None => Cell::nothing(),
                    Some(Body::Json(json, _)) => Cell { json, ..Cell::nothing() },
                    Some(Body::Form(members, _)) => Cell { json: members.into(), ..Cell::nothing() },
                    Some(Body::Bytes(bytes, _)) => Cell::text(String::from_utf8_lossy(&bytes).into_owned()),
                };
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
