//! Where a listing goes on, and what its answers say of it.

use diaporos_core::intake::PageCounts;
use serde_json::Value as Json;
use url::Url;

use super::asking::Asking;
use super::link::next_link;
use super::usual::Usual;
use crate::http::Answer;
use crate::profile::{Next, PageSize, Paging, Style};
use crate::query::{scalar_text, whole_number};
use crate::{ErrorKind, SystemError};

/// A page that was answered: where it was asked for, what came, and how many items are on it.
#[derive(Clone, Copy)]
pub(super) struct Answered<'a> {
    pub(super) cursor: Option<&'a str>,
    pub(super) url: &'a Url,
    pub(super) answer: &'a Answer,
    pub(super) json: &'a Json,
    pub(super) items: usize,
    /// Whether only what changed was asked for: a total may then be of everything all the same.
    pub(super) is_increment: bool,
}

/// Where a listing goes on after a page, and what the page says of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Turn {
    /// What leads to the page after this one; none at the end.
    pub(super) next: Option<String>,
    pub(super) counts: PageCounts,
    /// What speaks against this being the end.
    pub(super) doubt: Option<String>,
}

impl Paging {
    /// What a page is asked for with: what the listing is, and what the page needs, or the address that the page
    /// before gave. What stands in the listing's address already is replaced.
    pub(super) fn ask<'a>(&self, mut asking: Asking<'a>, cursor: Option<&str>) -> Asking<'a> {
        if let (Style::Link | Style::Address(_), Some(next)) = (&self.style, cursor) {
            asking.url = asking.url.join(next).unwrap_or(asking.url);
            return asking;
        }
        // In a body a number is one.
        let number = |text: &str| text.parse::<u64>().map_or_else(|_| Json::from(text), Json::from);
        let place = match &self.style {
            Style::Page { parameter, first } => Some((parameter, cursor.map_or_else(|| (*first).into(), number))),
            Style::Offset { parameter } => Some((parameter, number(cursor.unwrap_or("0")))),
            Style::Cursor { parameter, first, .. } => {
                cursor.or(first.as_deref()).map(|cursor| (parameter, Json::from(cursor)))
            }
            Style::None | Style::Link | Style::Address(_) | Style::Connection { .. } => None,
        };
        if let Some(PageSize { parameter, items }) = &self.size {
            asking.set(parameter, (*items).into());
        }
        if let Some((parameter, value)) = place {
            asking.set(parameter, value);
        }
        asking
    }

    /// Whether an error at a page past the first says that there is no such page.
    pub(super) fn ends_with(&self, cursor: Option<&str>, error: &SystemError) -> bool {
        let not_found = matches!(error.kind, ErrorKind::NotFound | ErrorKind::Status { status: 400 | 416 | 422, .. });
        self.goes_by_number() && cursor.is_some() && self.ends.not_found && not_found
    }

    /// Where a listing goes on after a page, and what the page says of it.
    pub(super) fn turn(&self, page: Answered<'_>) -> Turn {
        let items = page.items as u64;
        let usual = if self.recognises { Usual::read(page.answer, page.json, items) } else { Usual::default() };
        let declared_total = self.total(page.json);
        let guessed = usual.total.as_ref().map(|(total, _)| *total).filter(|_| !page.is_increment);
        let declared_pages = self.pages.as_ref().and_then(|at| whole_number(at.first(page.json)?));
        let pages = declared_pages.or(usual.pages);
        let counts = PageCounts {
            items,
            total: declared_total.or(guessed),
            pages: pages.filter(|_| self.has_pages() && !page.is_increment),
        };
        let declared_more = self.more.as_ref().and_then(|at| at.first(page.json)?.as_bool());
        let more = match (&self.more, declared_more) {
            (Some(at), Some(more)) => Some((more, format!("`{}`", at.as_str()))),
            _ => usual.more,
        };
        let next = self.next(page).filter(|_| !self.is_last(page, items, pages, more.as_ref()));
        let doubt = match (&next, more) {
            (None, Some((true, at))) => Some(format!(
                "an answer says at {at} that there is more, and the profile's `paging` finds nothing that leads there"
            )),
            _ => None,
        };
        Turn { next, counts, doubt }
    }

    /// Whether the page itself tells that it is the last of a listing that goes by numbers, or of any
    /// where the profile says where that is told.
    fn is_last(&self, page: Answered<'_>, items: u64, pages: Option<u64>, more: Option<&(bool, String)>) -> bool {
        let by_number = self.goes_by_number();
        if (by_number || self.more.is_some()) && more.is_some_and(|(more, _)| !more) {
            return true;
        }
        if let (Style::Page { first, .. }, Some(pages)) = (&self.style, pages) {
            let number = page.cursor.and_then(|text| text.parse().ok()).unwrap_or(*first);
            if number + 1 >= pages + first {
                return true;
            }
        }
        by_number && self.ends.short && self.size.as_ref().is_some_and(|size| items < size.items)
    }

    fn next(&self, page: Answered<'_>) -> Option<String> {
        let Answered { cursor, url, answer, json, items, .. } = page;
        let number = |usual: u64| cursor.and_then(|text| text.parse().ok()).unwrap_or(usual);
        match &self.style {
            Style::None | Style::Connection { .. } => None,
            // A page may be shorter than asked without being the last, so only an empty one ends it.
            Style::Page { .. } | Style::Offset { .. } if items == 0 => None,
            Style::Page { first, .. } => Some((number(*first) + 1).to_string()),
            Style::Offset { .. } => Some((number(0) + items as u64).to_string()),
            Style::Cursor { next: Next::Body(next), .. } => text_at(next.first(json)),
            Style::Cursor { next: Next::Header(name), .. } => {
                answer.header(name).filter(|text| !text.is_empty()).map(str::to_owned)
            }
            Style::Link => answer.header("link").and_then(next_link).and_then(|next| absolute(url, &next)),
            Style::Address(next) => text_at(next.first(json)).and_then(|next| absolute(url, &next)),
        }
    }

    /// How many items the answer says there are in all.
    pub(crate) fn total(&self, json: &Json) -> Option<u64> {
        whole_number(self.total.as_ref()?.first(json)?)
    }
}

fn text_at(found: Option<&Json>) -> Option<String> {
    found.and_then(scalar_text).filter(|text| !text.is_empty())
}

fn absolute(page: &Url, next: &str) -> Option<String> {
    page.join(next).ok().map(Into::into)
}
