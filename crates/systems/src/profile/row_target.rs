//! How rows are written: which table, by which key, and what goes with them.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::lane::Documents;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Setting, Table};
use indexmap::IndexMap;

use crate::languages::LanguageShape;

/// Where rows are written.
pub(super) const TARGET: &[Setting] = settings![
    table: TEXT, required, "the table, with its schema where it has one", "site.pages";
    key: TEXT, required, "the column that takes the lane's `match` field; with a row per language, it and the language's are unique together", "slug";
    revision: TEXT, none, "a column that says the version: a number is counted up with each write, a moment is set; without it, and beside it, what is there is compared with what was read", "version";
    language_suffix: TEXT, none, "what stands between the name of a localised field and the language's code in the names of its columns: `title_en`, `title_fr`", "_";
    lists: Form::Named(&Form::Table(&LIST)), none, "fields that are lists, each a table with a row per item", "{ topics = { table = \"page_topics\", parent = \"page\", value = \"topic\" } }";
];
static LIST: Table = Table::new(
    "rows of a list",
    &[settings![
        table: TEXT, required, "the table", "page_topics";
        parent: TEXT, required, "its column that names the row that the list belongs to", "page_id";
        of: TEXT, none, "the column of that row that it names; the `key` without it", "id";
        value: TEXT, none, "the column that takes an item; without it an item is a record, whose members are columns", "topic";
        order: TEXT, none, "the column that takes an item's place, from 1 on; without it the order is not kept", "place";
    ]],
);

/// Where the rows of a type are written.
#[derive(Debug, Clone)]
pub(crate) struct RowTarget {
    pub(crate) table: String,
    /// The column of the key.
    pub(crate) key: String,
    /// The column of the language, where there is a row for each.
    pub(crate) language: Option<String>,
    pub(crate) revision: Option<String>,
    pub(crate) language_suffix: Option<String>,
    /// Fields that are lists, each in a table of its own.
    pub(crate) lists: IndexMap<String, ListTarget>,
}

/// Where the items of a list are written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct ListTarget {
    pub(crate) table: String,
    /// The column that names the row that the list belongs to.
    pub(crate) parent: String,
    /// The column of that row.
    pub(crate) of: Option<String>,
    /// The column that takes an item.
    pub(crate) value: Option<String>,
    /// The column that takes an item's place.
    pub(crate) order: Option<String>,
}

impl RowTarget {
    pub(super) fn from_section(
        section: &mut Section<'_>,
        languages: Option<&LanguageShape>,
        report: &mut Report,
    ) -> Option<RowTarget> {
        let language = languages.and_then(LanguageShape::member).map(str::to_owned);
        if language.is_none() && languages.is_some_and(|shape| shape.documents() == Documents::PerLanguage) {
            let message =
                "a row per language needs the column of the language: `{ shape = \"row\", language = \"lang\" }`";
            report.add(Diagnostic::error(Code::MissingKey, section.span(), message));
        }
        let (table, key) = (section.string("table", report), section.string("key", report));
        let revision = section.string("revision", report);
        let language_suffix = section.string("language_suffix", report);
        let mut lists = IndexMap::new();
        if let Some(mut named) = section.section("lists", report) {
            for name in named.names() {
                let Some(mut list) = named.named_section(&name.value, report) else { continue };
                let mut text = |key| list.string(key, report);
                let (table, parent, of) = (text("table"), text("parent"), text("of"));
                let (value, order) = (text("value"), text("order"));
                list.finish(report);
                if let (Some(table), Some(parent)) = (table, parent) {
                    lists.insert(name.value, ListTarget { table, parent, of, value, order });
                }
            }
        }
        Some(RowTarget { table: table?, key: key?, language, revision, language_suffix, lists })
    }

    /// What a row's key and language make up, to be filled.
    pub(super) fn place(&self) -> &'static str {
        if self.language.is_some() { "{language}/{key}" } else { "{key}" }
    }

    /// The key and the language of a row by its place.
    pub(crate) fn parted<'p>(&self, place: &'p str) -> (&'p str, Option<&'p str>) {
        match (&self.language, place.split_once('/')) {
            (Some(_), Some((language, key))) => (key, Some(language)),
            _ => (place, None),
        }
    }
}
