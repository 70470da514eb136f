//! What a document tells that a profile has no place for, and what it tells that is not drawn.

use serde_json::Value as Json;

use super::{listed, quoted};

/// The most of each that is told.
const MOST: usize = 10;

/// Lines of a comment: other servers, what is asked for as a credential, lists that are not drawn.
pub(super) fn lines(document: &Json) -> Vec<String> {
    let mut lines = Vec::new();
    let others = document.get("servers").and_then(Json::as_array).into_iter().flatten().skip(1);
    let others: Vec<String> =
        others.filter_map(|server| server.get("url").and_then(Json::as_str)).map(quoted).take(MOST).collect();
    if !others.is_empty() {
        lines.push(format!("Other servers: {}.", others.join(", ")));
    }
    let schemes = document.pointer("/components/securitySchemes").and_then(Json::as_object);
    lines.extend(schemes.into_iter().flatten().filter_map(|(_, scheme)| credential(scheme)).take(MOST));
    let paths = document.get("paths").and_then(Json::as_object);
    let under = paths.into_iter().flatten().filter(|(path, calls)| {
        path.contains('{') && !path.trim_end_matches('/').ends_with('}') && listed(document, "/", calls).is_some()
    });
    let under: Vec<String> = under.map(|(path, _)| quoted(path)).take(MOST).collect();
    if !under.is_empty() {
        lines.push(format!("Lists whose path has parameters are not drawn: {}.", under.join(", ")));
    }
    lines
}

/// What a security scheme asks for (OpenAPI 3.1, §4.8.27).
fn credential(scheme: &Json) -> Option<String> {
    let text = |key: &str| scheme.get(key).and_then(Json::as_str);
    Some(match (text("type")?, text("scheme").map(str::to_lowercase).as_deref()) {
        ("http", Some("bearer")) => "It asks for a bearer token.".to_owned(),
        ("http", Some("basic")) => "It asks for a name and a password.".to_owned(),
        ("apiKey", _) => {
            let place = match text("in")? {
                "query" => "parameter",
                "cookie" => "cookie",
                _ => "header",
            };
            format!("It asks for a key in the {place} {}.", quoted(text("name")?))
        }
        ("oauth2", _) => match scheme.pointer("/flows/clientCredentials/tokenUrl").and_then(Json::as_str) {
            Some(url) => format!("It asks for a token that {} gives.", quoted(url)),
            None => "It asks for a token that a person has to allow.".to_owned(),
        },
        _ => return None,
    })
}
