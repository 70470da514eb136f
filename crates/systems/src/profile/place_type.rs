//! How documents are written whose place is ours to choose: files, and documents of a store.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::lane::Documents;
use diaporos_core::settings::Section;
use serde_json::{Map, Value as Json};

use super::asset_calls::asset_limits;
use super::call::{constants, encoded, places};
use super::{Layout, ProfileKind, Query};
use crate::asset::AssetLimits;
use crate::text_file::check_pattern;

/// How documents of a type are written, each at a place that its key and language tell.
#[derive(Debug, Clone)]
pub(crate) struct PlaceType {
    /// How languages go into documents.
    pub(crate) documents: Documents,
    /// Where its fields are.
    pub(crate) layout: Layout,
    /// The member that holds a document's language.
    pub(crate) language: Option<String>,
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
}

impl PlaceType {
    pub(super) fn from_section(
        section: &mut Section<'_>,
        (kind, layout): (ProfileKind, Layout),
        report: &mut Report,
    ) -> Option<PlaceType> {
        let (documents, language) = languages(section, report);
        let place = section.required_text("place", report).and_then(|item| {
            let text = item.value.as_str();
            let wrong = wrong_place(text, documents.as_ref(), kind);
            if let Some(message) = wrong {
                report.add(Diagnostic::error(Code::BadValue, item.span.clone(), message));
                return None;
            }
            Some(text.to_owned())
        });
        let members = section.section("members", report).map(|mut table| constants(&mut table));
        let withdraw = section.section("withdraw", report).map(|mut table| constants(&mut table));
        let withdrawn = section.section("withdrawn", report).and_then(|mut table| {
            let at = Query::required(&mut table, "at", report);
            let words = table.texts("words", report);
            table.finish(report);
            Some((at?, words?.into_iter().map(|word| word.value).collect()))
        });
        let assets = match kind {
            ProfileKind::Docstore => section.section("assets", report).map(|mut table| {
                let limits = asset_limits(&mut table, report);
                table.finish(report);
                limits
            }),
            _ => None,
        };
        if withdraw.is_some() && withdrawn.is_none() && !section.has("withdrawn") {
            section.missing("withdrawn", report);
        }
        let layout = layout.for_writing(section, report);
        Some(PlaceType {
            documents: documents?,
            layout,
            language,
            place: place?,
            members: members.unwrap_or_default(),
            withdraw,
            withdrawn,
            assets,
        })
    }

    /// The place of a document. What is filled in is one step of it, whatever is in it.
    pub(crate) fn fill(&self, key: &str, language: Option<&str>) -> String {
        // A step that begins with a dot is hidden, or leads upwards.
        let step = |text: &str| match encoded(text) {
            step if step.starts_with('.') => step.replacen('.', "%2E", 1),
            step => step,
        };
        self.place.replace("{key}", &step(key)).replace("{language}", &step(language.unwrap_or_default()))
    }
}

/// How languages go into documents, and the member that names one; no documents where that is wrong.
fn languages(section: &mut Section<'_>, report: &mut Report) -> (Option<Documents>, Option<String>) {
    let Some(mut table) = section.section("languages", report) else { return (Some(Documents::One), None) };
    let language = table.text("language", report).map(|item| item.value.as_str().to_owned());
    let documents = table.required_text("shape", report).and_then(|item| match item.value.as_str() {
        "row" => Some(Documents::PerLanguage),
        "map" => Some(Documents::One),
        other => {
            let message = format!("`{other}` is not a shape of languages");
            let finding = Diagnostic::error(Code::BadValue, item.span.clone(), message);
            report.add(finding.suggest(other, ["map", "row"]));
            None
        }
    });
    table.finish(report);
    (documents, language)
}

fn wrong_place(text: &str, documents: Option<&Documents>, kind: ProfileKind) -> Option<String> {
    if let Some(other) = places(text).find(|place| !matches!(*place, "key" | "language")) {
        return Some(format!("`{{{other}}}` has no meaning in a place; known here: {{key}}, {{language}}"));
    }
    let has = |wanted: &str| places(text).any(|place| place == wanted);
    if !has("key") {
        return Some("a place must have `{key}` in it, so that no two entries share one".to_owned());
    }
    if documents == Some(&Documents::PerLanguage) && !has("language") {
        return Some("with a document per language a place must have `{language}` in it".to_owned());
    }
    if kind == ProfileKind::Docstore {
        return None;
    }
    let pattern = text.replace(['{', '}'], "");
    if let Err(why) = check_pattern(&pattern) {
        return Some(why);
    }
    let written = [".md", ".json"].iter().any(|ending| text.ends_with(ending));
    (!written).then(|| "a file's place ends in `.md` (front matter and text) or `.json`".to_owned())
}
