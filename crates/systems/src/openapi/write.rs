//! How documents are written, as far as a document's calls tell.

use serde_json::Value as Json;

use super::{Listed, quoted};

/// A profile's table for writing; none where the document cannot be read back, made and changed.
pub(super) fn write_lines(document: &Json, name: &str, listed: &Listed<'_>) -> Option<String> {
    let paths = document.get("paths")?.as_object()?;
    let list = listed.path.trim_end_matches('/');
    paths.get(listed.path)?.get("post")?;
    let (path, calls) = paths.iter().find(|(path, _)| {
        path.strip_prefix(list)
            .and_then(|rest| rest.strip_prefix("/{"))
            .is_some_and(|rest| rest.ends_with('}') && !rest.contains('/'))
    })?;
    let one = format!("{}/{{id}}", path.rsplit_once('/')?.0);
    calls.get("get")?;
    let update = ["patch", "put"].into_iter().find(|method| calls.get(*method).is_some())?;
    let line = |key: &str, method: &str, path: &str| {
        format!("{key:6} = {}", quoted(&format!("{} {path}", method.to_uppercase())))
    };
    let mut lines = vec![
        format!("\n[types.{name}.write]"),
        line("create", "post", listed.path),
        line("read", "get", &one),
        line("update", update, &one),
    ];
    if calls.get("delete").is_some() {
        lines.push(line("delete", "delete", &one));
    }
    lines.push("id     = \"$.id\"   # ?".to_owned());
    lines.push(format!(
        "# find  = {}   # ? how is a document found by the lane's `match` field?",
        quoted(&format!("GET {list}?slug={{key}}"))
    ));
    lines.push(format!("# found = {}", quoted(&listed.items)));
    Some(lines.join("\n") + "\n")
}
