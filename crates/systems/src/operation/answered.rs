//! What the answer to an operation means. The status of an answer says nothing of it: most are 200.

use diaporos_core::text::{Cut, shorten};
use serde_json::{Value as Json, json};

use crate::ErrorKind;
use crate::http::describe;
use crate::query::{Query, scalar_text};

/// What an error's code means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Meaning {
    /// What was sent cannot be taken; nothing was done.
    Refused,
    /// Another version is there.
    Differs,
    /// It is not there.
    Missing,
    /// Somebody else has it locked.
    Locked,
    /// It is to be asked later; nothing was done.
    Busy,
    /// The credential may not do this.
    Forbidden,
    /// The credential is not known.
    Unknown,
}

impl Meaning {
    /// Every meaning with its word.
    pub(crate) const WORDS: [(&str, Meaning); 7] = [
        ("refused", Meaning::Refused),
        ("differs", Meaning::Differs),
        ("missing", Meaning::Missing),
        ("locked", Meaning::Locked),
        ("busy", Meaning::Busy),
        ("forbidden", Meaning::Forbidden),
        ("unauthenticated", Meaning::Unknown),
    ];

    /// What codes mean that many servers use.
    fn usual(code: &str) -> Option<Meaning> {
        Some(match code.to_ascii_uppercase().as_str() {
            "BAD_USER_INPUT"
            | "GRAPHQL_VALIDATION_FAILED"
            | "GRAPHQL_PARSE_FAILED"
            | "VALIDATION_ERROR"
            | "INVALID" => Meaning::Refused,
            "CONFLICT" | "STALE" | "PRECONDITION_FAILED" => Meaning::Differs,
            "NOT_FOUND" => Meaning::Missing,
            "LOCKED" => Meaning::Locked,
            "THROTTLED" | "RATE_LIMITED" | "TOO_MANY_REQUESTS" => Meaning::Busy,
            "FORBIDDEN" => Meaning::Forbidden,
            "UNAUTHENTICATED" | "UNAUTHORIZED" => Meaning::Unknown,
            _ => return None,
        })
    }

    fn kind(self, message: String) -> ErrorKind {
        match self {
            Meaning::Refused => ErrorKind::Status { status: 422, message },
            Meaning::Differs => ErrorKind::Differs { status: 412, message },
            Meaning::Missing => ErrorKind::NotFound,
            Meaning::Locked => ErrorKind::Locked { message },
            Meaning::Busy => ErrorKind::Throttled { after: None },
            Meaning::Forbidden => ErrorKind::Unauthorised { status: 403, message },
            Meaning::Unknown => ErrorKind::Unauthorised { status: 401, message },
        }
    }
}

/// Where an answer has what, and what its codes mean.
#[derive(Clone, Copy)]
pub(crate) struct Outcome<'a> {
    /// Where it has the document; none where it shows none.
    pub(crate) document: Option<&'a Query>,
    /// Where it tells what is wrong with what was sent.
    pub(crate) problems: Option<&'a Query>,
    /// What codes mean here.
    pub(crate) codes: &'a [(String, Meaning)],
    /// Whether it makes a document, which is not shown before it is there.
    pub(crate) makes: bool,
}

/// The document that an answer shows: null where it says that there is none; none where it was to show none, and the
/// operation was done.
///
/// # Errors
/// Where it was not done, or nobody can tell.
pub(crate) fn outcome(answer: &Json, at: &Outcome<'_>) -> Result<Option<Json>, ErrorKind> {
    let problems = at.problems.map(|query| query.all(answer)).unwrap_or_default();
    let document = at.document.and_then(|query| query.first(answer)).filter(|found| !found.is_null());
    if !problems.is_empty() {
        let message = said(&problems);
        // Some call a warning a problem: what was just made is there all the same.
        if at.makes && document.is_some() {
            return Err(ErrorKind::Content(format!("it shows what it made, and lists problems: {message}")));
        }
        // Problems that a payload lists are about what was sent: nothing was done.
        return Err(meaning(&problems, at.codes).unwrap_or(Meaning::Refused).kind(message));
    }
    if let Some(document) = document {
        // An error beside it is about a part of the answer.
        return Ok(Some(document.clone()));
    }
    let errors = answer.get("errors").and_then(Json::as_array).map(|errors| errors.iter().collect::<Vec<_>>());
    let errors = errors.unwrap_or_default();
    let data = answer.get("data");
    if !errors.is_empty() {
        let message = said(&errors);
        return Err(match meaning(&errors, at.codes) {
            Some(known) => known.kind(message),
            // Without `data` it was never begun (GraphQL, "Response Format").
            None if data.is_none() => Meaning::Refused.kind(message),
            None => ErrorKind::Content(format!("it was answered with errors: {message}")),
        });
    }
    match (data, at.document) {
        (Some(Json::Object(_)), Some(_)) => Ok(Some(Json::Null)),
        (Some(Json::Object(fields)), None) if fields.values().any(|field| !field.is_null()) => Ok(None),
        _ => Err(ErrorKind::Content("the answer has neither what was asked for nor errors".to_owned())),
    }
}

/// What the errors mean, where the first with a code that is known tells.
fn meaning(errors: &[&Json], codes: &[(String, Meaning)]) -> Option<Meaning> {
    let places = ["/extensions/code", "/code", "/extensions/classification"];
    let code = |error: &Json| places.iter().find_map(|place| error.pointer(place)).and_then(scalar_text);
    errors.iter().filter_map(|error| code(error)).find_map(|code| {
        let own = codes.iter().find(|(known, _)| *known == code).map(|(_, meaning)| *meaning);
        own.or_else(|| Meaning::usual(&code))
    })
}

/// What errors say, field by field.
fn said(errors: &[&Json]) -> String {
    let body = json!({ "errors": errors }).to_string();
    shorten(&describe(body.as_bytes()), 400, Cut::Words)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_answers_mean() {
        let document = Query::parse("$.data.save.page");
        let problems = Query::parse("$.data.save.problems[*]");
        let codes = [("STALE_PAGE".to_owned(), Meaning::Differs)];
        let saving = Outcome { document: Some(&document), problems: Some(&problems), codes: &codes, makes: false };
        let making = Outcome { makes: true, ..saving };
        let removing = Outcome { document: None, ..saving };
        let told = |answer: Json, at: &Outcome<'_>| match outcome(&answer, at) {
            Ok(document) => document.map_or("done".to_owned(), |document| document.to_string()),
            Err(kind) => format!("{kind}{}", if kind.leaves_doubt() { " ?" } else { "" }),
        };
        let error = |code: &str| json!([{ "message": "no", "path": ["save"], "extensions": { "code": code } }]);
        for (answer, expected) in [
            (json!({ "data": { "save": { "page": { "id": 1 }, "problems": [] } } }), r#"{"id":1}"#),
            (json!({ "data": { "save": { "page": { "id": 1 } } }, "errors": error("X") }), r#"{"id":1}"#),
            (
                json!({ "data": { "save": { "page": null, "problems": [{ "message": "too long", "field": ["heading"] }] } } }),
                "it answered 422: heading: too long",
            ),
            (
                json!({ "data": { "save": { "problems": [{ "message": "old", "code": "STALE_PAGE" }] } } }),
                "it does not fit what is there now (412: old)",
            ),
            (json!({ "errors": [{ "message": "no field `x`" }] }), "it answered 422: no field `x`"),
            (json!({ "data": null, "errors": error("X") }), "it was answered with errors: save: no ?"),
            (json!({ "data": { "save": null }, "errors": error("NOT_FOUND") }), "nothing is there (404)"),
            (json!({ "data": null, "errors": error("RATE_LIMITED") }), "it asks to come back later (429)"),
            (json!({ "data": { "save": { "page": null } } }), "null"),
            (json!({}), "the answer has neither what was asked for nor errors ?"),
            (json!([]), "the answer has neither what was asked for nor errors ?"),
        ] {
            assert_eq!(told(answer.clone(), &saving), expected, "{answer}");
        }
        let warned = json!({ "data": { "save": { "page": { "id": 1 }, "problems": [{ "message": "no picture" }] } } });
        assert_eq!(told(warned.clone(), &saving), "it answered 422: no picture", "what is there is shown as it was");
        assert_eq!(told(warned, &making), "it shows what it made, and lists problems: no picture ?");
        for (answer, expected) in [
            (json!({ "data": { "remove": { "id": 1 } } }), "done"),
            (json!({ "data": { "remove": null } }), "the answer has neither what was asked for nor errors ?"),
            (json!({ "data": null, "errors": error("X") }), "it was answered with errors: save: no ?"),
        ] {
            assert_eq!(told(answer.clone(), &removing), expected, "{answer}");
        }
    }
}
