//! How a type is listed, and where things are in an item.

use std::collections::BTreeMap;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;
use diaporos_core::value::{EntryId, LanguageTag, State};
use serde_json::{Map, Value as Json};

use super::call::constants;
use super::since::Since;
use super::{Paging, ProfileKind, Query};
use crate::http::Method;
use crate::text_file::check_pattern;

/// How a type is listed, and where things are in an item.
#[derive(Debug, Clone)]
pub(crate) struct ReadType {
    /// The path of the listing with its query; of files, the pattern of their names; of GraphQL, the
    /// query's file.
    pub(crate) list: String,
    /// Where the items are in an answer.
    pub(crate) items: Query,
    /// Where entries are within an item; each is then an object with the members `outer` and `inner`.
    pub(crate) each: Option<Query>,
    /// What makes an entry's id.
    pub(crate) id: Id,
    /// Where its revision is.
    pub(crate) revision: Option<Query>,
    /// Where its state is.
    pub(crate) state: Option<Query>,
    /// The source's words for states.
    pub(crate) states: BTreeMap<String, State>,
    /// The state of an item that does not say.
    pub(crate) state_missing: Option<State>,
    /// Where its fields are.
    pub(crate) fields_at: Option<Query>,
    /// Fields whose changes do not count, such as counters.
    pub(crate) ignore: Vec<String>,
    /// Texts among the fields that hold a document of their own.
    pub(crate) embedded: Vec<(String, Embedded)>,
    /// How each language of an entry is told, where they are listed one by one.
    pub(crate) parts: Option<Parts>,
    /// Where a file's name ends in its language, as in `about.fr.md`: the code of those that have none.
    pub(crate) language_in_name: Option<String>,
    /// The constant variables of a query.
    pub(crate) variables: Map<String, Json>,
    /// How a listing goes on.
    pub(crate) paging: Paging,
    /// How only what changed is asked for.
    pub(crate) since: Option<Since>,
    /// Where what was deleted is listed.
    pub(crate) deleted: Option<Deleted>,
    /// The path of one entry, for fields that the listing leaves out.
    pub(crate) detail: Option<String>,
    /// Whether what a whole listing lacks is gone.
    pub(crate) absent_is_gone: bool,
}

/// What makes an entry's id.
#[derive(Debug, Clone)]
pub(crate) enum Id {
    /// What stands at these places, joined by slashes.
    At(Vec<Query>),
    /// The type has one entry, which is called so.
    Alone(EntryId),
    /// The file's path without its ending, and the item's number where a file has several.
    File,
}

impl ProfileKind {
    /// Whether its entries are files.
    pub(crate) fn has_files(self) -> bool {
        matches!(self, ProfileKind::Files | ProfileKind::Webdav)
    }

    /// The key that says where a listing is.
    fn list_key(self) -> &'static str {
        match self {
            ProfileKind::Rest => "list",
            ProfileKind::Files | ProfileKind::Webdav => "files",
            ProfileKind::Graphql => "query",
            ProfileKind::Docstore => "",
        }
    }
}

fn id(section: &mut Section<'_>, kind: ProfileKind, report: &mut Report) -> Option<Id> {
    let Some(item) = section.text("alone", report) else {
        if kind.has_files() && !section.has("id") {
            return Some(Id::File);
        }
        if kind == ProfileKind::Docstore && !section.has("id") {
            return Query::constant("$._id").map(|id| Id::At(vec![id]));
        }
        return queries(section, "id", report).map(Id::At);
    };
    match EntryId::new(item.value.as_str()) {
        Ok(id) => Some(Id::Alone(id)),
        Err(error) => {
            report.add(Diagnostic::error(Code::BadValue, item.span, format!("this cannot be an id: {error}")));
            None
        }
    }
}

/// A document inside a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Embedded {
    Json,
    Xml,
}

/// How languages that are listed one by one belong together.
#[derive(Debug, Clone)]
pub(crate) struct Parts {
    /// Where an item's language is.
    pub(crate) language: Query,
    /// The language whose values count for fields that have none.
    pub(crate) main: Option<LanguageTag>,
}

/// Where what was deleted is listed.
#[derive(Debug, Clone)]
pub(crate) struct Deleted {
    /// The path of the listing; of GraphQL, the query's file.
    pub(crate) list: String,
    pub(crate) items: Query,
    pub(crate) id: Vec<Query>,
    /// How it goes on, where that is not as the listing of what is there does.
    pub(crate) paging: Option<Paging>,
}

impl ReadType {
    pub(super) fn from_section(section: &mut Section<'_>, kind: ProfileKind, report: &mut Report) -> Option<ReadType> {
        let list = list(section, kind, report);
        let id = id(section, kind, report);
        let items = match (&id, kind) {
            (Some(Id::Alone(_)), _) | (_, ProfileKind::Files | ProfileKind::Webdav | ProfileKind::Docstore) => {
                Query::from_key(section, "items", report).or_else(Query::whole)
            }
            _ => Query::required(section, "items", report),
        };
        let each = Query::from_key(section, "each", report);
        let revision = Query::from_key(section, "revision", report)
            .or_else(|| Query::constant("$._rev").filter(|_| kind == ProfileKind::Docstore));
        let state = Query::from_key(section, "state", report);
        let states = section.section("states", report).map(|mut words| states(&mut words, report)).unwrap_or_default();
        let state_missing = state_missing(section, report);
        let fields_at = Query::from_key(section, "fields_at", report).or_else(|| Query::inner(each.as_ref()));
        let ignore =
            section.text_or_texts("ignore", report).iter().map(|item| item.value.as_str().to_owned()).collect();
        let embedded =
            section.section("embedded", report).map(|mut table| embedded(&mut table, report)).unwrap_or_default();
        let parts = optional(section, "languages", report, Parts::from_section);
        let variables = variables(section, kind, report);
        let language_in_name = match kind {
            kind if kind.has_files() => {
                section.text("language_in_name", report).map(|item| item.value.as_str().to_owned())
            }
            _ => None,
        };
        let paging = match kind {
            ProfileKind::Files | ProfileKind::Webdav | ProfileKind::Docstore => Some(Paging::NONE),
            ProfileKind::Rest | ProfileKind::Graphql => Paging::from_key(section, kind, report),
        };
        let (since, deleted) = match kind {
            ProfileKind::Rest | ProfileKind::Graphql => (
                optional(section, "since", report, Since::from_section),
                optional(section, "deleted", report, |table, report| Deleted::from_section(table, kind, report)),
            ),
            _ => (Some(None), Some(None)),
        };
        let detail = detail(section, kind, revision.is_some(), report);
        let absent_is_gone = absent_is_gone(section, report);
        Some(ReadType {
            list: list?,
            items: items?,
            each,
            id: id?,
            revision,
            state,
            states,
            state_missing,
            fields_at,
            ignore,
            embedded,
            parts: parts?,
            language_in_name,
            variables,
            paging: paging?,
            since: since?,
            deleted: deleted?,
            detail,
            absent_is_gone,
        })
    }
}

/// The path, the pattern or the query of the listing; a document database has one listing for all types.
fn list(section: &mut Section<'_>, kind: ProfileKind, report: &mut Report) -> Option<String> {
    if kind == ProfileKind::Docstore {
        return Some(String::new());
    }
    let item = section.required_text(kind.list_key(), report)?;
    let checked = match kind {
        ProfileKind::Rest => check_path(item.value.as_str()),
        kind if kind.has_files() => check_pattern(item.value.as_str()),
        _ => Ok(()),
    };
    checked.map_err(|why| report.add(Diagnostic::error(Code::BadValue, item.span.clone(), why))).ok()?;
    Some(item.value.as_str().to_owned())
}

/// The state of an item that has none.
fn state_missing(section: &mut Section<'_>, report: &mut Report) -> Option<State> {
    let item = section.text("state_missing", report)?;
    let found = State::from_word(item.value.as_str());
    if found.is_none() {
        let message = format!("`{}` is not a state", item.value.as_str());
        let finding = Diagnostic::error(Code::BadValue, item.span, message);
        report.add(finding.suggest(item.value.as_str(), State::WORDS.map(|(word, _)| word)));
    }
    found
}

/// What goes into a query beside what the listing itself needs.
fn variables(section: &mut Section<'_>, kind: ProfileKind, report: &mut Report) -> Map<String, Json> {
    let key = match kind {
        ProfileKind::Graphql => "variables",
        ProfileKind::Docstore => "where",
        ProfileKind::Rest | ProfileKind::Files | ProfileKind::Webdav => return Map::new(),
    };
    section.section(key, report).map(|mut table| constants(&mut table)).unwrap_or_default()
}

/// Where an item is asked for by itself, for the fields that the listing leaves out.
fn detail(section: &mut Section<'_>, kind: ProfileKind, has_revision: bool, report: &mut Report) -> Option<String> {
    if kind != ProfileKind::Rest {
        return None;
    }
    let item = section.text("detail", report)?;
    let path = item.value.as_str();
    if !path.contains("{id}") || !has_revision {
        let message = "`detail` needs `{id}` in it, and `revision` beside it";
        let finding = Diagnostic::error(Code::BadValue, item.span, message);
        report.add(finding.help("the listing's revision tells which entries changed; only those are asked for"));
        return None;
    }
    Some(path.to_owned())
}

/// Whether what a whole listing lacks is gone.
fn absent_is_gone(section: &mut Section<'_>, report: &mut Report) -> bool {
    section.text("absent", report).is_none_or(|item| match item.value.as_str() {
        "gone" => true,
        "kept" => false,
        other => {
            let message = format!("`{other}` is not what becomes of an entry that a whole listing lacks");
            report.add(Diagnostic::error(Code::BadValue, item.span, message).suggest(other, ["gone", "kept"]));
            true
        }
    })
}

/// What stands under a key that need not be there; none where it is there and faulty.
fn optional<T>(
    section: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
    read: impl FnOnce(&mut Section<'_>, &mut Report) -> Option<T>,
) -> Option<Option<T>> {
    let Some(mut table) = section.section(key, report) else { return Some(None) };
    let value = read(&mut table, report);
    table.finish(report);
    value.map(Some)
}

/// One query or several under a key that must be there.
fn queries(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<Vec<Query>> {
    let items = section.text_or_texts(key, report);
    if items.is_empty() {
        section.missing(key, report);
        return None;
    }
    items.iter().map(|item| Query::from_item(item, report)).collect()
}

impl ReadType {
    /// Whether each language of an entry is listed by itself.
    pub(crate) fn lists_languages(&self) -> bool {
        self.parts.is_some() || self.language_in_name.is_some()
    }
}

impl Parts {
    fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<Parts> {
        let language = Query::required(section, "language", report);
        let main = match section.text("main", report) {
            None => None,
            Some(item) => match item.value.as_str().parse() {
                Ok(tag) => Some(tag),
                Err(error) => {
                    report.add(Diagnostic::error(Code::BadValue, item.span, format!("{error}")));
                    return None;
                }
            },
        };
        Some(Parts { language: language?, main })
    }
}

/// The path of a listing: a path and no call.
fn check_path(text: &str) -> Result<(), String> {
    let first = text.split(' ').next().unwrap_or_default();
    if Method::WORDS.iter().any(|(word, _)| *word == first) || text.contains(' ') {
        return Err(format!("`{text}` is not a path; a listing is a path, as `/api/pages`, and is asked for with GET"));
    }
    Ok(())
}

impl Deleted {
    fn from_section(section: &mut Section<'_>, kind: ProfileKind, report: &mut Report) -> Option<Deleted> {
        let list = section.required_text(kind.list_key(), report);
        let items = Query::required(section, "items", report);
        let id = queries(section, "id", report);
        let paging = if section.has("paging") { Some(Paging::from_key(section, kind, report)?) } else { None };
        Some(Deleted { list: list?.value.as_str().to_owned(), items: items?, id: id?, paging })
    }
}

fn states(section: &mut Section<'_>, report: &mut Report) -> BTreeMap<String, State> {
    let mut words = BTreeMap::new();
    for name in section.names() {
        let Some(item) = section.named_text(&name.value, report) else { continue };
        match State::from_word(item.value.as_str()) {
            Some(state) => {
                words.insert(name.value, state);
            }
            None => {
                let word = item.value.as_str();
                let finding = Diagnostic::error(Code::BadValue, item.span, format!("`{word}` is not a state"));
                report.add(finding.suggest(word, State::WORDS.map(|(word, _)| word)));
            }
        }
    }
    words
}

fn embedded(section: &mut Section<'_>, report: &mut Report) -> Vec<(String, Embedded)> {
    let mut found = Vec::new();
    for name in section.names() {
        let Some(item) = section.named_text(&name.value, report) else { continue };
        match item.value.as_str() {
            "json" => found.push((name.value, Embedded::Json)),
            "xml" => found.push((name.value, Embedded::Xml)),
            other => {
                let message = format!("`{other}` is not a form that is read inside a text");
                report.add(Diagnostic::error(Code::BadValue, item.span, message).suggest(other, ["json", "xml"]));
            }
        }
    }
    found
}
