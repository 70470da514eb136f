//! How a listing goes on after a page.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;
use diaporos_core::value::Value;

use super::{ProfileKind, Query};

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

const STYLES: [&str; 5] = ["page", "offset", "cursor", "link", "address"];

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

    pub(super) fn from_key(section: &mut Section<'_>, kind: ProfileKind, report: &mut Report) -> Option<Paging> {
        let Some(mut paging) = section.section("paging", report) else { return Some(Paging::NONE) };
        let read = Paging::from_section(&mut paging, kind, report);
        paging.finish(report);
        read
    }

    fn from_section(section: &mut Section<'_>, profile: ProfileKind, report: &mut Report) -> Option<Paging> {
        let style = section.required_text("style", report)?;
        let parameter = |section: &mut Section<'_>, usual: &str, report: &mut Report| {
            section.text("parameter", report).map_or_else(|| usual.to_owned(), |item| item.value.as_str().to_owned())
        };
        let known: &[&str] = if profile == ProfileKind::Graphql { &["connection"] } else { &STYLES };
        let kind = match style.value.as_str() {
            "connection" if profile == ProfileKind::Graphql => {
                let at = Query::required(section, "at", report)?;
                Style::Connection { at, variable: parameter(section, "after", report) }
            }
            other if !known.contains(&other) => {
                let finding =
                    Diagnostic::error(Code::BadValue, style.span, format!("`{other}` is not a style of paging"));
                report.add(finding.suggest(other, known.iter().copied()));
                return None;
            }
            "page" => {
                let first = section.count("first", 0, report).map_or(1, |count| count.value);
                Style::Page { parameter: parameter(section, "page", report), first }
            }
            "offset" => Style::Offset { parameter: parameter(section, "offset", report) },
            "cursor" => {
                let header = section.text("header", report).map(|item| item.value.as_str().to_lowercase());
                let next = match header {
                    Some(header) => Some(Next::Header(header)),
                    None => Query::required(section, "next", report).map(Next::Body),
                };
                let first = section.value("first").and_then(|item| match item.value {
                    Value::Text(text) => Some(text),
                    Value::Integer(number) => Some(number.to_string()),
                    _ => {
                        let message = "the first cursor is a text or a number";
                        report.add(Diagnostic::error(Code::BadValue, item.span, message));
                        None
                    }
                });
                Style::Cursor { parameter: parameter(section, "cursor", report), first, next: next? }
            }
            "link" => Style::Link,
            _ => Style::Address(Query::required(section, "next", report)?),
        };
        let total = Query::from_key(section, "total", report);
        let size = match section.section("size", report) {
            None => None,
            Some(mut size) => {
                let read = PageSize::from_section(&mut size, report);
                size.finish(report);
                Some(read?)
            }
        };
        let by_number = matches!(kind, Style::Page { .. } | Style::Offset { .. });
        let pages = Query::from_key(section, "pages", report);
        let more = Query::from_key(section, "more", report);
        let ends = if by_number { ends(section, size.is_some(), total.is_some(), report) } else { USUAL_ENDS };
        let recognises = section.boolean("recognise", report).unwrap_or(true);
        Some(Paging { style: kind, size, total, pages, more, ends, recognises })
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

/// What `ends` lists; the usual ends where it is not there.
fn ends(section: &mut Section<'_>, has_size: bool, has_total: bool, report: &mut Report) -> Ends {
    let items = section.text_or_texts("ends", report);
    if items.is_empty() {
        return USUAL_ENDS;
    }
    let mut ends = Ends { not_found: false, repeated: false, short: false, total: false };
    for item in items {
        let lacks = match item.value.as_str() {
            "empty" => None,
            "not-found" => {
                ends.not_found = true;
                None
            }
            "repeated" => {
                ends.repeated = true;
                None
            }
            "short" => {
                ends.short = true;
                (!has_size).then_some("a short page can only be told where `size` says how many items are asked for")
            }
            "total" => {
                ends.total = true;
                (!has_total).then_some("`total` must say where the answer has it")
            }
            other => {
                let message = format!("`{other}` is not an end of a listing");
                let finding = Diagnostic::error(Code::BadValue, item.span.clone(), message);
                report.add(finding.suggest(other, ["empty", "short", "total", "not-found", "repeated"]));
                None
            }
        };
        if let Some(message) = lacks {
            report.add(Diagnostic::error(Code::MissingKey, item.span, message));
        }
    }
    ends
}

impl PageSize {
    fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<PageSize> {
        let parameter = section.required_text("parameter", report);
        let items = section.count("items", 1, report);
        if items.is_none() && !section.has("items") {
            section.missing("items", report);
        }
        Some(PageSize { parameter: parameter?.value.as_str().to_owned(), items: items?.value })
    }
}
