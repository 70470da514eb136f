//! Decisions of a reviewer, in a file.

use std::path::Path;

use diaporos_core::translate::Inline;
use diaporos_hub::batch::{Decided, Decision};

use crate::error::Failure;

/// The most bytes of a file of decisions.
const LARGEST: u64 = 64 << 20;

/// Reads decisions: CSV with the headings `unit,decision,text,reason`, and `seen` for what was looked at.
pub(super) fn read_decisions(file: &Path) -> Result<Vec<Decided>, Failure> {
    let wrong = |why: String| Failure::wrong(format!("{}: {why}", file.display()));
    let size = std::fs::metadata(file).map_err(|error| wrong(error.to_string()))?.len();
    if size > LARGEST {
        return Err(wrong(format!("it has {size} bytes; at most {LARGEST} are read")));
    }
    let text = std::fs::read_to_string(file).map_err(|error| wrong(error.to_string()))?;
    let mut reader =
        csv::ReaderBuilder::new().flexible(true).from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let headings = reader.headers().map_err(|error| wrong(error.to_string()))?.clone();
    let column = |name: &str| headings.iter().position(|heading| heading.trim() == name);
    let (Some(unit), Some(decision)) = (column("unit"), column("decision")) else {
        return Err(wrong("its headings are not `unit,decision,text,reason`".to_owned()));
    };
    let (text, reason, seen) = (column("text"), column("reason"), column("seen"));
    let mut decisions = Vec::new();
    for row in reader.records() {
        let row = row.map_err(|error| wrong(error.to_string()))?;
        let line = row.position().map_or(0, csv::Position::line);
        let cell = |at: Option<usize>| at.and_then(|at| row.get(at)).unwrap_or_default().trim();
        let id = cell(Some(unit)).parse().map_err(|error| wrong(format!("line {line}: {error}")))?;
        let decision = match (cell(Some(decision)), cell(text), cell(reason)) {
            ("accept", ..) => Decision::Accept,
            ("change", text, _) if !text.is_empty() => Decision::Change(Inline::from_coded(text)),
            ("change", ..) => return Err(wrong(format!("line {line}: `change` needs a text"))),
            ("reject", _, reason) if !reason.is_empty() => Decision::Reject(reason.to_owned()),
            ("reject", ..) => return Err(wrong(format!("line {line}: `reject` needs a reason"))),
            ("", ..) => continue,
            (other, ..) => return Err(wrong(format!("line {line}: `{other}` is not accept, change or reject"))),
        };
        // White space at its ends counts here.
        let seen = seen.and_then(|at| row.get(at)).filter(|text| !text.is_empty()).map(Inline::from_coded);
        decisions.push(Decided { id, seen, decision });
    }
    Ok(decisions)
}
