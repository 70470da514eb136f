//! `entries`.

use clap::Args;
use diaporos_core::plan::State;
use diaporos_core::value::{LanguageTag, Value, languages_of};
use diaporos_hub::look::{EntryQuery, entries, title};
use diaporos_store::EntryRow;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet, Tint};

/// List the entries that were pulled.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos entries --type plant-profile --state draft,scheduled\n  diaporos entries --text fern --format csv"
)]
pub(crate) struct Entries {
    /// Only those of this system.
    #[arg(long, value_name = "SYSTEM")]
    system: Option<String>,
    /// Only those of this type.
    #[arg(long = "type", value_name = "TYPE")]
    kind: Option<String>,
    /// Only those in these states: draft, scheduled, live, withdrawn, gone. All but gone where not given.
    #[arg(long, value_name = "STATES", value_delimiter = ',', value_parser = state)]
    state: Vec<State>,
    /// Only those with this text in a field or the address, in any language, whatever its case.
    #[arg(long, value_name = "TEXT")]
    text: Option<String>,
    /// At most so many; 100 in a table, and all in other formats, where not given.
    #[arg(long, value_name = "N")]
    most: Option<usize>,
}

fn state(word: &str) -> Result<State, String> {
    let known = State::WORDS.map(|(word, _)| word).join(", ");
    State::from_word(word).ok_or_else(|| format!("states are: {known}"))
}

const COLUMNS: &[Column] = &[
    Column::text("address", "address"),
    Column::text("state", "state"),
    Column::text("revision", "revision"),
    Column::number("versions", "versions"),
    Column::text("languages", "languages"),
    Column::text("changed", "changed"),
    Column::prose("title", "title"),
];

/// Rows of a table where the user does not say how many.
const USUAL: usize = 100;

pub(crate) fn run(args: &Entries, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if let Some(name) = &args.system {
        super::system(&config, name)?;
    }
    let store = Context::store(&config)?;
    let shown = match (args.most, context.format) {
        (Some(most), _) => Some(most),
        (None, Format::Table) => Some(USUAL),
        (None, _) => None,
    };
    let query = EntryQuery {
        system: args.system.clone(),
        kind: args.kind.clone(),
        states: args.state.clone(),
        text: args.text.clone(),
        // One more than is shown tells whether there are more.
        most: shown.map(|most| most.saturating_add(1)),
    };
    let mut sheet = Sheet::new(context, COLUMNS);
    let mut more = false;
    entries(&store, &query, |row| -> Result<(), Failure> {
        if shown.is_some_and(|most| sheet.rows() >= most as u64) {
            more = true;
        } else {
            sheet.row(cells(row, context));
        }
        Ok(())
    })?;
    let count = sheet.rows();
    sheet.end("no entries; `diaporos pull` takes in what the sources hold")?;
    if more && context.format == Format::Table {
        use std::io::Write;
        writeln!(
            Context::out(),
            "\nThe first {count}; there are more: `--most N`, or narrow with --type, --state, --text"
        )?;
    }
    Ok(Exit::Done)
}

fn cells(row: EntryRow, context: &Context) -> Vec<Cell> {
    let title = title(&row.fields).map(str::to_owned);
    let fields = Value::Record(row.fields);
    let languages = languages_of(&fields).into_iter().map(LanguageTag::to_string).collect();
    vec![
        Cell::text(row.address.to_string()),
        Cell::word(row.state.word()),
        Cell::maybe(row.revision.map(|revision| revision.to_string())).tint(Tint::Faint),
        Cell::count(row.version),
        Cell::list(languages),
        Cell::moment(row.changed, &context.zone),
        Cell::maybe(title.map(|title| short(&title))),
    ]
}

fn short(title: &str) -> String {
    diaporos_core::text::shorten(title, 60)
}
