//! `batch glossary`.

use std::io::{BufWriter, Write};
use std::path::PathBuf;

use clap::Args;
use diaporos_core::translate::{TermRow, terms_to_csv, terms_to_tbx};
use diaporos_systems::files::publish;

use super::brief;
use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, out};

/// Show the glossary of a brief, or write it for others: as CSV, or as TBX-Basic where the file ends in `.tbx`.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos batch glossary plants\n  diaporos batch glossary plants --give plants.tbx"
)]
pub(crate) struct Glossary {
    /// The brief.
    #[arg(value_name = "BRIEF")]
    brief: String,
    /// Write it to this file.
    #[arg(long, value_name = "FILE")]
    give: Option<PathBuf>,
}

const COLUMNS: &[Column] = &[
    Column::text("term", "term"),
    Column::text("language", "language"),
    Column::text("say", "say"),
    Column::text("avoid", "avoid"),
];

pub(crate) fn run(args: &Glossary, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let brief = brief(&config, &args.brief)?;
    let mut rows: Vec<TermRow> = brief.usual.terms.rows();
    // What a language has of its own stands beside what all have.
    for (language, rules) in &brief.by_language {
        let own = rules.terms.rows().into_iter().filter(|row| row.language == *language);
        rows.retain(|row| row.language != *language);
        rows.extend(own);
    }
    let Some(file) = &args.give else {
        let mut sheet = context.sheet(COLUMNS);
        for row in rows {
            let list = |texts: Vec<String>| Cell { shown: texts.join(", "), ..Cell::list(texts) };
            let (say, avoid) = (list(row.say), list(row.avoid));
            sheet.row(vec![Cell::text(row.term), Cell::text(row.language.to_string()), say, avoid]);
        }
        sheet.end("the brief has no glossary")?;
        return Ok(Exit::Done);
    };
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(std::path::Path::new("."));
    let temporary = tempfile::NamedTempFile::new_in(folder)?;
    let to = BufWriter::new(&temporary);
    if file.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("tbx")) {
        terms_to_tbx(&rows, &brief.from, to)?;
    } else {
        terms_to_csv(&rows, to)?;
    }
    publish(temporary, file)?;
    let mut out = out();
    writeln!(out, "{}: {}", file.display(), counted(rows.len() as u64, "row", "rows"))?;
    out.flush()?;
    Ok(Exit::Done)
}
