//! Places in a document that can be read and written alike: members within members, by name.

use serde_json::{Map, Value as Json};

use crate::query::Query;

/// A step on the way to a place.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Step {
    /// A member, by its name.
    Member(String),
    /// The first item of a list.
    First,
}

/// The steps that lead from a document to a place in it: `$.size.height`, `$['size']['height']`, `$.parts[0].text`.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct MemberPath(Vec<Step>);

impl MemberPath {
    /// The path that a text is, where it is one that begins at the document.
    pub(crate) fn read(text: &str) -> Option<MemberPath> {
        Some(text).filter(|text| text.starts_with("$.") || text.starts_with("$[")).and_then(MemberPath::of_text)
    }

    /// The path that a query is, where it is made of names and first items alone (RFC 9535 §2.3.1, §2.3.3).
    pub(crate) fn of(query: &Query) -> Option<MemberPath> {
        MemberPath::of_text(query.as_str())
    }

    fn of_text(text: &str) -> Option<MemberPath> {
        let mut rest = text.trim().strip_prefix('$')?;
        let mut steps = Vec::new();
        while !rest.is_empty() {
            if let Some(after) = rest.strip_prefix('.') {
                let end = after.find(['.', '[']).unwrap_or(after.len());
                let name = &after[..end];
                if name.is_empty() || name == "*" {
                    return None;
                }
                steps.push(Step::Member(name.to_owned()));
                rest = &after[end..];
            } else if let Some(after) = rest.strip_prefix("[0]").filter(|_| !steps.is_empty()) {
                steps.push(Step::First);
                rest = after;
            } else {
                let after = rest.strip_prefix('[')?;
                let quote = after.chars().next().filter(|c| matches!(c, '\'' | '"'))?;
                let (name, after) = after[1..].split_once(quote)?;
                if name.contains('\\') {
                    return None;
                }
                steps.push(Step::Member(name.to_owned()));
                rest = after.strip_prefix(']')?;
            }
        }
        Some(MemberPath(steps))
    }

    /// Whether it leads deeper than to a member of the document itself.
    pub(crate) fn is_nested(&self) -> bool {
        self.0.len() > 1
    }

    /// The name of the document's own member that it leads through.
    pub(crate) fn first(&self) -> Option<&str> {
        match self.0.first() {
            Some(Step::Member(name)) => Some(name),
            _ => None,
        }
    }

    /// The name of the member that it leads to.
    pub(crate) fn last(&self) -> Option<&str> {
        match self.0.last() {
            Some(Step::Member(name)) => Some(name),
            _ => None,
        }
    }

    /// The place of a member below this one.
    pub(crate) fn join(&self, name: &str) -> MemberPath {
        MemberPath(self.0.iter().cloned().chain([Step::Member(name.to_owned())]).collect())
    }

    /// What stands there.
    pub(crate) fn get<'a>(&self, json: &'a Json) -> Option<&'a Json> {
        self.0.iter().try_fold(json, |at, step| match step {
            Step::Member(name) => at.get(name),
            Step::First => at.get(0),
        })
    }

    /// Puts a value there; what is on the way is made where it is missing.
    pub(crate) fn put(&self, document: &mut Map<String, Json>, value: Json) {
        let Some((Step::Member(first), way)) = self.0.split_first() else { return };
        let mut at = document.entry(first.clone()).or_insert(Json::Null);
        for step in way {
            at = match step {
                Step::Member(name) => {
                    if !at.is_object() {
                        *at = Json::Object(Map::new());
                    }
                    let Json::Object(inner) = at else { return };
                    inner.entry(name.clone()).or_insert(Json::Null)
                }
                Step::First => {
                    if at.as_array().is_none_or(Vec::is_empty) {
                        *at = Json::Array(vec![Json::Null]);
                    }
                    let Some(first) = at.get_mut(0) else { return };
                    first
                }
            };
        }
        *at = value;
    }

    /// The document that holds another at this place alone.
    pub(crate) fn wrap(&self, document: Map<String, Json>) -> Map<String, Json> {
        if self.0.is_empty() {
            return document;
        }
        let mut around = Map::new();
        self.put(&mut around, Json::Object(document));
        around
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_can_be_written_is_a_way_of_names() {
        for (text, expected) in [
            ("$", Some(vec![])),
            ("$.size.height", Some(vec!["size", "height"])),
            ("$['size'][\"in cm\"].x", Some(vec!["size", "in cm", "x"])),
            ("$.sizes[1]", None),
            ("$[0]", None),
            ("$.sizes[*].x", None),
            ("$..height", None),
            ("$.*", None),
            ("$[?@.a]", None),
        ] {
            let path = MemberPath::of(&Query::parse(text));
            let names =
                |names: Vec<&str>| MemberPath(names.into_iter().map(|name| Step::Member(name.to_owned())).collect());
            assert_eq!(path, expected.map(names));
        }
    }

    #[test]
    fn what_is_put_is_found_and_the_rest_stays() {
        let path = MemberPath::of(&Query::parse("$.a.b.c")).unwrap();
        let mut document = json!({ "a": { "x": 1, "b": 7 }, "y": 2 }).as_object().unwrap().clone();
        path.put(&mut document, json!("here"));
        let document = Json::Object(document);
        assert_eq!(document, json!({ "a": { "x": 1, "b": { "c": "here" } }, "y": 2 }));
        assert_eq!(path.get(&document), Some(&json!("here")));
        let first = MemberPath::of(&Query::parse("$.parts[0].text")).unwrap();
        let mut document =
            json!({ "parts": [{ "text": "a", "kind": 1 }, { "text": "b" }] }).as_object().unwrap().clone();
        first.put(&mut document, json!("here"));
        let document = Json::Object(document);
        assert_eq!(document, json!({ "parts": [{ "text": "here", "kind": 1 }, { "text": "b" }] }));
        assert_eq!(first.get(&document), Some(&json!("here")));
        let mut document = Map::new();
        first.put(&mut document, json!(1));
        assert_eq!(Json::Object(document), json!({ "parts": [{ "text": 1 }] }));
        let wrapped = path.wrap(Map::from_iter([("k".to_owned(), json!(1))]));
        assert_eq!(Json::Object(wrapped), json!({ "a": { "b": { "c": { "k": 1 } } } }));
    }
}
