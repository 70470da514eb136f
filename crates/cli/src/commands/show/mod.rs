//! `show`.

mod three_way;

use std::io::Write;

use clap::Args;
use diaporos_core::change::differences;
use diaporos_core::value::{Address, LanguageTag, Record, Value, project, to_json};
use diaporos_hub::config::Config;
use diaporos_hub::given::{Given, given, with_given};
use diaporos_store::{
    Content, CounterpartRow, Standing, Store, StoredEntry, TranslationRow, TranslationStanding, VersionRow,
};
use serde_json::{Value as Json, json};

use super::amend::{self, Listed, listed};
use super::{address, given as services, no_entry};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Tint, fields, moment, one_line, out};

/// Show one entry: its fields in every language, its versions, and what it has become elsewhere.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos show catalogue/plant-profile/p-001\n  diaporos show catalogue/plant-profile/p-001 --lang en,fr\n  diaporos show catalogue/plant-profile/p-001 --raw\n  diaporos show catalogue/plant-profile/p-001 --between 1,2\n  diaporos show catalogue/plant-profile/p-001 --three-way"
)]
pub(crate) struct Show {
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: String,
    /// Only these languages, beside each other: `en,fr`.
    #[arg(long, value_name = "LANGUAGES", value_delimiter = ',')]
    lang: Vec<LanguageTag>,
    /// The fields as they were in this version.
    #[arg(long, value_name = "N")]
    version: Option<u64>,
    /// The item as its source gave it.
    #[arg(long, conflicts_with_all = ["lang", "between"])]
    raw: bool,
    /// What was delivered, what would be, and what each destination has now, where they differ.
    #[arg(long, conflicts_with_all = ["lang", "version", "raw", "between"])]
    three_way: bool,
    /// What differs between two versions: `1,3`; with one number, between that and the newest.
    #[arg(long, value_name = "A,B", value_delimiter = ',', num_args = 1..=2, conflicts_with = "version")]
    between: Vec<u64>,
}

const FIELDS: &[Column] =
    &[Column::text("field", "field"), Column::text("language", "lang"), Column::prose("value", "value")];
const LANES: &[Column] = &[
    Column::text("lane", "lane"),
    Column::text("standing", "standing"),
    Column::text("language", "lang"),
    Column::text("id_there", "id there"),
    Column::text("revision", "revision"),
    Column::text("presence", "presence"),
    Column::text("delivered", "delivered"),
];
const VERSIONS: &[Column] = &[
    Column::number("number", "version"),
    Column::text("at", "at"),
    Column::text("state", "state"),
    Column::text("revision", "revision"),
];

const TRANSLATIONS: &[Column] = &[
    Column::text("field", "translated"),
    Column::text("language", "lang"),
    Column::text("batch", "batch"),
    Column::text("accepted", "accepted"),
    Column::text("counts", "counts"),
];

struct Known<'a> {
    amended: Vec<Listed<'a>>,
    given: Vec<Given>,
    entry: StoredEntry,
    translations: Vec<TranslationRow>,
    lanes: Vec<(String, Standing, Vec<CounterpartRow>)>,
    versions: Vec<VersionRow>,
}

pub(crate) async fn run(args: &Show, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let store = Context::store(&config)?;
    let address = address(&args.address)?;
    let Some(mut entry) = store.entry(&address)? else { return Err(no_entry(&store, &address)?) };
    if args.three_way {
        return three_way::show(&config, &store, &address, context).await;
    }
    let content_of = |version: u64| {
        let content = store.version(entry.number, version)?;
        content.ok_or_else(|| {
            let newest = entry.row.version;
            Failure::failed(format!("`{address}` has no version {version}; it has {newest}"))
        })
    };
    if let [old, rest @ ..] = args.between.as_slice() {
        let new = rest.first().copied().unwrap_or(entry.row.version);
        return show_between(&content_of(*old)?.fields, &content_of(new)?.fields, context);
    }
    if args.raw {
        return show_raw(&address, content_of(args.version.unwrap_or(entry.row.version))?, context);
    }
    if let Some(version) = args.version {
        let content = content_of(version)?;
        (entry.row.fields, entry.row.notes) = (content.fields, content.notes);
    }
    if !args.lang.is_empty() {
        return show_languages(&entry.row.fields, &args.lang, context);
    }
    let lanes = lanes(&config, &store, entry.number)?;
    let translations = store.translations(entry.number)?;
    let own = with_given(&config, &store, &entry.row)?;
    let amended = listed(&config.amendments, Some(&address), |_| Ok(Some(own.clone())))?;
    let given = given(&config, &store, &entry.row)?;
    let known = Known { amended, given, lanes, translations, versions: store.versions(entry.number)?, entry };
    match context.format {
        Format::Table => draw(known, context)?,
        Format::Json => writeln!(out(), "{:#}", document(&known))?,
        Format::Jsonl => writeln!(out(), "{}", document(&known))?,
        Format::Csv => field_rows(&known, context)?,
    }
    Ok(Exit::Done)
}

/// The item as its source gave it: JSON laid out on a terminal, and anything else, or for another
/// program, untouched.
fn show_raw(address: &Address, content: Content, context: &Context) -> Result<Exit, Failure> {
    let Some(raw) = content.raw else {
        return Err(Failure::failed(format!("`{address}` was kept without the item it came from"))
            .advise("it was pulled by an older version of this program, or cannot be told apart in its document; it is kept with its next change"));
    };
    let json: Option<Json> = serde_json::from_str(&raw).ok();
    match (context.format, json) {
        (Format::Table, Some(json)) => writeln!(out(), "{json:#}")?,
        (Format::Table, None) => writeln!(out(), "{raw}")?,
        (_, Some(json)) => writeln!(out(), "{json}")?,
        (_, None) => writeln!(out(), "{}", Json::String(raw))?,
    }
    Ok(Exit::Done)
}

const DIFFERENCES: &[Column] = &[
    Column::text("field", "field"),
    Column::text("language", "lang"),
    Column::prose("old", "old"),
    Column::prose("new", "new"),
];

fn show_between(old: &Record, new: &Record, context: &Context) -> Result<Exit, Failure> {
    let mut sheet = context.sheet(DIFFERENCES);
    for found in differences(old, new) {
        let value = |value: &Value| Cell { json: to_json(value), ..Cell::text(fields::value_text(value)) };
        sheet.row(vec![
            Cell::text(found.field),
            Cell::maybe(found.language.map(|tag| tag.to_string())),
            value(&found.old).tint(Tint::Faint),
            value(&found.new),
        ]);
    }
    sheet.end("nothing differs")?;
    Ok(Exit::Done)
}

/// Languages beside each other, a row per field; a field without languages stands in each column.
fn show_languages(record: &Record, languages: &[LanguageTag], context: &Context) -> Result<Exit, Failure> {
    let columns = std::iter::once(Column::text("field", "field"));
    let columns: Vec<Column> = columns.chain(languages.iter().map(|tag| Column::chosen(tag.as_str()))).collect();
    let mut sheet = context.sheet(&columns);
    for (name, value) in record {
        let one = |tag: &LanguageTag| {
            let value = project(value, tag);
            Cell { json: to_json(&value), ..Cell::text(fields::value_text(&value)) }
        };
        sheet.row(std::iter::once(Cell::text(name)).chain(languages.iter().map(one)).collect());
    }
    sheet.end("no fields")?;
    Ok(Exit::Done)
}

fn lanes(config: &Config, store: &Store, entry: i64) -> Result<Vec<(String, Standing, Vec<CounterpartRow>)>, Failure> {
    let counterparts = store.counterparts(entry)?;
    let mut lanes = Vec::new();
    for name in config.lanes.keys() {
        if let Some((standing, _)) = store.standing(name, entry)? {
            let own = counterparts.iter().filter(|row| row.lane == name.as_str()).cloned().collect();
            lanes.push((name.to_string(), standing, own));
        }
    }
    Ok(lanes)
}

fn field_rows(known: &Known<'_>, context: &Context) -> Result<(), Failure> {
    let mut sheet = context.sheet(FIELDS);
    let mut before = String::new();
    for line in fields::lines(&known.entry.row.fields) {
        // A field's name stands once, beside its first language.
        let again = context.format == Format::Table && line.field == before;
        before.clone_from(&line.field);
        let field = if again { Cell::nothing() } else { Cell::text(line.field) };
        sheet.row(vec![field, Cell::text(line.language).tint(Tint::Faint), Cell::text(line.value)]);
    }
    sheet.end("no fields")
}

/// What the entry has become on each lane.
fn lane_rows(lanes: Vec<(String, Standing, Vec<CounterpartRow>)>, context: &Context) -> Result<(), Failure> {
    let mut sheet = context.sheet(LANES);
    for (lane, standing, counterparts) in lanes {
        let lead = || vec![Cell::text(&lane), Cell::word(standing.word())];
        if counterparts.is_empty() {
            sheet.row(lead().into_iter().chain((0..5).map(|_| Cell::nothing())).collect());
        }
        for CounterpartRow { language, counterpart, delivered, .. } in counterparts {
            let mut cells = lead();
            cells.extend([
                Cell::maybe(language.map(|tag| tag.to_string())),
                Cell::text(counterpart.id.to_string()),
                Cell::maybe(counterpart.revision.map(|revision| revision.to_string())).tint(Tint::Faint),
                Cell::word(counterpart.presence.word()),
                Cell::moment(delivered, &context.zone),
            ]);
            sheet.row(cells);
        }
    }
    sheet.end("no lane takes it")
}

fn draw(known: Known<'_>, context: &Context) -> Result<(), Failure> {
    let row = &known.entry.row;
    let at = |time| moment(time, &context.zone);
    let revision = row.revision.as_ref().map_or(String::new(), |revision| format!("  revision {revision}"));
    let mut out = out();
    writeln!(out, "{}", row.address)?;
    writeln!(out, "{}{revision}  first seen {}  changed {}\n", row.state, at(row.first_seen), at(row.changed))?;
    for note in &row.notes {
        writeln!(out, "note: {}", one_line(note))?;
    }
    if !row.notes.is_empty() {
        writeln!(out)?;
    }
    out.flush()?;
    field_rows(&known, context)?;
    writeln!(out)?;
    out.flush()?;
    if !known.given.is_empty() {
        services::draw(&known.given, context)?;
        writeln!(out)?;
        out.flush()?;
    }
    if !known.amended.is_empty() {
        amend::draw(&known.amended, context)?;
        writeln!(out)?;
        out.flush()?;
    }
    lane_rows(known.lanes, context)?;
    writeln!(out)?;
    out.flush()?;
    if !known.translations.is_empty() {
        let mut sheet = context.sheet(TRANSLATIONS);
        for row in &known.translations {
            sheet.row(vec![
                Cell::text(&row.translation.field),
                Cell::text(row.translation.language.to_string()),
                Cell::text(&row.batch),
                Cell::moment(row.at, &context.zone),
                Cell::text(counts(row)),
            ]);
        }
        sheet.end("")?;
        writeln!(out)?;
        out.flush()?;
    }
    let mut sheet = context.sheet(VERSIONS);
    for version in known.versions {
        sheet.row(vec![
            Cell::count(version.number),
            Cell::moment(version.at, &context.zone),
            Cell::word(version.state.word()),
            Cell::maybe(version.revision.map(|revision| revision.to_string())).tint(Tint::Faint),
        ]);
    }
    sheet.end("no versions")
}

/// Whose value it is that counts.
fn counts(row: &TranslationRow) -> &'static str {
    match (row.standing, row.translation.is_pseudo) {
        (TranslationStanding::Ours, true) => "made up, for trying",
        (TranslationStanding::Ours, false) => "this translation",
        (TranslationStanding::Landed, _) => "the source's, which is the same",
        (TranslationStanding::Superseded, _) => "the source's, which it changed since",
    }
}

fn document(known: &Known<'_>) -> Json {
    let row = &known.entry.row;
    let counterpart = |row: &CounterpartRow| {
        json!({
            "language": row.language.as_ref().map(LanguageTag::as_str),
            "id_there": row.counterpart.id.as_str(),
            "revision": row.counterpart.revision.as_ref().map(ToString::to_string),
            "presence": row.counterpart.presence.word(),
            "delivered": row.delivered.to_string(),
            "fields": to_json(&Value::Record(row.counterpart.fields.clone())),
        })
    };
    let lane = |(lane, standing, own): &(String, Standing, Vec<CounterpartRow>)| {
        json!({
            "lane": lane,
            "standing": standing.word(),
            "counterparts": own.iter().map(counterpart).collect::<Vec<_>>(),
        })
    };
    let translation = |row: &TranslationRow| {
        json!({
            "field": row.translation.field,
            "language": row.translation.language.as_str(),
            "batch": row.batch,
            "accepted": row.at.to_string(),
            "counts": counts(row),
        })
    };
    let version = |version: &VersionRow| {
        json!({
            "number": version.number,
            "at": version.at.to_string(),
            "state": version.state.word(),
            "revision": version.revision.as_ref().map(ToString::to_string),
        })
    };
    json!({
        "address": row.address.to_string(),
        "state": row.state.word(),
        "revision": row.revision.as_ref().map(ToString::to_string),
        "first_seen": row.first_seen.to_string(),
        "changed": row.changed.to_string(),
        "fields": to_json(&Value::Record(row.fields.clone())),
        "notes": row.notes,
        "amended": known.amended.iter().map(amend::document).collect::<Vec<_>>(),
        "services": known.given.iter().map(services::document).collect::<Vec<_>>(),
        "lanes": known.lanes.iter().map(lane).collect::<Vec<_>>(),
        "translations": known.translations.iter().map(translation).collect::<Vec<_>>(),
        "versions": known.versions.iter().map(version).collect::<Vec<_>>(),
    })
}
