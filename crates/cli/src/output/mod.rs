//! What the program prints: rows in four formats, findings, progress.

mod cell;
pub(crate) mod fields;
pub(crate) mod findings;
mod progress;
mod sheet;
pub(crate) mod visible;
pub(crate) mod words;

use clap::ValueEnum;

pub(crate) use cell::{Cell, Tint, moment, one_line};
pub(crate) use progress::Progress;
pub(crate) use sheet::{Column, Sheet, Summary};

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
