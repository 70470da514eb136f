//! How a type is listed, and where things are in an item.

use std::collections::BTreeMap;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{InnerText, Item, Section, one_of};
use diaporos_core::value::{EntryId, State};
use serde_json::{Map, Value as Json};

use super::filled::constants;
use super::read_items::{items, texts};
use super::search_call::check_parameters;
use super::since::Since;
use super::{ListingForm, Paging, RowListing, SearchCall};
use crate::languages::LanguageShape;
use crate::query::Query;
use crate::text_file::{TextsForm, check_pattern};

/// How a type is listed, and where things are in an item.
#[derive(Debug, Clone)]
pub(crate) struct ReadType {
    /// What it is asked for with, where it is a call with a body.
    pub(crate) search: Option<SearchCall>,
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
    /// The form of files of texts by key.
    pub(crate) texts: Option<TextsForm>,
    /// Whether items are elements of XML.
    pub(crate) elements: bool,
    /// How languages are listed.
    pub(crate) languages: LanguageShape,
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
    /// The query of one entry, for fields that the listing leaves out.
    pub(crate) detail_query: Option<DetailQuery>,
    /// The path of one entry that is read by itself.
    pub(crate) one: Option<String>,
    /// Whether what a whole listing lacks is gone.
    pub(crate) absent_is_gone: bool,
    /// Where rows come from, where it lists rows.
    pub(crate) rows: Option<RowListing>,
}

impl ReadType {
    /// Refuses parameters of its listings that stand where these have no place for them.
    pub(super) fn check_parameters(&self, section: &Section<'_>, report: &mut Report) {
        let since = || self.since.iter().map(|since| since.parameter.as_str());
        check_parameters(self.search.as_ref(), self.paging.parameters().chain(since()), section, report);
        if let Some(deleted) = &self.deleted {
            let paging = deleted.paging.as_ref().unwrap_or(&self.paging);
            check_parameters(deleted.search.as_ref(), paging.parameters().chain(since()), section, report);
        }
    }

    /// The path of one entry that is read by itself.
    pub(crate) fn one_path(&self) -> Option<&str> {
        self.one.as_deref().or(self.detail.as_deref())
    }
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

/// What becomes of an entry that a whole listing lacks: whether it is gone.
pub(super) const ABSENT: [(&str, bool); 2] = [("gone", true), ("kept", false)];

/// The forms of documents inside texts.
pub(super) const EMBEDDED: [(&str, Embedded); 2] = [("json", Embedded::Json), ("xml", Embedded::Xml)];

fn id(section: &mut Section<'_>, form: ListingForm, rows: Option<&RowListing>, report: &mut Report) -> Option<Id> {
    let (at, alone) = (section.text_or_texts("id", report), section.text("alone", report));
    let Some(item) = alone else {
        return match form.own_members() {
            _ if section.has("id") => queries(&at, report).map(Id::At),
            Some((id, _)) => Query::constant(id).map(|id| Id::At(vec![id])),
            None if form == ListingForm::Files => Some(Id::File),
            None if form == ListingForm::Rows => rows?.id().map(Id::At),
            None => {
                section.missing("id", report);
                None
            }
        };
    };
    if section.has("id") {
        section.refuse("alone", item.span, "`id` and `alone` exclude each other", report);
        return None;
    }
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

/// Where what was deleted is listed.
#[derive(Debug, Clone)]
pub(crate) struct Deleted {
    /// The path of the listing; of GraphQL, the query's file.
    pub(crate) list: String,
    /// What it is asked for with, where it is a call with a body.
    pub(crate) search: Option<SearchCall>,
    pub(crate) items: Query,
    pub(crate) id: Vec<Query>,
    /// How it goes on, where that is not as the listing of what is there does.
    pub(crate) paging: Option<Paging>,
}

impl ReadType {
    pub(super) fn from_section(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<ReadType> {
        let (list, search) = list(section, form, report).unzip();
        let rows = (form == ListingForm::Rows).then(|| RowListing::from_section(section, report));
        let id = id(section, form, rows.as_ref().and_then(Option::as_ref), report);
        let texts = texts(section, form, report)?;
        let items = items(section, form, (matches!(id, Some(Id::Alone(_))), texts), report);
        let each = Query::from_key(section, "each", report);
        let revision = Query::from_key(section, "revision", report)
            .or_else(|| form.own_members().and_then(|(_, revision)| Query::constant(revision)));
        let state = Query::from_key(section, "state", report);
        let states = named_words(section, "states", &State::WORDS, report).into_iter().collect();
        let state_missing = section.word("state_missing", &State::WORDS, report);
        let fields_at = Query::from_key(section, "fields_at", report).or_else(|| Query::inner(each.as_ref()));
        let ignore =
            section.text_or_texts("ignore", report).iter().map(|item| item.value.as_str().to_owned()).collect();
        let embedded = named_words(section, "embedded", &EMBEDDED, report);
        let languages = languages(section, form, report);
        let variables = variables(section, form, report);
        let paging = if form.has_pages() { Paging::from_key(section, form, report) } else { Some(Paging::NONE) };
        let (since, deleted) = changes(section, form, report);
        let detail = detail(section, form, revision.is_some(), report);
        let detail_query = detail_query(section, form, revision.is_some(), report)?;
        let one = one(section, form, report);
        let absent_is_gone = section.word("absent", &ABSENT, report);
        Some(ReadType {
            texts,
            elements: false,
            list: list?,
            search: search?,
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
            languages: languages?,
            variables,
            paging: paging?,
            since: since?,
            deleted: deleted?,
            detail,
            detail_query,
            one,
            absent_is_gone: absent_is_gone?,
            rows: rows.map_or(Some(None), |rows| rows.map(Some))?,
        })
    }
}

/// The path, the pattern or the query of the listing; a document database has one listing for all types.
fn list(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<(String, Option<SearchCall>)> {
    let Some(key) = form.key() else { return Some((String::new(), None)) };
    if form == ListingForm::Pages {
        return SearchCall::from_key(section, report);
    }
    let item = section.text(key, report)?;
    if form == ListingForm::Files
        && let Err(why) = check_pattern(item.value.as_str())
    {
        report.add(Diagnostic::error(Code::BadValue, item.span, why));
        return None;
    }
    Some((item.value.as_str().to_owned(), None))
}

/// How only what changed is asked for, and what was deleted. Where rows say that, a column does.
fn changes(
    section: &mut Section<'_>,
    form: ListingForm,
    report: &mut Report,
) -> (Option<Option<Since>>, Option<Option<Deleted>>) {
    if form == ListingForm::Rows {
        return (optional(section, "since", report, Since::by_column), Some(None));
    }
    if !form.has_pages() {
        return (Some(None), Some(None));
    }
    let since = optional(section, "since", report, |table, report| Since::from_section(table, form, report));
    (since, optional(section, "deleted", report, |table, report| Deleted::from_section(table, form, report)))
}

/// How languages are listed: in items, in the names of files, or within the fields.
fn languages(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<LanguageShape> {
    let items = optional(section, "languages", report, LanguageShape::of_items);
    let in_name = match form {
        ListingForm::Files => section.text("language_in_name", report),
        _ => None,
    };
    let names = in_name.map(|item| LanguageShape::FileNames { main: item.value.as_str().to_owned() });
    items.map(|items| names.or(items).unwrap_or(LanguageShape::Map))
}

/// What goes into a query beside what the listing itself needs.
fn variables(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Map<String, Json> {
    let key = match form {
        ListingForm::Query => "variables",
        ListingForm::Changes => "where",
        ListingForm::Pages | ListingForm::Files | ListingForm::Rows => return Map::new(),
    };
    section.section(key, report).map(|mut table| constants(&mut table)).unwrap_or_default()
}

/// Where an item is asked for by itself, for the fields that the listing leaves out.
fn detail(section: &mut Section<'_>, form: ListingForm, has_revision: bool, report: &mut Report) -> Option<String> {
    if form != ListingForm::Pages {
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

/// The query of one entry, `$id`.
#[derive(Debug, Clone)]
pub(crate) struct DetailQuery {
    /// The query's file.
    pub(crate) file: String,
    /// Where its answer has the entry.
    pub(crate) document: Query,
}

/// The query of an item, for the fields that the listing leaves out.
fn detail_query(
    section: &mut Section<'_>,
    form: ListingForm,
    has_revision: bool,
    report: &mut Report,
) -> Option<Option<DetailQuery>> {
    if form != ListingForm::Query {
        return Some(None);
    }
    let span = section.span();
    let query = optional(section, "detail", report, |table, report| {
        let file = table.text("query", report).map(|item| item.value.as_str().to_owned());
        let document = Query::from_key(table, "document", report);
        Some(DetailQuery { file: file?, document: document? })
    })?;
    if query.is_some() && !has_revision {
        let finding = Diagnostic::error(Code::BadValue, span, "`detail` needs `revision` beside it");
        report.add(finding.help("the listing's revision tells which entries changed; only those are asked for"));
        return None;
    }
    Some(query)
}

/// Where an entry is read by itself, with all its fields.
fn one(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<String> {
    if form != ListingForm::Pages {
        return None;
    }
    let item = section.text("one", report)?;
    if !item.value.as_str().contains("{id}") {
        report.add(Diagnostic::error(Code::BadValue, item.span, "`one` needs `{id}` in it"));
        return None;
    }
    Some(item.value.as_str().to_owned())
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

/// One query or several.
fn queries(items: &[Item<InnerText>], report: &mut Report) -> Option<Vec<Query>> {
    items.iter().map(|item| Query::from_item(item, report)).collect()
}

impl Deleted {
    fn from_section(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<Deleted> {
        let list = list(section, form, report);
        let items = Query::from_key(section, "items", report);
        let id = section.text_or_texts("id", report);
        let id = queries(&id, report);
        let own = section.has("paging");
        let paging = Paging::from_key(section, form, report)?;
        let paging = own.then_some(paging);
        let (list, search) = list?;
        Some(Deleted { list, search, items: items?, id: id?, paging })
    }
}

/// A table of the user's own names with the meanings of words.
pub(super) fn named_words<T: Clone>(
    section: &mut Section<'_>,
    key: &'static str,
    words: &[(&str, T)],
    report: &mut Report,
) -> Vec<(String, T)> {
    let what = section.what(key);
    let Some(mut table) = section.section(key, report) else { return Vec::new() };
    let mut found = Vec::new();
    for name in table.names() {
        let Some(item) = table.named_text(&name.value, report) else { continue };
        found.extend(one_of(item.value.as_str(), item.span, words, what, report).map(|word| (name.value, word)));
    }
    found
}
