//! The hub's own entries in the configuration: ordered lists, and outlines of sections or menus.

use std::path::PathBuf;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{KnownFields, Slots};
use diaporos_core::lane::{FieldExpression, TypeRef};
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, FILE, NAMED_TEXTS, TEXT, TYPE};
use diaporos_core::settings::{Form, Item, Section, Table, TextForm};
use diaporos_core::value::{LanguageTag, Localised, SystemName, Value};
use diaporos_systems::settings::path::within;
use indexmap::IndexMap;

use super::ends::{Around, Names, Systems, known_system, named_tables};
use super::expression::Expressions;
use super::own_model::OWN;

/// How many entries a list has where nothing is said.
const MOST: u64 = 20;

/// An ordered list of entries.
#[derive(Debug, Clone)]
pub struct ListConfig {
    /// What it is called to readers.
    pub title: Value,
    /// What fills it by itself; nothing where it is put together by hand alone.
    pub fills: Option<Fills>,
    /// How many entries it has at most.
    pub most: u64,
    /// Where what is in it must be on view.
    pub on: SystemName,
}

/// What fills a list by itself.
#[derive(Debug, Clone)]
pub struct Fills {
    /// Entries of this type.
    pub of: TypeRef,
    /// For which this holds.
    pub holds: Option<FieldExpression>,
    /// In the order of this; the greatest first with `true`.
    pub sort: Option<(FieldExpression, bool)>,
    /// The fields that its expressions read.
    pub slots: Slots,
}

/// A tree of sections or menu items.
#[derive(Debug, Clone)]
pub struct OutlineConfig {
    /// What it is called to readers.
    pub title: Value,
    /// Where its nodes come from.
    pub from: OutlineSource,
    /// Where the entries that nodes lead to must be on view; a node without is left out. All are in it where nothing
    /// is said.
    pub on: Option<SystemName>,
}

/// Where the nodes of an outline come from.
#[derive(Debug, Clone)]
pub enum OutlineSource {
    /// A file of the hub.
    File(PathBuf),
    /// Entries that name their parent.
    Entries(Box<NodeEntries>),
}

/// Entries that are the nodes of an outline.
#[derive(Debug, Clone)]
pub struct NodeEntries {
    /// Of this type.
    pub of: TypeRef,
    /// For which this holds.
    pub holds: Option<FieldExpression>,
    /// What each is known by; its identifier where nothing is said.
    pub key: Option<FieldExpression>,
    /// The parent: a reference to its entry, or its key; null at the top.
    pub parent: FieldExpression,
    /// What it is called.
    pub label: FieldExpression,
    /// In the order of this among those with one parent.
    pub sort: Option<FieldExpression>,
    /// The fields that its expressions read.
    pub slots: Slots,
}

const ORDER: Form = Form::Text(&TextForm { name: "an expression, with `-` before it or without", pattern: None });

/// A list.
pub(super) static LIST: Table = Table::new(
    "list",
    &[settings![
        of: TYPE, none, "what fills it by itself: entries of this type; without it, it is put together by hand (`list add`)", "catalogue/plant-profile";
        where: EXPRESSION, none, "only those for which this holds", "\"public\" in tags";
        sort: ORDER, none, "in the order of this; a `-` before it turns the order", "common_name@en";
        most: Form::Count(1), usual "20", "how many entries it has at most; a place that becomes free is filled", "8";
        on: TEXT, required, "the system at which an entry must be on view to be in it", "visitor-site";
        title: NAMED_TEXTS, none, "what it is called to readers, by language", "{ en = \"In season\", fr = \"De saison\" }";
    ]],
)
.needing(&[("where", "of"), ("sort", "of")]);

/// An outline.
pub(super) static OUTLINE: Table = Table::new(
    "outline",
    &[settings![
        file: FILE, none, "the file of the hub that has its nodes (TOML: `[[nodes]]` with `key`, `label`, `entry` or `url`, and `nodes` within)", "menu.toml";
        of: TYPE, none, "instead of `file`: entries of this type are its nodes", "catalogue/section";
        where: EXPRESSION, none, "only those for which this holds", "shown";
        key: EXPRESSION, none, "what a node is known by; the entry's identifier without it", "slug";
        parent: EXPRESSION, none, "the parent of a node: a reference to its entry, or its key; null at the top", "parent";
        label: EXPRESSION, none, "what a node is called", "name";
        sort: EXPRESSION, none, "the order of nodes with one parent", "weight";
        on: TEXT, none, "the system at which the entry of a node must be on view; a node without one is left out", "visitor-site";
        title: NAMED_TEXTS, none, "what it is called to readers, by language", "{ en = \"Visit\", fr = \"Visiter\" }";
    ]],
)
.needing(&[("where", "of"), ("key", "of"), ("parent", "of"), ("label", "of"), ("sort", "of"), ("of", "parent"), ("of", "label")])
.with_one_of(&[&["file", "of"]]);

/// Reads the lists.
pub(super) fn lists(file: &mut Section<'_>, around: &Around<'_>, report: &mut Report) -> IndexMap<String, ListConfig> {
    named_tables(file, "lists", report, |name, table, report| {
        let is_plain = is_plain(name, report);
        let on = system(table, around, report);
        let most = table.count("most", report).map_or(MOST, |count| count.value);
        let title = title(table, report);
        let [holds, sort] = ["where", "sort"].map(|key| table.text(key, report));
        let fills = Names { around, report }.of_type(table, |expressions, report, of| {
            let holds = holds.map(|item| expressions.condition(&item, report));
            let sort = sort.map(|item| {
                let turned = item.value.as_str().starts_with('-');
                let item = if turned { Item { value: item.value.after(1), span: item.span } } else { item };
                expressions.read(&item, report).map(|read| (read, turned))
            });
            let slots = expressions.slots.clone();
            Some(Fills { of, holds: known(holds)?, sort: known(sort)?, slots })
        });
        is_plain.then_some(ListConfig { title: title?, fills: fills?, most, on: on? })
    })
}

/// Reads the outlines.
pub(super) fn outlines(
    file: &mut Section<'_>,
    around: &Around<'_>,
    report: &mut Report,
) -> IndexMap<String, OutlineConfig> {
    named_tables(file, "outlines", report, |name, table, report| {
        let is_plain = is_plain(name, report);
        let has_on = table.has("on");
        let on = system(table, around, report);
        let on = if has_on { Some(on) } else { None };
        let title = title(table, report);
        let file = table.text("file", report).map(|item| {
            let inside = within(around.folder, item.value.as_str());
            inside
                .map_err(|error| report.add(Diagnostic::error(Code::BadValue, item.span.clone(), error.to_string())))
                .ok()
        });
        let items = ["key", "parent", "label", "sort"].map(|key| table.text(key, report));
        let holds = table.text("where", report);
        let entries = Names { around, report }.of_type(table, |expressions, report, of| {
            let [key, parent, label, sort] = items.map(|item| item.map(|item| expressions.read(&item, report)));
            let holds = holds.map(|item| expressions.condition(&item, report));
            let slots = expressions.slots.clone();
            let (parent, label) = (parent??, label??);
            Some(NodeEntries { of, holds: known(holds)?, key: known(key)?, parent, label, sort: known(sort)?, slots })
        });
        let from = match (file, entries?) {
            (Some(file), None) => OutlineSource::File(file?),
            (None, Some(entries)) => OutlineSource::Entries(Box::new(entries)),
            _ => return None,
        };
        is_plain.then_some(OutlineConfig { title: title?, from, on: known(on)? })
    })
}

/// What may be missing, and is sound where it is there.
fn known<T>(read: Option<Option<T>>) -> Option<Option<T>> {
    match read {
        Some(None) => None,
        other => Some(other.flatten()),
    }
}

/// Whether a name can stand in an identifier of an entry.
fn is_plain(name: &Item<String>, report: &mut Report) -> bool {
    let plain = |byte: u8| matches!(byte, b'a'..=b'z' | b'0'..=b'9' | b'-');
    let is_plain = !name.value.is_empty() && name.value.bytes().all(plain);
    if !is_plain {
        let message = format!("`{}` cannot be a name here: small letters, digits and `-` only", name.value);
        report.add(Diagnostic::error(Code::BadValue, name.span.clone(), message));
    }
    is_plain
}

fn system(table: &mut Section<'_>, around: &Around<'_>, report: &mut Report) -> Option<SystemName> {
    let item = table.text("on", report)?;
    known_system(around.systems, &item, report)
}

/// What a list is called, by language; null where nothing is said.
fn title(table: &mut Section<'_>, report: &mut Report) -> Option<Value> {
    let Some(mut section) = table.section("title", report) else { return Some(Value::Null) };
    let mut title = Localised::new();
    let mut sound = true;
    for name in section.names() {
        let text = section.named_text(&name.value, report);
        match name.value.parse::<LanguageTag>() {
            Ok(tag) => drop(text.map(|text| title.insert(tag, Value::from(text.value.as_str())))),
            Err(error) => {
                report.add(Diagnostic::error(Code::BadValue, name.span, error.to_string()));
                sound = false;
            }
        }
    }
    section.finish(report);
    sound.then_some(Value::Localised(title))
}

impl Names<'_> {
    /// Reads what is said of entries of the type `of`; nothing where none is named.
    pub(super) fn of_type<T>(
        &mut self,
        table: &mut Section<'_>,
        read: impl FnOnce(&mut Expressions<'_>, &mut Report, TypeRef) -> Option<T>,
    ) -> Option<Option<T>> {
        let Some(item) = table.text("of", self.report) else { return Some(None) };
        let of = self.end(&item)?;
        let model = self.source_model(&of, &item)?;
        let known = KnownFields { model: &model, kind: &of.kind };
        let mut expressions = Expressions::over(Some(known), self.around.library);
        read(&mut expressions, self.report, of.clone()).map(Some)
    }
}

/// Refuses a system that is called as the hub itself, whose own entries would be taken for its.
pub(super) fn refuse_its_name(file: &Section<'_>, systems: &Systems, report: &mut Report) {
    if systems.keys().any(|name| name.as_str() == OWN) {
        let span = file.place(&["systems", OWN]).unwrap_or_else(|| file.span());
        let message = format!("`{OWN}` is where lists, outlines and words come from; call the system otherwise");
        report.add(Diagnostic::error(Code::BadValue, span, message));
    }
}

/// Every expression of lists and outlines.
pub(super) fn expressions<'a>(
    lists: &'a IndexMap<String, ListConfig>,
    outlines: &'a IndexMap<String, OutlineConfig>,
) -> impl Iterator<Item = &'a FieldExpression> {
    let of_lists = lists.values().filter_map(|list| list.fills.as_ref());
    let of_lists = of_lists.flat_map(|fills| fills.holds.iter().chain(fills.sort.iter().map(|(sort, _)| sort)));
    let of_outlines = outlines.values().filter_map(|outline| match &outline.from {
        OutlineSource::Entries(entries) => Some(entries),
        OutlineSource::File(_) => None,
    });
    let of_outlines = of_outlines.flat_map(|of| {
        [&of.parent, &of.label].into_iter().chain(of.holds.iter()).chain(of.key.iter()).chain(of.sort.iter())
    });
    of_lists.chain(of_outlines)
}
