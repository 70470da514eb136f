//! `amend`.

mod listed;

use std::io::Write;
use std::path::Path;

use clap::Args;
use diaporos_core::change::fingerprint;
use diaporos_core::lane::{Amend, Amendment, Counts};
use diaporos_core::text::slug;
use diaporos_core::value::{Address, LaneName, LanguageTag, Record, Value, from_json};
use diaporos_hub::config::{AMENDMENTS_FILE, Config, NamedAmendments, block, read_amendments};
use diaporos_hub::given::with_given;

use super::{address, no_entry, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::note;
pub(crate) use listed::{Listed, document, draw, listed, told};

/// Change what an entry has before it is mapped: a value, an item more, an item less. The source stays as it is.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos amend\n  diaporos amend catalogue/plant-profile/p-006 --set tags-=\"wet woods\"\n  diaporos amend catalogue/plant-profile/p-006 --set common_name=\"Royal fern\" --language en --lane profiles --until-changed\n  diaporos amend --drop p-006-tags\n\nWhat is decided stands in `amendments.toml`, which belongs under version control with the configuration. Without an entry, all of it is listed."
)]
pub(crate) struct AmendCommand {
    /// The entry, as `system/type/id`.
    #[arg(value_name = "ADDRESS")]
    address: Option<String>,
    /// What its field is: `FIELD=VALUE`, or, of a list, `FIELD+=ITEM` and `FIELD-=ITEM`.
    #[arg(long, value_name = "FIELD=VALUE", requires = "address", conflicts_with = "drop")]
    set: Vec<String>,
    /// The language that is meant, of a field with a value per language.
    #[arg(long, value_name = "LANGUAGE", requires = "set")]
    language: Option<LanguageTag>,
    /// It counts for this lane alone; may be given several times.
    #[arg(long, value_name = "LANE", requires = "set")]
    lane: Vec<String>,
    /// It counts until the source changes the field.
    #[arg(long, requires = "set")]
    until_changed: bool,
    /// Why, for whoever reads it later.
    #[arg(long, value_name = "TEXT", requires = "set")]
    why: Option<String>,
    /// Take what was decided under this name back.
    #[arg(long, value_name = "NAME", conflicts_with = "address")]
    drop: Option<String>,
}

pub(crate) fn run(args: &AmendCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if let Some(name) = &args.drop {
        return take_back(&config, name);
    }
    let store = Context::store(&config)?;
    let of = args.address.as_deref().map(address).transpose()?;
    let fields = |address: &Address| {
        let entry = store.entry(address)?;
        Ok(entry.map(|entry| with_given(&config, &store, &entry.row)).transpose()?)
    };
    let Some(of) = of.filter(|_| !args.set.is_empty()) else {
        let of = args.address.as_deref().map(address).transpose()?;
        draw(&listed(&config.amendments, of.as_ref(), fields)?, context)?;
        return Ok(Exit::Done);
    };
    let Some(entry) = store.entry(&of)? else { return Err(no_entry(&store, &of)?) };
    let fields = with_given(&config, &store, &entry.row)?;
    let lanes = lanes(&config, &args.lane)?;
    let mut text = text(&config.folder)?;
    let mut named = config.amendments.clone();
    for said in &args.set {
        let amendment = amendment(args, said, &fields, lanes.clone())?;
        let name = name(&of, &amendment, &named);
        let by = format!("{}, {}", Context::who(), context.zone.to_datetime(Context::now()).date());
        text.push_str(&format!("\n{}", block(&name, &of, &amendment, &by)));
        named.insert(name.clone(), (of.clone(), amendment));
        keep(&config.folder, &text, &named)?;
        note(&format!("{name}: kept in {AMENDMENTS_FILE}; `diaporos push --dry-run` shows what becomes of it"));
    }
    Ok(Exit::Done)
}

/// The lanes of these names.
fn lanes(config: &Config, names: &[String]) -> Result<Vec<LaneName>, Failure> {
    let known = || config.lanes.keys().map(LaneName::as_str);
    let lane = |name: &String| {
        config.lanes.keys().find(|lane| lane.as_str() == name).cloned().ok_or_else(|| unknown("lane", name, known()))
    };
    names.iter().map(lane).collect()
}

/// What `FIELD=VALUE` says of an entry with these fields.
fn amendment(args: &AmendCommand, said: &str, fields: &Record, lanes: Vec<LaneName>) -> Result<Amendment, Failure> {
    let Some((field, text)) = said.split_once('=') else {
        return Err(Failure::wrong(format!("`{said}` is none of FIELD=VALUE, FIELD+=ITEM and FIELD-=ITEM")));
    };
    let (field, form) = match (field.strip_suffix('+'), field.strip_suffix('-')) {
        (Some(field), _) => (field, Amend::Add as fn(Value) -> Amend),
        (_, Some(field)) => (field, Amend::Drop as fn(Value) -> Amend),
        _ => (field, Amend::Set as fn(Value) -> Amend),
    };
    let Some(source) = fields.get(field) else {
        return Err(unknown("field", field, fields.keys().map(String::as_str)));
    };
    if matches!(source, Value::Localised(_)) && args.language.is_none() {
        return Err(Failure::wrong(format!("`{field}` has a value per language; say which by `--language`")));
    }
    let own = match (&args.language, source) {
        (Some(language), Value::Localised(by_language)) => by_language.get(language).unwrap_or(&Value::Null),
        (_, source) => source,
    };
    let amend = form(value(text, own, form(Value::Null) == Amend::Set(Value::Null))?);
    let of = args.until_changed.then(|| fingerprint(source).to_string());
    let amendment =
        Amendment { field: field.to_owned(), language: args.language.clone(), amend, lanes, of, why: args.why.clone() };
    match amendment.amended(source).0 {
        Counts::Yes => Ok(amendment),
        Counts::Already => Err(Failure::failed(format!("`{field}` is so already; nothing was kept"))),
        Counts::Over | Counts::Cannot => Err(Failure::wrong(match source {
            _ if args.language.is_some() => format!("`{field}` has no value per language"),
            _ => format!("`{field}` is no list"),
        })),
    }
}

/// A value as it is written: a text where the field holds texts, and JSON where it holds anything else.
fn value(text: &str, source: &Value, is_whole: bool) -> Result<Value, Failure> {
    let of = match source {
        Value::List(items) if !is_whole => items.first().unwrap_or(&Value::Null),
        source => source,
    };
    if matches!(of, Value::Text(_) | Value::Null | Value::Reference(_)) {
        return Ok(Value::from(text));
    }
    let read = serde_json::from_str(text).map_err(|_| {
        let what = of.kind_name();
        Failure::wrong(format!("`{text}` is no value for a field that holds a {what}; write it as JSON"))
    })?;
    Ok(from_json(&read))
}

/// A name that no other has.
fn name(address: &Address, amendment: &Amendment, named: &NamedAmendments) -> String {
    let first = slug(&format!("{} {}", address.id, amendment.field));
    let further = (2..).map(|number| format!("{first}-{number}"));
    let mut names = std::iter::once(first.clone()).chain(further);
    names.find(|name| !named.contains_key(name)).unwrap_or(first)
}

/// What stands in the file.
fn text(folder: &Path) -> Result<String, Failure> {
    match std::fs::read_to_string(folder.join(AMENDMENTS_FILE)) {
        Ok(text) => Ok(text),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            Ok("# What people decided of entries' fields: `diaporos amend` writes here, and it may be edited.\n"
                .to_owned())
        }
        Err(error) => Err(Failure::failed(format!("{AMENDMENTS_FILE} cannot be read: {error}"))),
    }
}

/// Keeps the file, in one step, where it says what it should.
fn keep(folder: &Path, text: &str, named: &NamedAmendments) -> Result<(), Failure> {
    let (read, report) = read_amendments(text.to_owned());
    if report.has_errors() || read != *named {
        return Err(Failure::failed(format!("{AMENDMENTS_FILE} would not say that; edit it by hand")));
    }
    let kept = || {
        let mut beside = tempfile::NamedTempFile::new_in(folder)?;
        beside.write_all(text.as_bytes())?;
        beside.as_file().sync_all()?;
        diaporos_systems::files::publish(beside, &folder.join(AMENDMENTS_FILE))
    };
    kept().map_err(|error| Failure::failed(format!("{AMENDMENTS_FILE} cannot be written: {error}")))
}

/// Takes an amendment out of the file.
fn take_back(config: &Config, name: &str) -> Result<Exit, Failure> {
    if !config.amendments.contains_key(name) {
        return Err(unknown("amendment", name, config.amendments.keys().map(String::as_str)));
    }
    let text = text(&config.folder)?;
    let begins = [format!("[amendments.{name}"), format!("[amendments.\"{name}\"")];
    let header = |line: &str| {
        let rest = begins.iter().find_map(|begin| line.trim_start().strip_prefix(begin));
        rest.is_some_and(|rest| rest.starts_with([']', '.']))
    };
    let mut is_within = false;
    let kept = text.split_inclusive('\n').filter(|line| {
        if line.trim_start().starts_with('[') {
            is_within = header(line);
        }
        !is_within
    });
    let kept: String = kept.collect();
    let mut named = config.amendments.clone();
    named.shift_remove(name);
    keep(&config.folder, &kept, &named)?;
    note(&format!("{name}: taken back; the next push delivers what the source gives"));
    Ok(Exit::Done)
}
