//! `entries`.

use std::io::Write;

use clap::Args;
use diaporos_core::expr::Program;
use diaporos_core::text::Cut;
use diaporos_core::value::{LanguageTag, Value, languages_of, to_json};
use diaporos_hub::look::{EntryQuery, Glance, entries, title, value_for};
use diaporos_store::EntryRow;

use super::selection::Selection;
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet, Tint, fields, out};
use crate::typed::Typed;

/// List the entries that were pulled.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos entries --type plant-profile --state draft,scheduled\n  diaporos entries --text \"royal fern\" --format csv\n  diaporos entries --type exhibit --where 'opens > \"2026-06\"' --sort -opens --columns title@en,opens,host=host.full_name\n\nA view is such a list under a name, in diaporos.toml: `[views.NAME]` with the same keys."
)]
pub(crate) struct Entries {
    #[command(flatten)]
    which: Selection,
    /// In the order of a field expression's values; turned by a `-` before it.
    #[arg(long, value_name = "EXPRESSION", allow_hyphen_values = true)]
    sort: Option<String>,
    /// Which columns beside the address: field expressions, or `name=expression`, parted by commas.
    #[arg(long, value_name = "COLUMNS")]
    columns: Option<String>,
    /// At most so many; 100 in a table, and all in other formats, where not given.
    #[arg(long, value_name = "N")]
    most: Option<usize>,
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

/// The columns that were chosen, or the usual ones.
fn sheet<T>(chosen: &[(String, T)], context: &Context) -> Sheet {
    if chosen.is_empty() {
        return context.sheet(COLUMNS);
    }
    let address = std::iter::once(Column::text("address", "address"));
    context.sheet(&address.chain(chosen.iter().map(|(name, _)| Column::chosen(name))).collect::<Vec<_>>())
}

pub(crate) fn run(args: &Entries, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let mut selected = args.which.read(&config)?;
    let most = args.most.or(selected.view.most.and_then(|most| usize::try_from(most).ok()));
    let shown = most.or((context.format == Format::Table).then_some(USUAL));
    let sort = args.sort.clone().or(selected.view.sort.clone());
    let sort = sort.map(|text| sort_key(&text, &mut selected.typed)).transpose()?;
    let named = selected.view.columns.clone();
    let chosen = match &args.columns {
        Some(text) => columns(text.split(','), &mut selected.typed)?,
        None => columns(named.iter().map(String::as_str), &mut selected.typed)?,
    };
    let glance = Glance { store: &store, library: &config.library, now: Context::now() };
    // One more than is shown tells whether there are more.
    let query = selected.query(sort, shown.map(|most| most.saturating_add(1)));
    let mut sheet = sheet(&chosen, context);
    let mut more = false;
    entries(glance, &query, |row| -> Result<(), Failure> {
        if shown.is_some_and(|most| sheet.rows() >= most as u64) {
            more = true;
        } else if chosen.is_empty() {
            sheet.row(cells(row, context));
        } else {
            sheet.row(chosen_cells(&row, &chosen, &query, glance)?);
        }
        Ok(())
    })?;
    let count = sheet.rows();
    let nothing = if store.is_empty()? {
        "no entries yet; `diaporos pull` takes in what the sources hold"
    } else {
        "no entries of that kind"
    };
    sheet.end(nothing)?;
    if more && context.format == Format::Table {
        let advice = "there are more: `--most N`, or narrow with --type, --state, --text, --where";
        writeln!(out(), "\nThe first {count}; {advice}")?;
    }
    Ok(Exit::Done)
}

fn sort_key(text: &str, typed: &mut Typed<'_>) -> Result<(Program, bool), Failure> {
    let (text, greatest_first) = text.strip_prefix('-').map_or((text, false), |rest| (rest, true));
    Ok((typed.expression("--sort", text)?, greatest_first))
}

fn columns<'a>(texts: impl Iterator<Item = &'a str>, typed: &mut Typed<'_>) -> Result<Vec<(String, Program)>, Failure> {
    let named = texts.map(str::trim).filter(|text| !text.is_empty()).map(|text| {
        // `==` is a comparison, not a name.
        let (name, rest) = match text.split_once('=') {
            Some((name, rest)) if !rest.starts_with('=') && name.chars().all(|c| c.is_alphanumeric() || c == '_') => {
                (name, rest)
            }
            _ => (text, text),
        };
        Ok((name.to_owned(), typed.expression("--columns", rest)?))
    });
    named.collect()
}

fn chosen_cells(
    row: &EntryRow,
    chosen: &[(String, Program)],
    query: &EntryQuery,
    glance: Glance<'_>,
) -> Result<Vec<Cell>, Failure> {
    let mut cells = vec![Cell::text(row.address.to_string())];
    for (_, program) in chosen {
        let value = value_for(program, &query.slots, row, glance)?;
        let shown = match &value {
            Value::Localised(by_language) => {
                let one = |(tag, inner): (&LanguageTag, &Value)| format!("{tag}: {}", fields::value_text(inner));
                by_language.iter().map(one).collect::<Vec<_>>().join("; ")
            }
            plain => fields::value_text(plain),
        };
        cells.push(Cell { json: to_json(&value), ..Cell::text(shown) });
    }
    Ok(cells)
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
        Cell::maybe(title.map(|title| diaporos_core::text::shorten(&title, 60, Cut::Words))),
    ]
}
