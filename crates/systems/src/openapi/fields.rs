//! Schemas of a document, and the fields they tell of.

use serde_json::Value as Json;

use super::{key, quoted};

/// References within references, at most.
const DEEPEST: usize = 16;

/// The most parts that one schema is made of.
const MOST_PARTS: usize = 1_000;

/// A schema with its references followed.
#[derive(Debug, Clone, Copy)]
pub(super) struct Schema<'a>(pub(super) &'a Json);

/// Follows a reference within the document; one that leads elsewhere, or in a circle, is left.
pub(super) fn resolve<'a>(document: &'a Json, mut json: &'a Json) -> &'a Json {
    for _ in 0..DEEPEST {
        let Some(target) = json.get("$ref").and_then(Json::as_str) else { return json };
        let Some(found) = target.strip_prefix('#').and_then(|pointer| document.pointer(pointer)) else { return json };
        json = found;
    }
    json
}

impl<'a> Schema<'a> {
    /// The schema of what a call answers when all is well.
    pub(super) fn of_answer(document: &'a Json, call: &'a Json) -> Option<Schema<'a>> {
        let answers = call.get("responses")?;
        let answer = ["200", "2XX", "default"].iter().find_map(|status| answers.get(*status))?;
        let content = resolve(document, answer).get("content")?.as_object()?;
        let json = content.iter().find(|(media_type, _)| media_type.contains("json"))?.1;
        Some(Schema(resolve(document, json.get("schema")?)))
    }

    fn types(self) -> Vec<&'a str> {
        match self.0.get("type") {
            Some(Json::String(one)) => vec![one.as_str()],
            Some(Json::Array(several)) => {
                several.iter().filter_map(Json::as_str).filter(|kind| *kind != "null").collect()
            }
            _ => Vec::new(),
        }
    }

    /// The schema of a list's items.
    pub(super) fn items(self, document: &'a Json) -> Option<Schema<'a>> {
        self.0.get("items").map(|items| Schema(resolve(document, items)))
    }

    /// Whether it is an object with named properties.
    pub(super) fn is_object(self, document: &'a Json) -> bool {
        !self.properties(document).is_empty()
    }

    /// The properties, also of what it is made of with `allOf`.
    pub(super) fn properties(self, document: &'a Json) -> Vec<(&'a str, Schema<'a>)> {
        let mut found = Vec::new();
        self.gather(document, (0, &mut 0), &mut found);
        found
    }

    fn gather(self, document: &'a Json, (depth, seen): (usize, &mut usize), found: &mut Vec<(&'a str, Schema<'a>)>) {
        *seen += 1;
        // What refers to itself twice would be gone through twice as often at each depth.
        if depth > DEEPEST || *seen > MOST_PARTS {
            return;
        }
        for part in self.0.get("allOf").and_then(Json::as_array).into_iter().flatten() {
            Schema(resolve(document, part)).gather(document, (depth + 1, &mut *seen), found);
        }
        for (name, property) in self.0.get("properties").and_then(Json::as_object).into_iter().flatten() {
            if !found.iter().any(|(known, _)| known == name) {
                found.push((name.as_str(), Schema(resolve(document, property))));
            }
        }
    }

    fn requires(self, document: &'a Json, name: &str) -> bool {
        let own = |json: &Json| {
            json.get("required").and_then(Json::as_array).is_some_and(|names| names.iter().any(|known| known == name))
        };
        let parts = self.0.get("allOf").and_then(Json::as_array).into_iter().flatten();
        own(self.0) || parts.into_iter().any(|part| own(resolve(document, part)))
    }

    /// The words that a text may be.
    pub(super) fn words(self, _: &'a Json) -> Vec<&'a str> {
        self.0.get("enum").and_then(Json::as_array).into_iter().flatten().filter_map(Json::as_str).collect()
    }

    fn kind(self, document: &'a Json) -> (&'static str, bool) {
        self.kind_within(document, 0)
    }

    fn kind_within(self, document: &'a Json, depth: usize) -> (&'static str, bool) {
        if let Some(items) = self.items(document).filter(|_| depth < DEEPEST) {
            return (items.kind_within(document, depth + 1).0, true);
        }
        let format = self.0.get("format").and_then(Json::as_str).unwrap_or_default();
        let kind = match (self.types().as_slice(), format) {
            (["string"], "date") => "date",
            (["string"], "date-time") => "instant",
            (["string"], "uri" | "url") => "url",
            (["string"], "html") => "html",
            (["string"], _) => "text",
            (["integer"], _) => "integer",
            (["number"], _) => "number",
            (["boolean"], _) => "boolean",
            (["object"], _) => "record",
            _ if self.is_object(document) => "record",
            _ => "anything",
        };
        (kind, false)
    }
}

/// A line per field of a schema.
pub(super) fn field_lines(document: &Json, schema: &Schema<'_>) -> String {
    let line = |(name, property): (&str, Schema<'_>)| {
        let (kind, many) = property.kind(document);
        let mut more = Vec::new();
        if many {
            more.push("many = true".to_owned());
        }
        if schema.requires(document, name) {
            more.push("required = true".to_owned());
        }
        if let Some(most) = property.0.get("maxLength").and_then(Json::as_u64).filter(|most| *most > 0) {
            more.push(format!("max_length = {most}"));
        }
        match more.as_slice() {
            [] => format!("{} = {}\n", key(name), quoted(kind)),
            more => format!("{} = {{ kind = {}, {} }}\n", key(name), quoted(kind), more.join(", ")),
        }
    };
    schema.properties(document).into_iter().map(line).collect()
}
