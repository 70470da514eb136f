//! What the program prints: rows in four formats, findings, progress.

mod cell;
pub(crate) mod fields;
pub(crate) mod findings;
mod progress;
mod sheet;
mod terminal;
pub(crate) mod visible;
pub(crate) mod words;

use clap::ValueEnum;

pub(crate) use cell::{Cell, Tint, moment, one_line};
pub(crate) use progress::Progress;
pub(crate) use sheet::{Column, Sheet, Summary};
pub(crate) use terminal::{Terminal, drawn_out, messages, note, out};

/// How rows are printed.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Style {
    /// In which format.
    pub(crate) format: Format,
    /// Whether texts in CSV are kept from being formulas.
    pub(crate) safe_csv: bool,
    /// What the terminals can show.
    pub(crate) terminal: Terminal,
}

/// How results are printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people.
    Table,
    /// One JSON document.
    Json,
    /// A JSON document per line.
    Jsonl,
    /// Comma-separated values with a heading (RFC 4180).
    Csv,
}
