//! How documents are written, as far as a document's calls tell.

use serde_json::Value as Json;

use super::fields::{Schema, resolve};
use super::{Listed, quoted};

/// A profile's table for writing; or a comment that says what it lacks for that.
pub(super) fn write_lines(document: &Json, name: &str, listed: &Listed<'_>) -> String {
    calls_of(document, listed).map_or_else(
        |lacking| format!("\n# Writing is not drawn: the document has no {lacking}.\n"),
        |calls| table(document, name, listed, &calls),
    )
}

/// The calls on one document.
struct Calls<'a> {
    path: String,
    read: &'a Json,
    update: (&'static str, &'a Json),
    can_delete: bool,
    /// Parameters that all of them have.
    shared: Option<&'a Json>,
}

/// The calls by which documents of a list are read, made and changed; or which of them there is not.
fn calls_of<'a>(document: &'a Json, listed: &Listed<'_>) -> Result<Calls<'a>, String> {
    let list = listed.path.trim_end_matches('/');
    let paths = document.get("paths").and_then(Json::as_object);
    let post = paths.and_then(|paths| paths.get(listed.path)?.get("post"));
    post.ok_or_else(|| format!("POST {}", quoted(listed.path)))?;
    let is_one = |path: &str| {
        let rest =
            path.strip_prefix(list).and_then(|rest| rest.strip_prefix("/{")).map(|rest| rest.trim_end_matches('/'));
        rest.is_some_and(|rest| rest.ends_with('}') && !rest.contains('/'))
    };
    let one = paths.into_iter().flatten().find(|(path, _)| is_one(path));
    let (path, calls) = one.ok_or_else(|| format!("path of one document under {}", quoted(list)))?;
    let read = calls.get("get").ok_or_else(|| format!("GET {}", quoted(path)))?;
    let update = ["patch", "put"].into_iter().find_map(|method| Some((method, calls.get(method)?)));
    Ok(Calls {
        path: format!("{list}/{{id}}{}", if path.ends_with('/') { "/" } else { "" }),
        read,
        update: update.ok_or_else(|| format!("PATCH or PUT {}", quoted(path)))?,
        can_delete: calls.get("delete").is_some(),
        shared: calls.get("parameters"),
    })
}

fn table(document: &Json, name: &str, listed: &Listed<'_>, calls: &Calls<'_>) -> String {
    let line = |key: &str, method: &str, path: &str| {
        format!("{key:6} = {}", quoted(&format!("{} {path}", method.to_uppercase())))
    };
    let (method, update) = calls.update;
    let mut changes = line("update", method, &calls.path);
    if method == "put" {
        changes.push_str("   # ? a PUT may replace the whole: does it leave what is not sent?");
    }
    let mut lines = vec![
        format!("\n[types.{name}.write]"),
        line("create", "post", listed.path),
        line("read", "get", &calls.path),
        changes,
    ];
    if calls.can_delete {
        lines.push(line("delete", "delete", &calls.path));
    }
    let shown = Schema::of_answer(document, calls.read);
    let wrapper = shown.and_then(|shown| wrapper(document, shown));
    if let Some((member, _)) = wrapper {
        lines.push(format!("document = {}   # ?", quoted(&format!("$.{member}"))));
    }
    let inner = wrapper.map(|(_, inner)| inner).or(shown);
    let attributes =
        inner.and_then(|inner| inner.properties(document).into_iter().find(|(name, _)| *name == "attributes"));
    if attributes.is_some_and(|(_, schema)| schema.is_object(document)) {
        lines.push("fields_at = \"$.attributes\"   # ?".to_owned());
    }
    lines.push(format!("id     = {}   # ?", quoted(&format!("$.{}", listed.id(document).unwrap_or("id")))));
    let parameters =
        [update.get("parameters"), calls.shared].into_iter().flatten().filter_map(Json::as_array).flatten();
    let mut headers = parameters
        .map(|parameter| resolve(document, parameter))
        .filter(|parameter| parameter.get("in").and_then(Json::as_str) == Some("header"))
        .filter_map(|parameter| parameter.get("name").and_then(Json::as_str));
    if headers.any(|name| name.eq_ignore_ascii_case("if-match")) {
        lines.push("revision = \"etag\"".to_owned());
        lines.push("if_match = \"{revision}\"".to_owned());
    }
    lines.push(format!(
        "# find  = {}   # ? how is a document found by the lane's `match` field?",
        quoted(&format!("GET {}?slug={{key}}", listed.path))
    ));
    lines.push(format!("# found = {}", quoted(&listed.items)));
    lines.join("\n") + "\n"
}

/// The only member of an answer, where that is an object: what the document is wrapped in.
fn wrapper<'a>(document: &'a Json, shown: Schema<'a>) -> Option<(&'a str, Schema<'a>)> {
    match shown.properties(document).as_slice() {
        [(name, inner)] if inner.is_object(document) && is_plain(name) => Some((name, *inner)),
        _ => None,
    }
}

/// Whether a name stands in a path as it is (RFC 9535 §2.5.1.1).
fn is_plain(name: &str) -> bool {
    name.starts_with(|c: char| c.is_ascii_alphabetic()) && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
}
