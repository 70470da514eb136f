//! Where the fields of a type stand in its documents, for reading and writing alike.

use std::collections::BTreeSet;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;
use indexmap::IndexMap;
use serde_json::{Map, Value as Json};

use super::{MemberPath, ProfileField, ReadType};
use crate::query::Query;

/// Where the fields of a type stand in its documents.
#[derive(Debug, Clone, Default)]
pub(crate) struct Layout {
    /// Where those are that have no place of their own; the document itself where nothing is said.
    pub(super) fields_at: Option<MemberPath>,
    /// The places of single fields.
    places: IndexMap<String, MemberPath>,
    /// Fields whose place can be read and not written.
    unwritable: IndexMap<String, Query>,
    /// The member that names the language of each node, of fields that are lists of nodes.
    pub(crate) node_languages: IndexMap<String, String>,
}

impl Layout {
    /// The layout that a type is read by.
    pub(super) fn new(fields: Option<&IndexMap<String, ProfileField>>, read: Option<&ReadType>) -> Layout {
        let mut layout = Layout::default();
        let declared = fields.into_iter().flatten();
        for (name, at) in declared.filter_map(|(name, field)| Some((name, field.at.as_ref()?))) {
            match MemberPath::of(at) {
                Some(path) => drop(layout.places.insert(name.clone(), path)),
                None => drop(layout.unwritable.insert(name.clone(), at.clone())),
            }
        }
        let nodes = fields.into_iter().flatten();
        let nodes = nodes.filter_map(|(name, field)| Some((name.clone(), field.node_language.clone()?)));
        layout.node_languages = nodes.collect();
        // Entries within other entries have no document of their own.
        let fields_at = read.filter(|read| read.each.is_none()).and_then(|read| read.fields_at.as_ref());
        if let Some(at) = fields_at {
            match MemberPath::of(at) {
                Some(path) => layout.fields_at = Some(path),
                None => drop(layout.unwritable.insert("fields_at".to_owned(), at.clone())),
            }
        }
        layout
    }

    /// The layout that a type is written by: `fields_at` of its own counts before the one for reading.
    /// What stands where nothing can be written is a fault, but for fields that the bodies of calls have places for.
    pub(super) fn for_writing(
        mut self,
        placed: &BTreeSet<String>,
        section: &mut Section<'_>,
        report: &mut Report,
    ) -> Layout {
        if let Some(path) = member_path(section, "fields_at", report) {
            self.fields_at = Some(path);
            self.unwritable.shift_remove("fields_at");
        }
        for (name, at) in self.unwritable.iter().filter(|(name, _)| !placed.contains(*name)) {
            let message = format!("`{name}` stands at `{}`, and nothing can be written there", at.as_str());
            let finding = Diagnostic::error(Code::BadValue, section.span(), message);
            report.add(finding.help(format!(
                "a place that is written is a way of names, `$.size.height`; or the `body` of `create` and `update` has the field as `{{fields.{name}}}`"
            )));
        }
        self
    }

    /// Where a field stands.
    pub(crate) fn place(&self, name: &str) -> MemberPath {
        self.places.get(name).cloned().unwrap_or_else(|| self.fields_at.clone().unwrap_or_default().join(name))
    }

    /// Whether a document's own members are not its fields alone.
    pub(crate) fn is_nested(&self) -> bool {
        self.fields_at.as_ref().is_some_and(|at| *at != MemberPath::default())
            || self.places.values().any(MemberPath::is_nested)
    }

    /// The members that fields stand in by their names, and those that stand elsewhere.
    pub(crate) fn members(&self, document: &Json) -> Map<String, Json> {
        let whole = self.fields_at.as_ref().map_or(Some(document), |at| at.get(document));
        let mut members = whole.and_then(Json::as_object).cloned().unwrap_or_default();
        for (name, path) in &self.places {
            match path.get(document) {
                Some(json) => drop(members.insert(name.clone(), json.clone())),
                None => drop(members.remove(name)),
            }
        }
        for (name, query) in &self.unwritable {
            let found = query.all(document);
            let found = match found.as_slice() {
                [] => Json::Null,
                [one] if !query.as_str().contains("[*]") => (*one).clone(),
                several => several.iter().map(|one| (*one).clone()).collect(),
            };
            members.insert(name.clone(), found);
        }
        members
    }
}

/// A way of names under a key.
pub(super) fn member_path(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<MemberPath> {
    let item = section.text(key, report)?;
    let query = Query::from_item(&item, report)?;
    let path = MemberPath::of(&query);
    if path.is_none() {
        let message = format!("nothing can be written at `{}`", query.as_str());
        report.add(Diagnostic::error(Code::BadValue, item.span, message).help("for example `$.data.attributes`"));
    }
    path
}
