//! An answer, as a person reads it.

use std::io::Write;

use diaporos_core::text::{Cut, shorten};
use serde_json::{Map, Value as Json, json};

use super::{AskCommand, Came};
use crate::error::Failure;
use crate::output::{one_line, out};

/// So many items of a list, and letters of a text, are shown.
const ITEMS: usize = 3;
const LETTERS: usize = 160;
/// So many lines of what is not JSON are shown.
const LINES: usize = 40;

/// Draws an answer: its status, its headers, what it tells, and its body; or only what was looked for in a good one.
pub(super) fn draw(args: &AskCommand, came: &Came, found: Option<&Vec<Json>>) -> Result<(), Failure> {
    let Came { answer, took, facts } = came;
    let mut out = out();
    // Values alone, a line each, for whatever reads them next.
    if let Some(found) = found.filter(|_| answer.status < 400) {
        for value in found {
            writeln!(out, "{}", one_line(&value.as_str().map_or_else(|| value.to_string(), str::to_owned)))?;
        }
        out.flush()?;
        return Ok(());
    }
    writeln!(out, "{} after {} ms, {} bytes", answer.status, took.as_millis(), answer.body.len())?;
    let width = answer.headers.iter().map(|(name, _)| name.len()).max().unwrap_or_default();
    for (name, value) in &answer.headers {
        writeln!(out, "  {name:width$}  {}", one_line(&shorten(value, LETTERS, Cut::Letters)))?;
    }
    if !facts.is_empty() {
        writeln!(out)?;
        let width = facts.iter().map(|fact| fact.about.len()).max().unwrap_or_default();
        for fact in facts {
            writeln!(out, "{:width$}  {}", fact.about, one_line(&fact.told))?;
        }
    }
    writeln!(out)?;
    match answer.json() {
        Ok(json) => writeln!(out, "{:#}", if args.whole { json } else { shortened(json) })?,
        Err(_) => draw_text(&mut out, &answer.body, args.whole)?,
    }
    out.flush()?;
    Ok(())
}

fn draw_text(out: &mut dyn Write, body: &[u8], whole: bool) -> Result<(), Failure> {
    let Ok(text) = std::str::from_utf8(body) else {
        writeln!(out, "no text: {} bytes", body.len())?;
        return Ok(());
    };
    let lines = text.lines().count();
    for line in text.lines().take(if whole { lines } else { LINES }) {
        writeln!(out, "{}", if whole { line.to_owned() } else { shorten(line, LETTERS, Cut::Letters) })?;
    }
    if !whole && lines > LINES {
        writeln!(out, "… {} more lines; `--whole` shows them", lines - LINES)?;
    }
    Ok(())
}

/// Long lists and texts cut, and said so in their place.
fn shortened(json: Json) -> Json {
    match json {
        Json::Array(items) => {
            let more = items.len().saturating_sub(ITEMS);
            let mut shown: Vec<Json> = items.into_iter().take(ITEMS).map(shortened).collect();
            if more > 0 {
                shown.push(json!(format!("… {more} more; `--whole` shows them")));
            }
            Json::Array(shown)
        }
        Json::Object(members) => {
            Json::Object(members.into_iter().map(|(name, value)| (name, shortened(value))).collect::<Map<_, _>>())
        }
        Json::String(text) => shorten(&text, LETTERS, Cut::Letters).into(),
        other => other,
    }
}
