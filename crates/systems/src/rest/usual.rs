//! What answers usually say of their listing, where a profile does not say where it stands: totals,
//! numbers of pages, whether there is more, and what leads on.
//!
//! It never leads anywhere by itself. It speaks against a listing that ends too early, and tells the
//! end of one that goes by numbers.

use serde_json::Value as Json;

use super::link::next_link;
use crate::http::Answer;
use crate::query::scalar_text;

/// What an answer says of its listing.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Usual {
    /// How many items there are in all, and where that is said.
    pub(super) total: Option<(u64, String)>,
    /// How many pages there are.
    pub(super) pages: Option<u64>,
    /// Whether there is more, and where that is said.
    pub(super) more: Option<(bool, String)>,
}

/// Where these stand in an answer beside its top.
const PLACES: [&str; 9] =
    ["", "/meta", "/pagination", "/paging", "/meta/pagination", "/page", "/pageInfo", "/page_info", "/info"];
const TOTALS: [&str; 14] = [
    "total",
    "total_count",
    "totalCount",
    "total_items",
    "totalItems",
    "total_results",
    "totalResults",
    "total_entries",
    "totalEntries",
    "total_records",
    "totalRecords",
    "totalElements",
    "count",
    "hits_total",
];
const PAGES: [&str; 8] =
    ["total_pages", "totalPages", "page_count", "pageCount", "pages", "last_page", "lastPage", "num_pages"];
const MORE: [&str; 6] = ["has_more", "hasMore", "has_next", "hasNext", "hasNextPage", "has_next_page"];
const NEXT: [&str; 8] =
    ["next", "next_page", "nextPage", "next_cursor", "nextCursor", "next_page_token", "nextPageToken", "next_url"];

impl Usual {
    /// Reads what an answer with so many items says.
    pub(super) fn read(answer: &Answer, json: &Json, items: u64) -> Usual {
        let tables: Vec<(&str, &serde_json::Map<String, Json>)> =
            PLACES.iter().filter_map(|place| Some((*place, json.pointer(place)?.as_object()?))).collect();
        let number = |names: &[&str]| {
            let named = names.iter().flat_map(|name| tables.iter().map(move |(place, table)| (place, table, name)));
            named.filter_map(|(place, table, name)| Some((table.get(*name)?.as_u64()?, told(place, name)))).next()
        };
        let header = |name: &str| Some((answer.header(name)?.trim().parse().ok()?, format!("the header `{name}`")));
        let total = header("x-total-count").or_else(|| header("x-total")).or_else(|| in_range(answer));
        // A `count` may be of the page alone, and then says nothing of the whole.
        let total = total.or_else(|| number(&TOTALS)).filter(|(total, _)| *total >= items);
        let pages = header("x-total-pages").or_else(|| number(&PAGES)).map(|(pages, _)| pages);
        Usual { total, pages, more: more(&tables).or_else(|| leads_on(answer, json, &tables)) }
    }
}

fn told(place: &str, name: &str) -> String {
    format!("`${}.{name}`", place.replace('/', "."))
}

/// `items 0-24/319` (RFC 9110 §14.4, with a unit of the system's own).
fn in_range(answer: &Answer) -> Option<(u64, String)> {
    let total = answer.header("content-range")?.rsplit_once('/')?.1.trim().parse().ok()?;
    Some((total, "the header `content-range`".to_owned()))
}

fn more(tables: &[(&str, &serde_json::Map<String, Json>)]) -> Option<(bool, String)> {
    let named = MORE.iter().flat_map(|name| tables.iter().map(move |(place, table)| (place, table, name)));
    named.filter_map(|(place, table, name)| Some((table.get(*name)?.as_bool()?, told(place, name)))).next()
}

/// Whether a link or a cursor leads on; that one is there and null says that there is no more.
fn leads_on(answer: &Answer, json: &Json, tables: &[(&str, &serde_json::Map<String, Json>)]) -> Option<(bool, String)> {
    if answer.header("link").and_then(next_link).is_some() {
        return Some((true, "the header `link`".to_owned()));
    }
    let links = ["/links", "/_links", "/meta/links"];
    let links = links.iter().filter_map(|place| Some((*place, json.pointer(place)?.as_object()?)));
    let all: Vec<_> = tables.iter().copied().chain(links).collect();
    let found = NEXT.iter().flat_map(|name| all.iter().map(move |(place, table)| (place, table, name)));
    let found = found.filter_map(|(place, table, name)| {
        let leads = match table.get(*name)? {
            Json::Null | Json::Bool(false) => false,
            Json::Object(link) => link.get("href").is_some_and(|href| !href.is_null()),
            other => scalar_text(other)?.trim() != "",
        };
        Some((leads, told(place, name)))
    });
    found.max_by_key(|(leads, _)| *leads)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn drawn(headers: &[(&str, &str)], json: &Json, items: u64) -> String {
        let headers = headers.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
        let usual = Usual::read(&Answer::new(200, headers, Vec::new()), json, items);
        let total = usual.total.map_or("-".to_owned(), |(total, at)| format!("{total} at {at}"));
        let pages = usual.pages.map_or("-".to_owned(), |pages| pages.to_string());
        let more = usual.more.map_or("-".to_owned(), |(more, at)| format!("{more} at {at}"));
        format!("{total}, {pages}, {more}")
    }

    #[test]
    fn what_answers_usually_say() {
        let items = json!([1, 2]);
        for (headers, json, expected) in [
            (vec![], json!({ "total": 36, "items": items }), "36 at `$.total`, -, -"),
            (vec![], json!({ "meta": { "pagination": { "total_pages": 4 } } }), "-, 4, -"),
            (vec![], json!({ "page": { "totalElements": 9, "totalPages": 5 } }), "9 at `$.page.totalElements`, 5, -"),
            (vec![], json!({ "count": 1 }), "-, -, -"),
            (vec![], json!({ "count": 5, "next": null }), "5 at `$.count`, -, false at `$.next`"),
            (vec![], json!({ "has_more": true }), "-, -, true at `$.has_more`"),
            (vec![], json!({ "links": { "next": "/x?page=2" } }), "-, -, true at `$.links.next`"),
            (vec![], json!({ "_links": { "next": { "href": "/x" } } }), "-, -, true at `$._links.next`"),
            (vec![], json!({ "next": "" }), "-, -, false at `$.next`"),
            (vec![("link", "</x>; rel=\"next\"")], json!([]), "-, -, true at the header `link`"),
            (vec![("x-total-count", "40")], json!([]), "40 at the header `x-total-count`, -, -"),
            (vec![("content-range", "items 0-1/40")], json!([]), "40 at the header `content-range`, -, -"),
            (vec![], json!([{ "total": 7, "next": "fern" }]), "-, -, -"),
        ] {
            assert_eq!(drawn(&headers, &json, 2), expected, "{json}");
        }
    }
}
