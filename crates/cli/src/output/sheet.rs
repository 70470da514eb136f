//! Rows in four formats. Rows are printed as they come; a table waits for some of them, to know
//! how wide its columns are.

use std::borrow::Cow;
use std::io::Write;

use comfy_table::{
    Attribute, CellAlignment, Color, ColumnConstraint, ContentArrangement, Row, Table, TableStyle, Width,
};
use indicatif::ProgressBar;
use serde_json::{Map, Value as Json};

use super::{Cell, Format, Style, Tint, drawn_out, out};
use crate::error::Failure;

/// Rows of a table that are laid out together.
const CHUNK: usize = 500;

/// A column: its name in data, and its heading in tables.
#[derive(Debug, Clone)]
pub(crate) struct Column {
    pub(crate) name: Cow<'static, str>,
    pub(crate) heading: Cow<'static, str>,
    kind: Kind,
}

impl Column {
    /// A column that the user chose.
    pub(crate) fn chosen(name: &str) -> Column {
        Column { name: Cow::Owned(name.to_owned()), heading: Cow::Owned(name.to_owned()), kind: Kind::Prose }
    }
}

/// How a column is laid out.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Kind {
    /// Words and addresses, which are copied whole: never broken.
    Whole,
    /// Sentences, wrapped where the terminal is narrow.
    Prose,
    /// Numbers, to the right.
    Number,
}

impl Column {
    /// A column of words, names and addresses.
    pub(crate) const fn text(name: &'static str, heading: &'static str) -> Column {
        Column { name: Cow::Borrowed(name), heading: Cow::Borrowed(heading), kind: Kind::Whole }
    }

    /// A column of sentences and content.
    pub(crate) const fn prose(name: &'static str, heading: &'static str) -> Column {
        Column { name: Cow::Borrowed(name), heading: Cow::Borrowed(heading), kind: Kind::Prose }
    }

    /// A column of numbers.
    pub(crate) const fn number(name: &'static str, heading: &'static str) -> Column {
        Column { name: Cow::Borrowed(name), heading: Cow::Borrowed(heading), kind: Kind::Number }
    }
}

/// What a command that changes something ends with.
pub(crate) struct Summary {
    /// The counts, for programs.
    pub(crate) counts: Map<String, Json>,
    /// The sentences, for people.
    pub(crate) sentence: String,
}

/// Whether more rows follow.
#[derive(Clone, Copy, PartialEq)]
enum End {
    More,
    Last,
}

/// Rows on their way to stdout.
pub(crate) struct Sheet {
    out: Box<dyn Write + Send>,
    style: Style,
    columns: Vec<Column>,
    /// The name of the rows, where they stand in an object beside counts.
    within: Option<&'static str>,
    waiting: Vec<Vec<Cell>>,
    widths: Option<Vec<u16>>,
    rows: u64,
    bar: ProgressBar,
    failed: Option<Failure>,
}

impl Sheet {
    /// A sheet of rows.
    pub(crate) fn new(style: Style, columns: &[Column]) -> Sheet {
        Sheet {
            // The cells of a table are made visible one by one.
            out: if style.format == Format::Table { drawn_out() } else { out() },
            style,
            columns: columns.to_vec(),
            within: None,
            waiting: Vec::new(),
            widths: None,
            rows: 0,
            bar: ProgressBar::hidden(),
            failed: None,
        }
    }

    /// Rows that end in a summary; as JSON they are a member of it.
    pub(crate) fn within(mut self, name: &'static str) -> Sheet {
        self.within = Some(name);
        self
    }

    /// Draws around a progress bar.
    pub(crate) fn around(mut self, bar: ProgressBar) -> Sheet {
        self.bar = bar;
        self
    }

    /// How many rows there were.
    pub(crate) fn rows(&self) -> u64 {
        self.rows
    }

    /// Adds a row. A failure to print is told at the end, so that it stops no work.
    pub(crate) fn row(&mut self, cells: Vec<Cell>) {
        let first = self.rows == 0;
        self.rows += 1;
        let done = match self.style.format {
            Format::Table => {
                self.waiting.push(cells);
                if self.waiting.len() >= CHUNK { self.lay_out(End::More) } else { Ok(()) }
            }
            Format::Json => {
                let before = match (first, self.within) {
                    (true, Some(name)) => format!("{{\"{name}\": [\n  "),
                    (true, None) => "[\n  ".to_owned(),
                    (false, _) => ",\n  ".to_owned(),
                };
                write!(self.out, "{before}{}", self.record(&cells)).map_err(Failure::from)
            }
            Format::Jsonl => writeln!(self.out, "{}", self.record(&cells)).map_err(Failure::from),
            Format::Csv => self.csv(first, &cells),
        };
        self.failed = self.failed.take().or(done.err());
    }

    fn record(&self, cells: &[Cell]) -> Json {
        let names = self.columns.iter().map(|column| column.name.to_string());
        Json::Object(names.zip(cells.iter().map(|cell| cell.json.clone())).collect())
    }

    fn csv(&mut self, first: bool, cells: &[Cell]) -> Result<(), Failure> {
        let safe_csv = self.style.safe_csv;
        let mut writer = csv::Writer::from_writer(&mut self.out);
        if first {
            writer.write_record(self.columns.iter().map(|column| column.name.as_ref()))?;
        }
        writer.write_record(cells.iter().map(|cell| match &cell.json {
            Json::Null => String::new(),
            Json::String(text) if safe_csv => defused(text),
            Json::String(text) => text.clone(),
            other => other.to_string(),
        }))?;
        Ok(writer.flush()?)
    }

    /// Lays out the rows that wait. Columns in which no row has anything are left out.
    fn lay_out(&mut self, end: End) -> Result<(), Failure> {
        let mut rows = std::mem::take(&mut self.waiting);
        let mut columns = self.columns.clone();
        // Only where all rows are here can it be known that a column stays empty.
        if self.widths.is_none() && end == End::Last {
            let filled: Vec<bool> =
                (0..columns.len()).map(|place| rows.iter().any(|row| !row[place].is_empty())).collect();
            let mut keep = filled.iter().copied();
            columns.retain(|_| keep.next().unwrap_or(true));
            for row in &mut rows {
                let mut keep = filled.iter().copied();
                row.retain(|_| keep.next().unwrap_or(true));
            }
        }
        let mut table = self.table();
        if self.widths.is_none() {
            table.set_header(columns.iter().map(|column| {
                let heading = comfy_table::Cell::new(&column.heading).add_attribute(Attribute::Bold);
                if column.kind == Kind::Number { heading.set_alignment(CellAlignment::Right) } else { heading }
            }));
        }
        for cells in rows {
            table.add_row(Row::from(cells.iter().map(drawn).collect::<Vec<_>>()));
        }
        let widths = self.widths.clone().unwrap_or_else(|| table.column_max_content_widths());
        for (place, column) in columns.iter().enumerate() {
            if let Some(known) = table.column_mut(place) {
                known.set_padding((0, 2));
                if column.kind == Kind::Number {
                    known.set_cell_alignment(CellAlignment::Right);
                }
                if self.style.terminal.width.is_some() && column.kind != Kind::Prose {
                    known.set_constraint(ColumnConstraint::ContentWidth);
                }
                if self.widths.is_some() && self.style.terminal.width.is_none() {
                    known.set_constraint(ColumnConstraint::Absolute(Width::Fixed(widths[place] + 2)));
                }
            }
        }
        self.widths = Some(widths);
        let lines = table.trim_fmt();
        let out = &mut self.out;
        self.bar.suspend(|| writeln!(out, "{lines}").and_then(|()| out.flush()))?;
        Ok(())
    }

    fn table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(TableStyle::new());
        match self.style.terminal.width {
            Some(width) => table.set_content_arrangement(ContentArrangement::Dynamic).set_width(width),
            None => table.set_content_arrangement(ContentArrangement::Disabled),
        };
        if self.style.terminal.colour {
            table.enforce_styling();
        } else {
            table.force_no_tty();
        }
        table
    }

    /// Ends a sheet of rows; `nothing` is what a table says where there are none.
    pub(crate) fn end(mut self, nothing: &str) -> Result<(), Failure> {
        match self.style.format {
            Format::Table if self.rows == 0 => writeln!(self.out, "{nothing}")?,
            Format::Table => self.lay_out(End::Last)?,
            Format::Json if self.rows == 0 => writeln!(self.out, "[]")?,
            Format::Json => writeln!(self.out, "\n]")?,
            Format::Csv if self.rows == 0 => self.csv_heading()?,
            Format::Jsonl | Format::Csv => {}
        }
        self.close()
    }

    /// Ends a sheet with a summary.
    pub(crate) fn end_with(mut self, summary: Summary) -> Result<(), Failure> {
        // Rows and a summary are one document only where the rows have a name in it.
        debug_assert!(self.within.is_some() || self.rows == 0, "a sheet with a summary says what its rows are");
        let name = self.within.unwrap_or("rows");
        match self.style.format {
            Format::Table => {
                if self.rows > 0 {
                    self.lay_out(End::Last)?;
                }
                let blank = if self.rows > 0 { "\n" } else { "" };
                if !summary.sentence.is_empty() {
                    writeln!(self.out, "{blank}{}", summary.sentence)?;
                }
            }
            Format::Json => {
                let start = if self.rows == 0 { format!("{{\"{name}\": []") } else { "\n]".to_owned() };
                let counts = Json::Object(summary.counts).to_string();
                writeln!(self.out, "{start},\n{}", counts.strip_prefix('{').unwrap_or(&counts))?;
            }
            Format::Jsonl => writeln!(self.out, "{}", Json::Object(summary.counts))?,
            Format::Csv => {
                if self.rows == 0 {
                    self.csv_heading()?;
                }
                self.out.flush()?;
                // Rows of one kind only are a CSV file; the summary goes beside it.
                writeln!(std::io::stderr(), "{}", summary.sentence)?;
            }
        }
        self.close()
    }

    fn csv_heading(&mut self) -> Result<(), Failure> {
        let mut writer = csv::Writer::from_writer(&mut self.out);
        writer.write_record(self.columns.iter().map(|column| column.name.as_ref()))?;
        Ok(writer.flush()?)
    }

    fn close(mut self) -> Result<(), Failure> {
        self.out.flush()?;
        self.failed.map_or(Ok(()), Err)
    }
}

/// A text that no spreadsheet takes for a formula.
fn defused(text: &str) -> String {
    // Some skip what stands before it.
    let begins = text.trim_start_matches([' ', '\t', '\r', '\n', '\u{feff}', '\u{a0}']);
    let is_formula = begins.starts_with(['=', '+', '-', '@', '＝', '＋', '－', '＠']);
    if is_formula || text.starts_with(['\t', '\r']) { format!("'{text}") } else { text.to_owned() }
}

fn drawn(cell: &Cell) -> comfy_table::Cell {
    let drawn = comfy_table::Cell::new(&cell.shown);
    match cell.tint {
        Tint::Plain => drawn,
        Tint::Faint => drawn.add_attribute(Attribute::Dim),
        Tint::Good => drawn.fg(Color::Green),
        Tint::Warn => drawn.fg(Color::Yellow),
        Tint::Bad => drawn.fg(Color::Red),
    }
}
