//! Markdown with front matter: YAML between lines of `---`, or TOML between lines of `+++`.

use serde_json::{Map, Value as Json};

/// The front matter's members, and the text after it as `body`.
pub(crate) fn parse(text: &str) -> Result<Json, String> {
    let text = text.replace("\r\n", "\n");
    let fence =
        ["---", "+++"].into_iter().find(|fence| text.lines().next().is_some_and(|line| line.trim_end() == *fence));
    let Some(fence) = fence else { return Ok(with_body(Map::new(), &text)) };
    let rest = text.split_once('\n').map_or("", |(_, rest)| rest);
    let end = std::iter::once(0)
        .chain(rest.match_indices('\n').map(|(at, _)| at + 1))
        .find(|at| rest[*at..].lines().next().is_some_and(|line| line.trim_end() == fence));
    let Some(end) = end else { return Err(format!("has front matter without an end: a line `{fence}` is missing")) };
    let body = rest[end..].split_once('\n').map_or("", |(_, body)| body);
    let members = match fence {
        "---" => yaml(&rest[..end])?,
        _ => toml(&rest[..end])?,
    };
    Ok(with_body(members, body))
}

fn with_body(mut members: Map<String, Json>, body: &str) -> Json {
    members.insert("body".to_owned(), Json::String(body.trim().to_owned()));
    Json::Object(members)
}

/// Anchors that multiply and deep nesting are refused by the reader's own budget.
fn yaml(text: &str) -> Result<Map<String, Json>, String> {
    if text.trim().is_empty() {
        return Ok(Map::new());
    }
    let read: Result<Json, _> = serde_saphyr::from_str(text);
    match read.map_err(|error| format!("has front matter that is not YAML: {}", first_line(&error.to_string())))? {
        Json::Object(members) => Ok(members),
        Json::Null => Ok(Map::new()),
        _ => Err("has front matter that is not a table of names and values".to_owned()),
    }
}

fn toml(text: &str) -> Result<Map<String, Json>, String> {
    let table: ::toml::Table = text
        .parse()
        .map_err(|error: ::toml::de::Error| format!("has front matter that is not TOML: {}", error.message()))?;
    Ok(table.into_iter().map(|(name, value)| (name, from_toml(value))).collect())
}

fn from_toml(value: ::toml::Value) -> Json {
    match value {
        ::toml::Value::String(text) => Json::String(text),
        ::toml::Value::Integer(whole) => whole.into(),
        ::toml::Value::Float(number) => number.into(),
        ::toml::Value::Boolean(truth) => truth.into(),
        ::toml::Value::Datetime(moment) => Json::String(moment.to_string()),
        ::toml::Value::Array(items) => Json::Array(items.into_iter().map(from_toml).collect()),
        ::toml::Value::Table(table) => {
            Json::Object(table.into_iter().map(|(name, value)| (name, from_toml(value))).collect())
        }
    }
}

fn first_line(text: &str) -> &str {
    text.lines().next().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn anchors_that_multiply_are_refused() {
        let mut bomb = "---\na0: &a0 [x, x, x, x, x, x, x, x, x]\n".to_owned();
        for level in 1..12 {
            let inner = vec![format!("*a{}", level - 1); 9].join(", ");
            bomb += &format!("a{level}: &a{level} [{inner}]\n");
        }
        assert!(parse(&(bomb + "---\n")).is_err());
        assert!(parse(&format!("---\na: {}1{}\n---\n", "[".repeat(5_000), "]".repeat(5_000))).is_err());
    }
}
