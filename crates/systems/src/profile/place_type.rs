//! How documents are written whose place is ours to choose: files, and documents of a store.

use std::collections::BTreeSet;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::lane::Documents;
use diaporos_core::settings;
use diaporos_core::settings::forms::{ANY_VALUES, TEXT};
use diaporos_core::settings::{Form, Section, Setting, Table};
use serde_json::{Map, Value as Json};

use super::asset_calls::{ATTACHMENTS, asset_limits};
use super::filled::constants;
use super::path::{encoded, places};
use super::row_target::TARGET;
use super::write_type::{WITHDRAWN, withdrawn};
use super::{Layout, RowTarget, WritingForm, whole_table};
use crate::asset::AssetLimits;
use crate::languages::{LanguageShape, OF_PLACES};
use crate::query::{JSON_PATH, Query};
use crate::text_file::check_pattern;

/// How documents at places of our choosing are written.
const PLACED: &[Setting] = settings![
    languages: Form::Variants(&OF_PLACES), none, "how languages go into documents; `{ shape = \"map\" }` without it", "{ shape = \"row\", language = \"lang\" }";
    members: ANY_VALUES, none, "what every document has beside the mapped fields", "{ status = \"live\" }";
    withdraw: ANY_VALUES, none, "the members that take it off view; without them a lane says `gone = \"delete\"`", "{ status = \"withdrawn\" }";
    withdrawn: Form::Table(&WITHDRAWN), none, "where a document says that it is off view", "{ at = \"$.status\", words = [\"withdrawn\"] }";
    fields_at: JSON_PATH, none, "where the fields stand in the document; as in `read` without it", "$.attributes";
];
/// How files are written.
pub(crate) static WRITE_FILES: Table = Table::new(
    "writing files",
    &[
        settings![
            place: TEXT, required, "the file: `.md` (front matter, and `body` as its text) or `.json`; `{key}` is the lane's `match` field, `{language}` the document's", "pages/{language}/{key}.md";
            assets: Form::Table(&ATTACHMENTS), none, "which files are kept in `assets/`, each once", "{ types = [\"image/*\"] }";
        ],
        PLACED,
    ],
)
.needing(&[("withdraw", "withdrawn")]);
/// How documents of a database are written.
pub(crate) static WRITE_DOCUMENTS: Table = Table::new(
    "writing documents",
    &[
        settings![
            place: TEXT, required, "the document's `_id`; `{key}` is the lane's `match` field, `{language}` the document's", "page:{language}:{key}";
            assets: Form::Table(&ATTACHMENTS), none, "which files are kept as attachments, each once", "{ types = [\"image/*\"] }";
        ],
        PLACED,
    ],
)
.needing(&[("withdraw", "withdrawn")]);

/// How rows are written.
pub(crate) static WRITE_ROWS: Table =
    Table::new("writing rows", &[TARGET, PLACED]).needing(&[("withdraw", "withdrawn")]);

/// How documents of a type are written, each at a place that its key and language tell.
#[derive(Debug, Clone)]
pub(crate) struct PlaceType {
    /// How languages go into documents.
    pub(crate) languages: LanguageShape,
    /// Where its fields are.
    pub(crate) layout: Layout,
    /// The place, `{key}` and `{language}` to be filled.
    pub(crate) place: String,
    /// Members that every document has.
    pub(crate) members: Map<String, Json>,
    /// Members that take it off view.
    pub(crate) withdraw: Option<Map<String, Json>>,
    /// Where it says that it is off view, and the words that say so.
    pub(crate) withdrawn: Option<(Query, Vec<String>)>,
    /// What files are taken, where they are.
    pub(crate) assets: Option<AssetLimits>,
    /// The table, where they are rows.
    pub(crate) rows: Option<RowTarget>,
}

impl PlaceType {
    pub(super) fn from_section(
        section: &mut Section<'_>,
        form: WritingForm,
        layout: Layout,
        report: &mut Report,
    ) -> Option<PlaceType> {
        let languages = whole_table(section, "languages", report, LanguageShape::of_places);
        let languages = languages.or_else(|| (!section.has("languages")).then_some(LanguageShape::Map));
        let rows = (form == WritingForm::Rows).then(|| RowTarget::from_section(section, languages.as_ref(), report));
        let place = match &rows {
            Some(rows) => rows.as_ref().map(|rows| rows.place().to_owned()),
            None => section.text("place", report).and_then(|item| {
                let text = item.value.as_str();
                let wrong = wrong_place(text, languages.as_ref(), form);
                if let Some(message) = wrong {
                    report.add(Diagnostic::error(Code::BadValue, item.span.clone(), message));
                    return None;
                }
                Some(text.to_owned())
            }),
        };
        let members = section.section("members", report).map(|mut table| constants(&mut table));
        let withdraw = section.section("withdraw", report).map(|mut table| constants(&mut table));
        let withdrawn = whole_table(section, "withdrawn", report, withdrawn);
        let limits = |table: &mut Section<'_>, report: &mut Report| Some(asset_limits(table, report));
        let assets = if rows.is_some() { None } else { whole_table(section, "assets", report, limits) };
        let layout = layout.for_writing(&BTreeSet::new(), section, report);
        Some(PlaceType {
            languages: languages?,
            layout,
            place: place?,
            members: members.unwrap_or_default(),
            withdraw,
            withdrawn,
            assets,
            rows: rows.map_or(Some(None), |rows| rows.map(Some))?,
        })
    }

    /// The place of a document. What is filled in is one step of it, whatever is in it.
    pub(crate) fn fill(&self, key: &str, language: Option<&str>) -> String {
        // A key of a row is bound as a value, and is no path.
        if self.rows.is_some() {
            return self.place.replace("{language}", language.unwrap_or_default()).replace("{key}", key);
        }
        // A step that begins with a dot is hidden, or leads upwards.
        let step = |text: &str| match encoded(text) {
            step if step.starts_with('.') => step.replacen('.', "%2E", 1),
            step => step,
        };
        self.place.replace("{key}", &step(key)).replace("{language}", &step(language.unwrap_or_default()))
    }
}

fn wrong_place(text: &str, languages: Option<&LanguageShape>, form: WritingForm) -> Option<String> {
    if let Some(other) = places(text).find(|place| !matches!(*place, "key" | "language")) {
        return Some(format!("`{{{other}}}` has no meaning in a place; known here: {{key}}, {{language}}"));
    }
    let has = |wanted: &str| places(text).any(|place| place == wanted);
    if !has("key") {
        return Some("a place must have `{key}` in it, so that no two entries share one".to_owned());
    }
    if languages.is_some_and(|shape| shape.documents() == Documents::PerLanguage) && !has("language") {
        return Some("with a document per language a place must have `{language}` in it".to_owned());
    }
    if form == WritingForm::Documents {
        return None;
    }
    let pattern = text.replace(['{', '}'], "");
    if let Err(why) = check_pattern(&pattern) {
        return Some(why);
    }
    let written = [".md", ".json"].iter().any(|ending| text.ends_with(ending));
    (!written).then(|| "a file's place ends in `.md` (front matter and text) or `.json`".to_owned())
}
