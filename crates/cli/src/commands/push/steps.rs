//! The rows of a push: all of a small one, the counts of a large one.

use std::collections::BTreeMap;

use diaporos_core::value::LanguageTag;
use diaporos_hub::push::PushRow;

use super::counted;
use crate::error::Failure;
use crate::output::{Cell, Column, Format, Sheet, Summary, Tint};

pub(in crate::commands) const COLUMNS: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("address", "address"),
    Column::text("step", "step"),
    Column::text("language", "lang"),
    Column::text("id_there", "id there"),
    Column::prose("changes", "changes"),
    Column::text("reason", "reason"),
    Column::prose("message", "why"),
];

/// So many rows of a table are printed; of what comes after them, what is held or failed is, as often again.
const MOST_SHOWN: u64 = 100;

/// A row, with the languages and identifiers of the documents that went the same way.
struct Waiting {
    lane: String,
    row: PushRow,
    languages: Vec<LanguageTag>,
    ids: Vec<String>,
}

/// Rows of a push. In a table the documents of an entry that go the same way share one.
pub(in crate::commands) struct Steps {
    sheet: Sheet,
    is_table: bool,
    shows_all: bool,
    waiting: Option<Waiting>,
    /// Rows that were counted and not printed, by lane and step.
    unprinted: BTreeMap<(String, &'static str), u64>,
    /// Entries that are held as they were before.
    known: u64,
    shown: u64,
    problems: u64,
}

impl Steps {
    pub(in crate::commands) fn new(sheet: Sheet, shows_all: bool, format: Format) -> Steps {
        let is_table = format == Format::Table;
        let (unprinted, known, shown, problems) = (BTreeMap::new(), 0, 0, 0);
        Steps { sheet, is_table, shows_all, waiting: None, unprinted, known, shown, problems }
    }

    pub(in crate::commands) fn add(&mut self, lane: &str, row: PushRow) {
        if let Some(Waiting { lane: known_lane, row: known, languages, ids }) = &mut self.waiting
            && self.is_table
            && known_lane == lane
            && (&known.address, known.step, &known.reason) == (&row.address, row.step, &row.reason)
            && (&known.message, &known.changes) == (&row.message, &row.changes)
        {
            languages.extend(row.language);
            ids.extend(row.id_there);
            return;
        }
        self.flush();
        let (languages, ids) = (row.language.iter().cloned().collect(), row.id_there.iter().cloned().collect());
        self.waiting = Some(Waiting { lane: lane.to_owned(), row, languages, ids });
    }

    fn flush(&mut self) {
        let Some(waiting) = self.waiting.take() else { return };
        if !self.is_printed(&waiting) {
            return;
        }
        let Waiting { lane, row, languages, ids } = waiting;
        let joined = |texts: Vec<String>| if texts.is_empty() { Cell::nothing() } else { Cell::text(texts.join(" ")) };
        self.sheet.row(vec![
            Cell::text(lane),
            Cell::text(row.address.to_string()),
            Cell::word(row.step),
            joined(languages.iter().map(ToString::to_string).collect()),
            joined(ids).tint(Tint::Faint),
            Cell::list(row.changes),
            Cell::maybe(row.reason).tint(Tint::Warn),
            Cell::maybe(row.message),
        ]);
    }

    /// Whether a row is printed; counts it where it is not.
    fn is_printed(&mut self, waiting: &Waiting) -> bool {
        if !self.is_table || self.shows_all {
            return true;
        }
        if waiting.row.is_known {
            self.known += 1;
            return false;
        }
        let count = if waiting.row.reason.is_some() { &mut self.problems } else { &mut self.shown };
        *count += 1;
        if *count <= MOST_SHOWN {
            return true;
        }
        *self.unprinted.entry((waiting.lane.clone(), waiting.row.step)).or_default() += 1;
        false
    }

    /// What was counted and not printed, in lines.
    pub(in crate::commands) fn counted(&mut self) -> String {
        self.flush();
        let mut told = String::new();
        for ((lane, step), count) in &self.unprinted {
            told += &format!("and on `{lane}`: {count} more to {step}\n");
        }
        if !self.unprinted.is_empty() {
            told += "`--rows` lists them all\n";
        }
        if self.known > 0 {
            told += &format!("{} held as before: `diaporos holds`\n", counted(self.known, "entry is", "entries are"));
        }
        told
    }

    /// How many entries are held as they were before.
    pub(in crate::commands) fn known(&self) -> u64 {
        self.known
    }

    pub(in crate::commands) fn end(mut self, summary: Summary) -> Result<(), Failure> {
        self.flush();
        self.sheet.end_with(summary)
    }
}
