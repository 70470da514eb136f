//! Places in a document that can be read and written alike: members within members, by name.

use serde_json::{Map, Value as Json};

use crate::query::Query;

/// The names that lead from a document to a place in it: `$.size.height`, `$['size']['height']`.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct MemberPath(Vec<String>);

impl MemberPath {
    /// The path that a text is, where it is one that begins at the document.
    pub(crate) fn read(text: &str) -> Option<MemberPath> {
        Some(text).filter(|text| text.starts_with("$.") || text.starts_with("$[")).and_then(MemberPath::of_text)
    }

    /// The path that a query is, where it is made of names alone (RFC 9535 §2.3.1).
    pub(crate) fn of(query: &Query) -> Option<MemberPath> {
        MemberPath::of_text(query.as_str())
    }

    fn of_text(text: &str) -> Option<MemberPath> {
        let mut rest = text.trim().strip_prefix('$')?;
        let mut names = Vec::new();
        while !rest.is_empty() {
            if let Some(after) = rest.strip_prefix('.') {
                let end = after.find(['.', '[']).unwrap_or(after.len());
                let name = &after[..end];
                if name.is_empty() || name == "*" {
                    return None;
                }
                names.push(name.to_owned());
                rest = &after[end..];
            } else {
                let after = rest.strip_prefix('[')?;
                let quote = after.chars().next().filter(|c| matches!(c, '\'' | '"'))?;
                let (name, after) = after[1..].split_once(quote)?;
                if name.contains('\\') {
                    return None;
                }
                names.push(name.to_owned());
                rest = after.strip_prefix(']')?;
            }
        }
        Some(MemberPath(names))
    }

    /// Whether it leads deeper than to a member of the document itself.
    pub(crate) fn is_nested(&self) -> bool {
        self.0.len() > 1
    }

    /// The name of the document's own member that it leads through.
    pub(crate) fn first(&self) -> Option<&str> {
        self.0.first().map(String::as_str)
    }

    /// The place of a member below this one.
    pub(crate) fn join(&self, name: &str) -> MemberPath {
        MemberPath(self.0.iter().cloned().chain([name.to_owned()]).collect())
    }

    /// What stands there.
    pub(crate) fn get<'a>(&self, json: &'a Json) -> Option<&'a Json> {
        self.0.iter().try_fold(json, |at, name| at.get(name))
    }

    /// Puts a value there; what is on the way is made where it is missing.
    pub(crate) fn put(&self, document: &mut Map<String, Json>, value: Json) {
        let Some((last, way)) = self.0.split_last() else { return };
        let mut at = document;
        for name in way {
            let next = at.entry(name.clone()).or_insert_with(|| Json::Object(Map::new()));
            if !next.is_object() {
                *next = Json::Object(Map::new());
            }
            let Json::Object(inner) = next else { return };
            at = inner;
        }
        at.insert(last.clone(), value);
    }

    /// The document that holds another at this place alone.
    pub(crate) fn wrap(&self, document: Map<String, Json>) -> Map<String, Json> {
        self.0.iter().rev().fold(document, |inner, name| Map::from_iter([(name.clone(), Json::Object(inner))]))
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
            ("$.sizes[0]", None),
            ("$.sizes[*].x", None),
            ("$..height", None),
            ("$.*", None),
            ("$[?@.a]", None),
        ] {
            let path = MemberPath::of(&Query::parse(text));
            assert_eq!(path.map(|path| path.0), expected.map(|names| names.into_iter().map(str::to_owned).collect()));
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
        let wrapped = path.wrap(Map::from_iter([("k".to_owned(), json!(1))]));
        assert_eq!(Json::Object(wrapped), json!({ "a": { "b": { "c": { "k": 1 } } } }));
    }
}
