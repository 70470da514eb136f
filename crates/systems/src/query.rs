//! JSONPath queries (RFC 9535).

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{Form, InnerText, Item, Section, TextForm};
use serde_json::Value as Json;
use serde_json_path::JsonPath;

/// A setting that is a JSONPath.
pub(crate) const JSON_PATH: Form = Form::Text(&TextForm { name: "a JSONPath (RFC 9535)", pattern: Some("^\\$") });

/// A JSONPath with the text it was read from.
#[derive(Debug, Clone)]
pub(crate) struct Query {
    text: String,
    path: JsonPath,
    /// Whether what it finds are elements of XML, of which a list that is empty is not there at all.
    elements: bool,
}

impl Query {
    /// Reads the query under a key.
    pub(crate) fn from_key(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<Query> {
        section.text(key, report).and_then(|item| Query::from_item(&item, report))
    }

    pub(crate) fn from_item(item: &Item<InnerText>, report: &mut Report) -> Option<Query> {
        let text = item.value.as_str();
        if text.len() > LONGEST || nesting(text) > DEEPEST {
            let message = format!("this JSONPath is longer than {LONGEST} characters or nests deeper than {DEEPEST}");
            report.add(Diagnostic::error(Code::BadValue, item.span.clone(), message));
            return None;
        }
        match JsonPath::parse(text) {
            Ok(path) => Some(Query { text: text.to_owned(), path, elements: false }),
            Err(error) => {
                let at = error.position();
                let span = item.value.in_file(at..text.len().max(at + 1));
                let finding = Diagnostic::error(Code::BadValue, span, format!("`{text}` is not a JSONPath"));
                report
                    .add(finding.label(error.message()).help("for example `$.entries[*]` or `$.about.id` (RFC 9535)"));
                None
            }
        }
    }

    /// The whole document.
    pub(crate) fn whole() -> Option<Query> {
        Query::constant("$")
    }

    /// Where an entry within an item stands, where there are such.
    pub(crate) fn inner(each: Option<&Query>) -> Option<Query> {
        each.and_then(|_| Query::constant("$.inner"))
    }

    pub(crate) fn constant(text: &str) -> Option<Query> {
        JsonPath::parse(text).ok().map(|path| Query { text: text.to_owned(), path, elements: false })
    }

    /// The places of everything it finds, as JSON Pointers (RFC 6901).
    pub(crate) fn pointers(&self, json: &Json) -> Vec<String> {
        self.path.query_located(json).locations().map(|place| place.to_json_pointer()).collect()
    }

    /// A query that is known to be one.
    #[cfg(test)]
    pub(crate) fn parse(text: &str) -> Query {
        Query { text: text.to_owned(), path: JsonPath::parse(text).unwrap(), elements: false }
    }

    /// Insists that there is a list where it looks for items: an answer without one is not an empty
    /// listing.
    pub(crate) fn is_a_listing(&self, answer: &Json) -> Result<(), String> {
        let Some((array, _)) = self.text.split_once("[*]") else { return Ok(()) };
        let finds = |path: &str, is: fn(&Json) -> bool| {
            JsonPath::parse(path).is_ok_and(|path| path.query(answer).all().into_iter().any(is))
        };
        let around = array.rsplit_once('.').map(|(around, _)| around).filter(|_| self.elements);
        let is_empty = around.is_some_and(|around| around != "$" && finds(around, Json::is_object));
        if is_empty || finds(array, Json::is_array) {
            Ok(())
        } else {
            Err(format!("the answer is JSON, and there is no list of items at `{array}`"))
        }
    }

    /// Takes what it finds for elements of XML.
    pub(crate) fn find_elements(&mut self) {
        self.elements = true;
    }

    /// Everything it finds.
    pub(crate) fn all<'a>(&self, json: &'a Json) -> Vec<&'a Json> {
        self.path.query(json).all()
    }

    /// The first thing it finds that is not null.
    pub(crate) fn first<'a>(&self, json: &'a Json) -> Option<&'a Json> {
        self.path.query(json).into_iter().find(|found| !found.is_null())
    }

    /// The query as written.
    pub(crate) fn as_str(&self) -> &str {
        &self.text
    }
}

/// Nobody writes longer or deeper ones; a reader of them takes time for both.
const LONGEST: usize = 1_000;
const DEEPEST: usize = 6;

/// How deep brackets stand within brackets.
fn nesting(text: &str) -> usize {
    let (mut depth, mut deepest) = (0_usize, 0);
    for c in text.chars() {
        match c {
            '[' | '(' => depth += 1,
            ']' | ')' => depth = depth.saturating_sub(1),
            _ => {}
        }
        deepest = deepest.max(depth);
    }
    deepest
}

/// A whole number, which may stand in a text.
pub(crate) fn whole_number(json: &Json) -> Option<u64> {
    json.as_u64().or_else(|| json.as_str()?.trim().parse().ok())
}

/// A text or a number as text.
pub(crate) fn scalar_text(json: &Json) -> Option<String> {
    match json {
        Json::String(text) => Some(text.clone()),
        Json::Number(number) => Some(number.to_string()),
        _ => None,
    }
}
