//! A first profile from an OpenAPI 3 document: what it tells of lists, documents and fields, to be
//! gone over by a person.

mod asides;
mod fields;
mod write;

use indexmap::IndexMap;
use serde_json::Value as Json;

use fields::{Schema, field_lines};

/// The most bytes of a document.
pub const MOST_BYTES: u64 = 16 * 1024 * 1024;

/// Why a document gives no profile.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum OpenApiError {
    /// Neither JSON nor YAML.
    #[error("the document is neither JSON nor YAML: {0}")]
    Syntax(String),
    /// Another kind of document, or version.
    #[error("this is no OpenAPI 3 document: {0}")]
    Version(String),
    /// Nothing in it lists anything.
    #[error("no GET call of the document answers with a list of objects")]
    NoLists,
}

/// A profile with what it leaves to a person.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Draft {
    /// The profile, as a file.
    pub profile: String,
    /// The types in it.
    pub types: Vec<String>,
    /// Where the document says the system is.
    pub url: Option<String>,
}

/// A list that the document tells of.
struct Listed<'a> {
    path: &'a str,
    call: &'a Json,
    items: String,
    schema: Schema<'a>,
}

/// Makes a profile of a document.
///
/// # Errors
/// Where it cannot be read, or tells of no list.
pub fn draft(text: &str) -> Result<Draft, OpenApiError> {
    let document: Json = match serde_json::from_str(text) {
        Ok(json) => json,
        Err(_) => serde_saphyr::from_str(text)
            .map_err(|error| OpenApiError::Syntax(error.to_string().lines().next().unwrap_or_default().to_owned()))?,
    };
    let version = document.get("openapi").and_then(Json::as_str);
    match version {
        Some(version) if version.starts_with("3.") => {}
        Some(other) => return Err(OpenApiError::Version(format!("its version is {other}"))),
        None => return Err(OpenApiError::Version("it has no `openapi` property".to_owned())),
    }
    let no_paths = serde_json::Map::new();
    let paths = document.get("paths").and_then(Json::as_object).unwrap_or(&no_paths);
    let mut types: IndexMap<String, String> = IndexMap::new();
    for (path, calls) in paths {
        let Some(listed) = listed(&document, path, calls) else { continue };
        let name = type_name(path);
        if types.contains_key(&name) {
            continue;
        }
        let mut lines = vec![read_lines(&document, &name, &listed)];
        lines.push(format!("[types.{name}.fields]\n{}", field_lines(&document, &listed.schema)));
        lines.push(write::write_lines(&document, &name, &listed));
        types.insert(name, lines.join("\n"));
    }
    if types.is_empty() {
        return Err(OpenApiError::NoLists);
    }
    let title = document.pointer("/info/title").and_then(Json::as_str).unwrap_or("an OpenAPI document");
    let title: String = title.chars().filter(|c| !c.is_control()).take(100).collect();
    let mut head = format!(
        "# A first profile, drawn from {title}. Go over it: what is marked with `?` is a guess.\n# docs/profiles.md explains each key.\n"
    );
    head.extend(asides::lines(&document).into_iter().map(|line| format!("# {line}\n")));
    let url = document.pointer("/servers/0/url").and_then(Json::as_str).map(str::to_owned);
    let names = types.keys().cloned().collect();
    let body = types.into_values().collect::<Vec<_>>().join("\n");
    Ok(Draft { profile: format!("{head}\n{body}"), types: names, url })
}

/// A path without parameters whose GET answers with a list of objects.
fn listed<'a>(document: &'a Json, path: &'a str, calls: &'a Json) -> Option<Listed<'a>> {
    if path.contains('{') {
        return None;
    }
    let call = calls.get("get")?;
    let schema = Schema::of_answer(document, call)?;
    if let Some(item) = schema.items(document) {
        return item.is_object(document).then(|| Listed { path, call, items: "$[*]".to_owned(), schema: item });
    }
    let (name, schema) = schema.properties(document).into_iter().find_map(|(name, property)| {
        let item = property.items(document)?;
        item.is_object(document).then_some((name, item))
    })?;
    Some(Listed { path, call, items: format!("$.{name}[*]"), schema })
}

impl Listed<'_> {
    /// The property that looks like an id.
    fn id(&self, document: &Json) -> Option<&'static str> {
        let properties = self.schema.properties(document);
        let names = ["id", "uuid", "_id", "key", "slug", "uri"];
        names.into_iter().find(|name| properties.iter().any(|(known, _)| known == name))
    }
}

/// The last word of a path, in the singular where that is plain to see.
pub(crate) fn type_name(path: &str) -> String {
    let word = path.trim_end_matches('/').rsplit('/').next().unwrap_or("entry");
    let word: String = word.chars().map(|c| if c.is_alphanumeric() || c == '-' { c } else { '-' }).collect();
    let singular = match word.strip_suffix("ies") {
        Some(stem) if stem.len() > 1 => format!("{stem}y"),
        _ => word.strip_suffix('s').filter(|stem| stem.len() > 2 && !stem.ends_with('s')).unwrap_or(&word).to_owned(),
    };
    if singular.is_empty() { "entry".to_owned() } else { singular }
}

fn read_lines(document: &Json, name: &str, listed: &Listed<'_>) -> String {
    let properties = listed.schema.properties(document);
    let has =
        |names: &[&'static str]| names.iter().copied().find(|name| properties.iter().any(|(known, _)| known == name));
    let mut lines = vec![
        format!("[types.{name}.read]"),
        format!("list  = {}", quoted(listed.path)),
        format!("items = {}", quoted(&listed.items)),
    ];
    match listed.id(document) {
        Some(id) => lines.push(format!("id    = \"$.{id}\"")),
        None => lines.push("id    = \"$.id\"   # ? the document names no property that looks like an id".to_owned()),
    }
    if let Some(revision) = has(&["revision", "version", "etag", "rev", "updated_at", "updatedAt", "modified"]) {
        lines.push(format!("revision = \"$.{revision}\"   # ?"));
    }
    if let Some(state) = has(&["status", "state"]) {
        lines.push(format!("state  = \"$.{state}\"   # ?"));
        let words = properties.iter().find(|(known, _)| *known == state).map(|(_, schema)| schema.words(document));
        let words = words.unwrap_or_default().into_iter();
        let words: Vec<String> =
            words.filter_map(|word| Some(format!("{} = \"{}\"", key(word), state_of(word)?))).collect();
        lines.push(format!("states = {{ {} }}   # ? a word that is missing here is told by `pull`", words.join(", ")));
    }
    lines.extend(paging(document, listed.call));
    lines.join("\n") + "\n"
}

/// What a system's word for a state is plainly; none where it is ours already, or not plain.
fn state_of(word: &str) -> Option<&'static str> {
    match word.to_lowercase().as_str() {
        "published" | "active" | "public" | "online" => Some("live"),
        "archived" | "unpublished" | "retired" | "inactive" | "offline" => Some("withdrawn"),
        "deleted" | "removed" => Some("gone"),
        "planned" | "queued" => Some("scheduled"),
        _ => None,
    }
}

/// A guess at how the listing goes on, by the names of its query parameters.
fn paging(document: &Json, call: &Json) -> Option<String> {
    let parameters = call.get("parameters").and_then(Json::as_array)?;
    let names: Vec<&str> = parameters
        .iter()
        .map(|parameter| fields::resolve(document, parameter))
        .filter(|parameter| parameter.get("in").and_then(Json::as_str) == Some("query"))
        .filter_map(|parameter| parameter.get("name").and_then(Json::as_str))
        .collect();
    let has = |wanted: &[&'static str]| wanted.iter().copied().find(|name| names.contains(name));
    let size = has(&["limit", "per_page", "perPage", "page_size", "pageSize", "size"])
        .map(|name| format!(", size = {{ parameter = {}, items = 100 }}", quoted(name)))
        .unwrap_or_default();
    if let Some(cursor) = has(&["cursor", "after", "page_token", "pageToken", "continuation"]) {
        return Some(format!(
            "paging = {{ style = \"cursor\", parameter = {}, next = \"$.next\"{size} }}   # ? where is the next cursor?",
            quoted(cursor)
        ));
    }
    if let Some(offset) = has(&["offset", "skip", "start"]) {
        return Some(format!("paging = {{ style = \"offset\", parameter = {}{size} }}", quoted(offset)));
    }
    has(&["page", "page_number", "pageNumber"])
        .map(|page| format!("paging = {{ style = \"page\", parameter = {}{size} }}", quoted(page)))
}

/// A TOML string.
pub(crate) fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}

/// A TOML key, bare where it can be.
pub(crate) fn key(text: &str) -> String {
    let bare = !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_');
    if bare { text.to_owned() } else { quoted(text) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Kind, read_profile, rest};
    use diaporos_core::diagnostic::Source;

    const DOCUMENT: &str = r##"
openapi: 3.1.0
info: { title: Herbarium, version: "1" }
servers: [{ url: "https://herbarium.example/api" }, { url: "https://trial.herbarium.example" }]
paths:
  /v1/plants:
    get:
      parameters:
        - { name: cursor, in: query, schema: { type: string } }
        - { name: limit, in: query, schema: { type: integer } }
      responses:
        "200": { content: { application/json: { schema: { type: object, properties: { entries: { type: array, items: { $ref: "#/components/schemas/Plant" } }, next: { type: string } } } } } }
    post: { responses: { "201": { description: made } } }
  /v1/plants/{plantId}:
    get: { responses: { "200": { content: { application/json: { schema: { $ref: "#/components/schemas/Plant" } } } } } }
    patch: { responses: { "200": { description: done } } }
    delete: { responses: { "204": { description: gone } } }
  /v1/stories:
    get: { responses: { "200": { content: { application/json: { schema: { type: array, items: { type: object, properties: { slug: { type: string } } } } } } } } }
    post: { responses: { "201": { description: made } } }
  /v1/beds/:
    get: { responses: { "200": { content: { application/json: { schema: { type: object, properties: { data: { type: array, items: { $ref: "#/components/schemas/Bed" } } } } } } } } }
    post: { responses: { "201": { description: made } } }
  /v1/beds/{id}/:
    parameters: [{ name: If-Match, in: header, schema: { type: string } }]
    get: { responses: { "200": { content: { application/json: { schema: { type: object, properties: { data: { $ref: "#/components/schemas/Bed" } } } } } } } }
    put: { responses: { "200": { description: done } } }
  /v1/gardens/{garden}/walks:
    get: { responses: { "200": { content: { application/json: { schema: { type: array, items: { $ref: "#/components/schemas/Bed" } } } } } } }
  /v1/health:
    get: { responses: { "200": { content: { application/json: { schema: { type: object, properties: { ok: { type: boolean } } } } } } } }
components:
  securitySchemes:
    token: { type: http, scheme: bearer }
    key: { type: apiKey, in: header, name: X-Key }
  schemas:
    Bed:
      type: object
      properties: { id: { type: string }, attributes: { type: object, properties: { name: { type: string } } } }
    Plant:
      type: object
      required: [id, name]
      properties:
        id: { type: string }
        name: { type: string, maxLength: 80 }
        status: { type: string, enum: [published, draft] }
        updated_at: { type: string, format: date-time }
        opened: { type: string, format: date }
        height: { type: [integer, "null"] }
        tags: { type: array, items: { type: string } }
        parent: { $ref: "#/components/schemas/Plant" }
        page: { type: string, format: uri }
"##;

    #[test]
    fn a_document_becomes_a_profile_that_is_sound() {
        let draft = draft(DOCUMENT).unwrap();
        insta::assert_snapshot!(draft.profile);
        assert_eq!(
            (draft.types, draft.url.as_deref()),
            (["plant", "story", "bed"].map(str::to_owned).to_vec(), Some("https://herbarium.example/api"))
        );
        let (_, report) =
            read_profile(Source { name: "p".into(), text: draft.profile }, rest::Rest.profile_rules().unwrap());
        assert_eq!(report.findings, []);
    }

    #[test]
    fn what_is_no_such_document() {
        for (text, expected) in [
            ("{", "the document is neither JSON nor YAML"),
            ("{\"swagger\": \"2.0\"}", "this is no OpenAPI 3 document: it has no `openapi` property"),
            ("openapi: 2.0.0", "this is no OpenAPI 3 document: its version is 2.0.0"),
            ("openapi: 3.0.0\npaths: {}", "no GET call of the document answers with a list of objects"),
            (
                "openapi: 3.0.0\npaths: { /a: { get: { responses: { '200': { content: { application/json: { schema: { $ref: '#/x' } } } } } } } }\nx: { $ref: '#/x' }",
                "no GET call of the document answers with a list of objects",
            ),
        ] {
            let error = draft(text).unwrap_err().to_string();
            assert!(error.starts_with(expected), "{error}");
        }
    }
}
