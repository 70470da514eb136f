//! What people decided of entries' fields: a file of its own, `amendments.toml`, to be kept with the configuration.

use std::path::Path;
use std::sync::Arc;

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Source};
use diaporos_core::lane::{Amend, Amendment, Amendments};
use diaporos_core::settings;
use diaporos_core::settings::forms::{LANGUAGE, TEXT};
use diaporos_core::settings::{Form, Section, Table, read_toml};
use diaporos_core::value::{Address, LaneName, LanguageTag, Value};
use diaporos_systems::settings::path::read_within;
use indexmap::IndexMap;

use super::ConfiguredLane;

/// The file's name.
pub const AMENDMENTS_FILE: &str = "amendments.toml";

/// The file of amendments.
pub static AMENDMENTS: Table = Table::new(
    "amendments.toml",
    &[settings![
        amendments: Form::Named(&Form::Table(&AMENDMENT)), none, "what was decided, by any names", "{ p-006-tags = { entry = \"catalogue/plant-profile/p-006\", field = \"tags\", drop = \"wet woods\" } }";
    ]],
);
static AMENDMENT: Table = Table {
    name: "amendment",
    one_of: &[&["set", "add", "drop"]],
    needs: &[],
    groups: &[settings![
        entry: TEXT, required, "the entry, as `system/type/id`", "catalogue/plant-profile/p-006";
        field: TEXT, required, "the field of the source's entry", "tags";
        set: Form::Anything, none, "the value that it has instead of the source's", "\"Royal fern\"";
        add: Form::Anything, none, "an item that its list has too", "\"shade\"";
        drop: Form::Anything, none, "an item that its list does not have", "\"wet woods\"";
        language: LANGUAGE, none, "the language that is amended, of a field with a value per language", "en";
        lanes: Form::OneOrMany(&TEXT), none, "the lanes for which it counts; all without", "[\"profiles\"]";
        until_changed: TEXT, none, "counts only while the source gives what it gave; this is the fingerprint of that", "0f1e2d3c4b5a69788796a5b4c3d2e1f0";
        why: TEXT, none, "why", "the label says otherwise";
        by: TEXT, none, "who decided it, and when", "mw, 2026-11-30";
    ]],
};

/// The amendments of a hub by their names.
pub type NamedAmendments = IndexMap<String, (Address, Amendment)>;

/// Reads the amendments of a hub. What is wrong in the file is in the report.
fn amendments(folder: &Path, reports: &mut Vec<Report>) -> NamedAmendments {
    let text = match read_within(folder, AMENDMENTS_FILE) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return NamedAmendments::new(),
        Err(error) => {
            let source = Source { name: AMENDMENTS_FILE.to_owned(), text: String::new() };
            let mut report = Report::new(source);
            report.add(Diagnostic::error(Code::MissingFile, 0..0, format!("it cannot be read: {error}")));
            reports.push(report);
            return NamedAmendments::new();
        }
    };
    let (read, report) = read_amendments(text);
    if !report.findings.is_empty() {
        reports.push(report);
    }
    read
}

/// Reads the text of a file of amendments, with what is wrong in it.
#[must_use]
pub fn read_amendments(text: String) -> (NamedAmendments, Report) {
    let source = Source { name: AMENDMENTS_FILE.to_owned(), text };
    let (read, report) = read_toml(source, &AMENDMENTS, |file, report| {
        let mut named = NamedAmendments::new();
        let Some(mut section) = file.section("amendments", report) else { return Some(named) };
        for name in section.names() {
            let Some(mut table) = section.named_section(&name.value, report) else { continue };
            let read = amendment(&mut table, report);
            table.finish(report);
            named.extend(read.map(|read| (name.value, read)));
        }
        Some(named)
    });
    (read.unwrap_or_default(), report)
}

fn amendment(table: &mut Section<'_>, report: &mut Report) -> Option<(Address, Amendment)> {
    let entry = table.text("entry", report);
    let address = entry.and_then(|item| match item.value.as_str().parse::<Address>() {
        Ok(address) => Some(address),
        Err(error) => {
            report.add(Diagnostic::error(Code::BadValue, item.span, format!("this is no address: {error}")));
            None
        }
    });
    let field = table.string("field", report);
    let mut value = |key| table.value(key).map(|item| item.value);
    let given: Vec<Amend> =
        [value("set").map(Amend::Set), value("add").map(Amend::Add), value("drop").map(Amend::Drop)]
            .into_iter()
            .flatten()
            .collect();
    if given.len() != 1 {
        let message = format!("`{}` says one of `set`, `add` and `drop`", table.path());
        report.add(Diagnostic::error(Code::BadValue, table.span(), message));
    }
    let language = parsed::<LanguageTag>(table, "language", report);
    let lanes = table.text_or_texts("lanes", report);
    let lanes = lanes.iter().filter_map(|item| LaneName::new(item.value.as_str()).ok()).collect();
    let of = table.string("until_changed", report);
    let (why, _) = (table.string("why", report), table.string("by", report));
    let amend = given.into_iter().next()?;
    Some((address?, Amendment { field: field?, language, amend, lanes, of, why }))
}

fn parsed<T: std::str::FromStr<Err: std::fmt::Display>>(
    table: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
) -> Option<T> {
    let item = table.text(key, report)?;
    match item.value.as_str().parse() {
        Ok(value) => Some(value),
        Err(error) => {
            report.add(Diagnostic::error(Code::BadValue, item.span, error.to_string()));
            None
        }
    }
}

/// Reads the amendments of a hub, and gives them to its lanes. What is wrong in the file is in the reports.
pub(super) fn amend(
    folder: &Path,
    lanes: &mut IndexMap<LaneName, ConfiguredLane>,
    reports: &mut Vec<Report>,
) -> NamedAmendments {
    let named = amendments(folder, reports);
    amend_lanes(&named, lanes);
    named
}

/// Gives the lanes what people decided: a lane delivers otherwise by it, its own entries and those that follow others.
fn amend_lanes(named: &NamedAmendments, lanes: &mut IndexMap<LaneName, ConfiguredLane>) {
    let mut all = Amendments::default();
    for (address, one) in named.values() {
        all.add(address.clone(), one.clone());
    }
    let all = Arc::new(all);
    // What goes back to its source is what translators made of it.
    for (name, lane) in lanes.iter_mut().filter(|(_, lane)| lane.returns.is_none()) {
        let of_lane = named.values().filter(|(_, one)| one.is_for(name));
        let said: Vec<String> = of_lane.map(|(address, one)| format!("{address} {one:?}")).collect();
        lane.amend(Arc::clone(&all), &said);
    }
}

/// A block of the file.
#[must_use]
pub fn block(name: &str, address: &Address, amendment: &Amendment, by: &str) -> String {
    let mut table = toml::Table::new();
    let mut text = |key: &str, value: &str| drop(table.insert(key.to_owned(), toml::Value::from(value)));
    text("entry", &address.to_string());
    text("field", &amendment.field);
    text("by", by);
    if let Some(language) = &amendment.language {
        text("language", language.as_str());
    }
    if let Some(of) = &amendment.of {
        text("until_changed", of);
    }
    if let Some(why) = &amendment.why {
        text("why", why);
    }
    if !amendment.lanes.is_empty() {
        let lanes = amendment.lanes.iter().map(|lane| toml::Value::from(lane.as_str())).collect();
        table.insert("lanes".to_owned(), toml::Value::Array(lanes));
    }
    let (word, value) = match &amendment.amend {
        Amend::Set(value) => ("set", value),
        Amend::Add(value) => ("add", value),
        Amend::Drop(value) => ("drop", value),
    };
    if let Some(value) = toml_value(value) {
        table.insert(word.to_owned(), value);
    }
    let whole: toml::Table = [(
        "amendments".to_owned(),
        toml::Value::Table([(name.to_owned(), toml::Value::Table(table))].into_iter().collect()),
    )]
    .into_iter()
    .collect();
    whole.to_string()
}

/// A value as TOML has it; none of null, which it does not have.
fn toml_value(value: &Value) -> Option<toml::Value> {
    toml::Value::try_from(diaporos_core::value::to_json(value)).ok()
}
