//! How a listing goes on after a page.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Setting, Table, TextForm, Variants, one_of, words};
use diaporos_core::value::Value;
use serde_json::{Map, Value as Json};

use super::ListingForm;
use crate::query::{JSON_PATH, Query, scalar_text};

/// How a listing goes on after a page.
#[derive(Debug, Clone)]
pub(crate) struct Paging {
    /// What leads on.
    pub(crate) style: Style,
    /// How many items of a page are asked for.
    pub(crate) size: Option<PageSize>,
    /// Where the answer says how many items there are in all.
    pub(crate) total: Option<Query>,
    /// Where it says how many pages there are.
    pub(crate) pages: Option<Query>,
    /// Where it says whether there is more.
    pub(crate) more: Option<Query>,
    /// What ends the listing beside an empty page and what the answer itself says.
    pub(crate) ends: Ends,
    /// Whether members and headers that usually tell of a listing are looked for.
    pub(crate) recognises: bool,
}

/// What ends a listing by numbers beside an empty page and what the answer itself says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Ends {
    /// A page past the first that is not found (404, 400, 416, 422).
    pub(crate) not_found: bool,
    /// Pages that show only what was shown.
    pub(crate) repeated: bool,
    /// A page with fewer items than were asked for.
    pub(crate) short: bool,
    /// As many items as the answer says that there are.
    pub(crate) total: bool,
}

/// What is an end where a profile does not say.
const USUAL_ENDS: Ends = Ends { not_found: true, repeated: true, short: false, total: false };

/// What leads from a page to the next.
#[derive(Debug, Clone)]
pub(crate) enum Style {
    /// It has one page.
    None,
    /// The next page's number; an empty page is the end.
    Page {
        /// The query parameter.
        parameter: String,
        /// The first page's number.
        first: u64,
    },
    /// How many items were listed; an empty page is the end.
    Offset {
        /// The query parameter.
        parameter: String,
    },
    /// A mark that the answer gives; none is the end.
    Cursor {
        /// The query parameter.
        parameter: String,
        /// What it is for the first page; not sent where there is none.
        first: Option<String>,
        /// Where the answer has it.
        next: Next,
    },
    /// The header `Link` with `rel="next"` (RFC 8288); none is the end.
    Link,
    /// An address in the body; none is the end.
    Address(Query),
    /// A cursor connection: `endCursor` where `hasNextPage` says so, given back as a variable.
    Connection {
        /// Where the page's information is.
        at: Query,
        /// The query's variable.
        variable: String,
    },
}

/// Where an answer has what leads on.
#[derive(Debug, Clone)]
pub(crate) enum Next {
    /// In the body.
    Body(Query),
    /// In a header, by its name in lower case.
    Header(String),
}

/// How many items of a page are asked for.
#[derive(Debug, Clone)]
pub(crate) struct PageSize {
    /// The query parameter.
    pub(crate) parameter: String,
    /// How many.
    pub(crate) items: u64,
}

const STYLE: &[Setting] = settings![
    style: Form::Text(&TextForm { name: "a style of paging", pattern: None }), required, "what leads on: `page`, the next number; `offset`, how many items were listed; `cursor`, a mark that the answer gives; `link`, the header `Link` with `rel=\"next\"` (RFC 8288); `address`, an address in the body; `connection`, the cursor of a GraphQL connection", "page";
];
const COUNTS: &[Setting] = settings![
    size: Form::Table(&SIZE), none, "asks for so many items of a page", "{ parameter = \"limit\", items = 100 }";
    total: JSON_PATH, none, "where an answer says how many items there are", "$.total";
    pages: JSON_PATH, none, "where it says how many pages there are", "$.pages";
    more: JSON_PATH, none, "where it says whether there is another page", "$.has_more";
    recognise: Form::Boolean, usual "true", "whether the usual members and headers of these names are looked for", "false";
];
const ENDS: &[Setting] = settings![
    ends: Form::OneOrMany(&Form::Word { what: "an end of a listing", of: || words(&Ends::WORDS) }), none, "what ends the listing beside an empty page and what the answer itself says: `not-found` (404, 400, 416 or 422 past the first page) and `repeated` (pages that show only what was shown), which count where nothing is said, `short` (fewer items than `size` asks for), `total` (as many as `total` says)", "[\"not-found\", \"repeated\"]";
];
static SIZE: Table = Table::new(
    "size of pages",
    &[settings![
        parameter: TEXT, required, "the parameter of the query; one that stands in the path already is replaced", "limit";
        items: Form::Count(1), required, "how many items", "100";
    ]],
);
static PAGE: Table = Table::new(
    "paging by page",
    &[
        STYLE,
        settings![
            parameter: TEXT, usual "page", "the parameter of the query", "p";
            first: Form::Count(0), usual "1", "the first page's number", "0";
        ],
        COUNTS,
        ENDS,
    ],
);
static OFFSET: Table = Table::new(
    "paging by offset",
    &[
        STYLE,
        settings![
            parameter: TEXT, usual "offset", "the parameter of the query", "start";
        ],
        COUNTS,
        ENDS,
    ],
);
static CURSOR: Table = Table {
    name: "paging by cursor",
    groups: &[
        STYLE,
        settings![
            parameter: TEXT, usual "cursor", "the parameter of the query", "after";
            next: JSON_PATH, none, "where the body has the next mark", "$.next_cursor";
            header: TEXT, none, "the header that has the next mark, where it is not in the body", "X-Next";
            first: Form::Anything, none, "the mark of the first page, a text or a number; not sent without it", "\"*\"";
        ],
        COUNTS,
    ],
    one_of: &[&["next", "header"]],
    needs: &[],
};
static LINK: Table = Table::new("paging by link", &[STYLE, COUNTS]);
static ADDRESS: Table = Table::new(
    "paging by address",
    &[
        STYLE,
        settings![
            next: JSON_PATH, required, "where the body has the address of the next page", "$.links.next";
        ],
        COUNTS,
    ],
);
static CONNECTION: Table = Table::new(
    "paging by connection",
    &[
        STYLE,
        settings![
            at: JSON_PATH, required, "where the page's information is, with `endCursor` and `hasNextPage`", "$.data.plants.pageInfo";
            parameter: TEXT, usual "after", "the query's variable", "cursor";
        ],
        COUNTS,
    ],
);
/// How pages of JSON go on.
pub(super) static PAGING: Variants = Variants {
    name: "paging",
    by: "style",
    of: || vec![("page", &PAGE), ("offset", &OFFSET), ("cursor", &CURSOR), ("link", &LINK), ("address", &ADDRESS)],
};
/// How the answers to a query go on.
pub(super) static QUERY_PAGING: Variants =
    Variants { name: "paging of a query", by: "style", of: || vec![("connection", &CONNECTION)] };

/// A sign that a listing by numbers is at its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum End {
    Empty,
    NotFound,
    Repeated,
    Short,
    Total,
}

impl Ends {
    const WORDS: [(&str, End); 5] = [
        ("empty", End::Empty),
        ("not-found", End::NotFound),
        ("repeated", End::Repeated),
        ("short", End::Short),
        ("total", End::Total),
    ];
}

impl Paging {
    /// A listing of one page.
    pub(crate) const NONE: Paging = Paging {
        style: Style::None,
        size: None,
        total: None,
        pages: None,
        more: None,
        ends: USUAL_ENDS,
        recognises: true,
    };

    /// The parameters that its pages are asked for with.
    pub(super) fn parameters(&self) -> impl Iterator<Item = &str> {
        let of_style = match &self.style {
            Style::Page { parameter, .. } | Style::Offset { parameter } | Style::Cursor { parameter, .. } => {
                Some(parameter)
            }
            Style::None | Style::Link | Style::Address(_) | Style::Connection { .. } => None,
        };
        of_style.into_iter().chain(self.size.as_ref().map(|size| &size.parameter)).map(String::as_str)
    }

    pub(super) fn from_key(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<Paging> {
        let Some(mut paging) = section.section("paging", report) else { return Some(Paging::NONE) };
        let read = Paging::from_section(&mut paging, form, report);
        paging.finish(report);
        read
    }

    fn from_section(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<Paging> {
        let word = section.text("style", report)?;
        let variants = if form == ListingForm::Query { &QUERY_PAGING } else { &PAGING };
        let described = one_of(word.value.as_str(), word.span, &(variants.of)(), "a style of paging", report)?;
        section.is(described);
        let style = Style::from_section(word.value.as_str(), section, report);
        let total = Query::from_key(section, "total", report);
        let size = match section.section("size", report) {
            None => None,
            Some(mut size) => {
                let read = PageSize::from_section(&mut size, report);
                size.finish(report);
                Some(read?)
            }
        };
        let pages = Query::from_key(section, "pages", report);
        let more = Query::from_key(section, "more", report);
        let ends = match described.setting("ends") {
            Some(_) => ends(section, size.is_some(), total.is_some(), report),
            None => USUAL_ENDS,
        };
        let recognises = section.boolean("recognise", report);
        Some(Paging { style: style?, size, total, pages, more, ends, recognises })
    }

    /// Whether pages are asked for by a number, so that an end must be told from what comes.
    pub(crate) fn goes_by_number(&self) -> bool {
        matches!(self.style, Style::Page { .. } | Style::Offset { .. })
    }

    /// Whether a listing may have more than one page.
    pub(crate) fn has_pages(&self) -> bool {
        !matches!(self.style, Style::None)
    }
}

impl Paging {
    /// The variables that a query asks for a page with.
    pub(crate) fn put_variables(&self, variables: &mut Map<String, Json>, cursor: Option<&str>) {
        if let Some(size) = &self.size {
            variables.insert(size.parameter.clone(), size.items.into());
        }
        if let (Style::Connection { variable, .. }, Some(cursor)) = (&self.style, cursor) {
            // As it was given: a number goes back as a number.
            variables.insert(variable.clone(), serde_json::from_str(cursor).unwrap_or_else(|_| cursor.into()));
        }
    }

    /// Where a connection goes on: it is followed while it says that there is more, and never counted. A cursor is kept
    /// as JSON, for it may be a number.
    ///
    /// # Errors
    /// Says what the answer lacks.
    pub(crate) fn next_of_connection(&self, answer: &Json) -> Result<Option<String>, String> {
        let Style::Connection { at, .. } = &self.style else { return Ok(None) };
        let info =
            at.first(answer).ok_or_else(|| format!("the answer has no page information at `{}`", at.as_str()))?;
        if !info.get("hasNextPage").and_then(Json::as_bool).unwrap_or(false) {
            return Ok(None);
        }
        let cursor = info.get("endCursor").filter(|cursor| scalar_text(cursor).is_some());
        cursor
            .map(|cursor| Some(cursor.to_string()))
            .ok_or_else(|| "it says `hasNextPage`, and gives no `endCursor`".to_owned())
    }
}

/// What `ends` lists; the usual ends where it is not there.
fn ends(section: &mut Section<'_>, has_size: bool, has_total: bool, report: &mut Report) -> Ends {
    let items = section.text_or_texts("ends", report);
    if items.is_empty() {
        return USUAL_ENDS;
    }
    let mut ends = Ends { not_found: false, repeated: false, short: false, total: false };
    let what = section.what("ends");
    for item in items {
        let lacks = match one_of(item.value.as_str(), item.span.clone(), &Ends::WORDS, what, report) {
            None | Some(End::Empty) => None,
            Some(End::NotFound) => {
                ends.not_found = true;
                None
            }
            Some(End::Repeated) => {
                ends.repeated = true;
                None
            }
            Some(End::Short) => {
                ends.short = true;
                (!has_size).then_some("a short page can only be told where `size` says how many items are asked for")
            }
            Some(End::Total) => {
                ends.total = true;
                (!has_total).then_some("`total` must say where the answer has it")
            }
        };
        if let Some(message) = lacks {
            report.add(Diagnostic::error(Code::MissingKey, item.span, message));
        }
    }
    ends
}

impl Style {
    fn from_section(word: &str, section: &mut Section<'_>, report: &mut Report) -> Option<Style> {
        Some(match word {
            "page" => Style::Page {
                parameter: section.string("parameter", report)?,
                first: section.count("first", report)?.value,
            },
            "offset" => Style::Offset { parameter: section.string("parameter", report)? },
            "cursor" => {
                let header = section.string("header", report).map(|header| Next::Header(header.to_lowercase()));
                let next = Query::from_key(section, "next", report).map(Next::Body);
                if header.is_none() && !section.has("next") {
                    section.missing("next", report);
                }
                let first = first_cursor(section, report);
                Style::Cursor { parameter: section.string("parameter", report)?, first, next: header.or(next)? }
            }
            "connection" => {
                let at = Query::from_key(section, "at", report);
                Style::Connection { variable: section.string("parameter", report)?, at: at? }
            }
            "link" => Style::Link,
            _ => Style::Address(Query::from_key(section, "next", report)?),
        })
    }
}

/// The mark of the first page.
fn first_cursor(section: &mut Section<'_>, report: &mut Report) -> Option<String> {
    let item = section.value("first")?;
    match item.value {
        Value::Text(text) => Some(text),
        Value::Integer(number) => Some(number.to_string()),
        _ => {
            section.refuse("first", item.span, "the first cursor is a text or a number", report);
            None
        }
    }
}

impl PageSize {
    fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<PageSize> {
        let parameter = section.text("parameter", report);
        let items = section.count("items", report);
        Some(PageSize { parameter: parameter?.value.as_str().to_owned(), items: items?.value })
    }
}
