//! The errors that come with an answer, and which items they are about (GraphQL, "Errors").

use serde_json::Value as Json;

use crate::query::Query;

/// The errors of an answer.
pub(crate) struct AnswerErrors {
    errors: Vec<(String, Option<String>)>,
}

impl AnswerErrors {
    /// Reads the errors: what each says, and where it leads as a JSON Pointer (RFC 6901).
    pub(crate) fn read(answer: &Json) -> AnswerErrors {
        let errors = answer.get("errors").and_then(Json::as_array).into_iter().flatten();
        let errors = errors.map(|error| {
            let said = error.get("message").and_then(Json::as_str).unwrap_or("an error without a message");
            let said: String = said.chars().map(|c| if c.is_control() { ' ' } else { c }).take(300).collect();
            (said, error.get("path").and_then(Json::as_array).map(|path| pointer(path)))
        });
        AnswerErrors { errors: errors.collect() }
    }

    /// What the first error says.
    pub(crate) fn first(&self) -> Option<&str> {
        self.errors.first().map(|(said, _)| said.as_str())
    }

    /// The items that errors lead into, each with its place and what is said of it.
    pub(crate) fn of_items(&self, answer: &Json, items: &Query) -> Vec<(Json, String, String)> {
        let places = items.pointers(answer);
        let about = |(said, path): &(String, Option<String>)| {
            let path = path.as_ref()?;
            let place = places.iter().find(|place| leads_into(path, place))?;
            Some((answer.pointer(place)?.clone(), place.clone(), format!("came with an error: {said}")))
        };
        self.errors.iter().filter_map(about).collect()
    }

    /// The first error that leads into no item.
    pub(crate) fn elsewhere(&self, answer: &Json, items: &Query) -> Option<&str> {
        let places = items.pointers(answer);
        let in_an_item = |path: &Option<String>| {
            path.as_ref().is_some_and(|path| places.iter().any(|place| leads_into(path, place)))
        };
        self.errors.iter().find(|(_, path)| !in_an_item(path)).map(|(said, _)| said.as_str())
    }
}

fn leads_into(path: &str, place: &str) -> bool {
    path.strip_prefix(place).is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
}

fn pointer(path: &[Json]) -> String {
    let step = |step: &Json| match step {
        Json::String(name) => name.replace('~', "~0").replace('/', "~1"),
        other => other.to_string(),
    };
    path.iter().fold("/data".to_owned(), |pointer, next| format!("{pointer}/{}", step(next)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn errors_find_their_items() {
        let answer = json!({
            "data": { "plants": { "edges": [{ "node": { "id": 1 } }, { "node": { "id": 2 } }] } },
            "errors": [
                { "message": "no name", "path": ["plants", "edges", 1, "node", "name"] },
                { "message": "slow" },
            ],
        });
        let items = Query::parse("$.data.plants.edges[*].node");
        let errors = AnswerErrors::read(&answer);
        let expected =
            (json!({ "id": 2 }), "/data/plants/edges/1/node".to_owned(), "came with an error: no name".to_owned());
        assert_eq!(errors.of_items(&answer, &items), [expected]);
        assert_eq!(errors.elsewhere(&answer, &items), Some("slow"));
        assert_eq!(errors.first(), Some("no name"));
    }
}
