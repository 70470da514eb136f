//! `batch check`.

use std::collections::BTreeMap;

use clap::Args;
use diaporos_core::translate::SourceFinding;
use diaporos_hub::batch::check_sources;
use diaporos_hub::look::Glance;
use serde_json::json;

use super::briefs;
use crate::commands::counted;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint};

/// Look at the texts before they are sent: what of them is not sent, and what would be sent in vain.
///
/// `broken` is a message of which nothing is sent, `kept` are words that stay as they are, `placeholder` is what looks
/// like one and is sent as words, `language` is a text of another language, `long` a sentence of over 45 words,
/// `limit` a text longer than its translation may be, `terms` what the glossary avoids in the language of the texts.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  diaporos batch check\n  diaporos batch check plants --only broken,limit")]
pub(crate) struct Check {
    /// The briefs; all where none is named.
    #[arg(value_name = "BRIEF")]
    briefs: Vec<String>,
    /// Only these findings.
    #[arg(long, value_name = "FINDING", value_delimiter = ',', value_parser = finding)]
    only: Vec<SourceFinding>,
}

fn finding(text: &str) -> Result<SourceFinding, String> {
    let found = SourceFinding::WORDS.iter().find(|(word, _)| *word == text).map(|(_, finding)| *finding);
    found.ok_or_else(|| format!("one of {}", SourceFinding::WORDS.map(|(word, _)| word).join(", ")))
}

const COLUMNS: &[Column] = &[
    Column::text("brief", "brief"),
    Column::text("text", "text"),
    Column::text("finding", "finding"),
    Column::prose("what", "what"),
];

pub(crate) fn run(args: &Check, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut sheet = context.sheet(COLUMNS).within("findings");
    let mut by_finding: BTreeMap<SourceFinding, u64> = BTreeMap::new();
    let mut texts = 0;
    for brief in briefs(&config, &args.briefs)? {
        let glance = Glance { store: &store, library: &config.library, now: Context::now() };
        texts += check_sources(glance, brief, |row| {
            if !args.only.is_empty() && !args.only.contains(&row.finding) {
                return;
            }
            *by_finding.entry(row.finding).or_default() += 1;
            let tint = match row.finding {
                SourceFinding::Broken => Tint::Bad,
                SourceFinding::Kept => Tint::Plain,
                _ => Tint::Warn,
            };
            let finding = Cell::text(row.finding.word()).tint(tint);
            sheet.row(vec![Cell::text(&brief.name), Cell::text(row.text), finding, Cell::text(row.what)]);
        })?;
    }
    let parts: Vec<String> = by_finding.iter().map(|(finding, count)| format!("{count} {}", finding.word())).collect();
    let sentence = match parts.as_slice() {
        [] => format!("{}: nothing is to be said of them", counted(texts, "text", "texts")),
        parts => format!("{}: {}", counted(texts, "text", "texts"), parts.join(", ")),
    };
    let mut counts = json!({ "texts": texts });
    for (word, finding) in SourceFinding::WORDS {
        counts[word] = by_finding.get(&finding).copied().unwrap_or_default().into();
    }
    let counts = counts.as_object().cloned().unwrap_or_default();
    sheet.end_with(Summary { counts, sentence })?;
    // What stays as it is may well be meant so.
    let is_sound = by_finding.keys().all(|finding| *finding == SourceFinding::Kept);
    Ok(if is_sound { Exit::Done } else { Exit::Partly })
}
