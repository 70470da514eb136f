//! How a type is listed.

use std::collections::BTreeMap;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::plan::State;
use diaporos_core::settings::Section;

use super::Query;

/// How a type is listed, and where things are in an item.
#[derive(Debug, Clone)]
pub(in crate::rest) struct ReadType {
    /// The path of the listing, with its query.
    pub(in crate::rest) list: String,
    /// Where the items are in an answer.
    pub(in crate::rest) items: Query,
    /// Where an item's id is.
    pub(in crate::rest) id: Query,
    /// Where its revision is.
    pub(in crate::rest) revision: Option<Query>,
    /// Where its state is.
    pub(in crate::rest) state: Option<Query>,
    /// The source's words for states.
    pub(in crate::rest) states: BTreeMap<String, State>,
    /// Where its fields are.
    pub(in crate::rest) fields_at: Option<Query>,
    /// How a listing goes on.
    pub(in crate::rest) paging: Paging,
}

/// How a listing goes on after a page.
#[derive(Debug, Clone)]
pub(in crate::rest) enum Paging {
    /// It has one page.
    None,
    /// The next page's number; an empty page is the end.
    Page {
        /// The query parameter.
        parameter: String,
        /// The first page's number.
        first: u64,
        /// How many items a page has.
        size: Option<PageSize>,
    },
    /// What the answer says leads on; nothing there is the end.
    Cursor {
        /// The query parameter.
        parameter: String,
        /// Where the answer has it.
        next: Query,
        /// How many items a page has.
        size: Option<PageSize>,
    },
}

/// How many items of a page are asked for.
#[derive(Debug, Clone)]
pub(in crate::rest) struct PageSize {
    /// The query parameter.
    pub(in crate::rest) parameter: String,
    /// How many.
    pub(in crate::rest) items: u64,
}

impl ReadType {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<ReadType> {
        let list = section.required_text("list", report);
        let items = Query::required(section, "items", report);
        let id = Query::required(section, "id", report);
        let revision = Query::from_key(section, "revision", report);
        let state = Query::from_key(section, "state", report);
        let states = section.section("states", report).map(|mut words| states(&mut words, report)).unwrap_or_default();
        let fields_at = Query::from_key(section, "fields_at", report);
        let paging = match section.section("paging", report) {
            None => Paging::None,
            Some(mut paging) => {
                let read = Paging::from_section(&mut paging, report);
                paging.finish(report);
                read?
            }
        };
        let list = list?.value.as_str().to_owned();
        Some(ReadType { list, items: items?, id: id?, revision, state, states, fields_at, paging })
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

impl Paging {
    fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<Paging> {
        let style = section.required_text("style", report)?;
        let parameter = section.text("parameter", report).map(|item| item.value.as_str().to_owned());
        let size = section.section("size", report).and_then(|mut size| {
            let parameter = size.required_text("parameter", report);
            let items = size.count("items", 1, report);
            if items.is_none() && !size.has("items") {
                size.missing("items", report);
            }
            size.finish(report);
            Some(PageSize { parameter: parameter?.value.as_str().to_owned(), items: items?.value })
        });
        match style.value.as_str() {
            "page" => {
                let first = section.count("first", 0, report).map_or(1, |count| count.value);
                Some(Paging::Page { parameter: parameter.unwrap_or_else(|| "page".to_owned()), first, size })
            }
            "cursor" => {
                let next = Query::required(section, "next", report)?;
                Some(Paging::Cursor { parameter: parameter.unwrap_or_else(|| "cursor".to_owned()), next, size })
            }
            other => {
                let finding =
                    Diagnostic::error(Code::BadValue, style.span, format!("`{other}` is not a style of paging"));
                report.add(finding.suggest(other, ["page", "cursor"]));
                None
            }
        }
    }
}
