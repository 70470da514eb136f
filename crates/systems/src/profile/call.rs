//! One call: a method, a path with places to fill, and what goes into the body beside the fields.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::ANY_VALUES;
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, TextForm, TextOrTable};
use serde_json::{Map, Value as Json};

use super::OperationCall;
use super::filled::{Filled, constants};
use crate::ErrorKind;
use crate::http::{Answer, Body, FormMedia, Method};

/// A call as a profile describes it: `PUT /api/pages/{id}`.
#[derive(Debug, Clone)]
pub(crate) struct Call {
    /// The method.
    pub(crate) method: Method,
    path: String,
    /// Members that go into every body of this call.
    pub(crate) body: Map<String, Json>,
    /// Whether a `POST` of it changes nothing.
    reads: bool,
    /// Whether a search answers 404 where it finds nothing.
    none_is_404: bool,
    /// The media type of its bodies.
    pub(crate) media: &'static str,
    /// What it asks for, where that is an operation and not told by method and path.
    pub(crate) operation: Option<Box<OperationCall>>,
}

/// The media types that members are sent as: JSON, or the fields of a form.
pub(super) const MEDIA: [&str; 6] = [
    "application/json",
    "application/merge-patch+json",
    "application/ld+json",
    "application/vnd.api+json",
    FormMedia::UrlEncoded.word(),
    FormMedia::Multipart.word(),
];

/// A media type that members are sent as.
pub(super) const CALL_MEDIA: Form = Form::Word { what: "a media type that members are sent as", of: || MEDIA.to_vec() };

/// Members as a body of a media type.
pub(super) fn body_of(members: Map<String, Json>, media: &'static str) -> Body {
    let form = [FormMedia::UrlEncoded, FormMedia::Multipart].into_iter().find(|form| form.word() == media);
    match form {
        Some(form) => Body::Form(members, form),
        None => Body::Json(Json::Object(members), media),
    }
}

/// A call: its method and path alone, or a table.
pub(super) const CALL: Form = Form::Either(&METHOD_AND_PATH, &Form::Table(&CALL_TABLE));
const METHOD_AND_PATH: Form = Form::Text(&TextForm { name: "a call, `METHOD /path`", pattern: Some("^[A-Z]+ [^ ]+$") });
static CALL_TABLE: Table = Table::new(
    "call",
    &[settings![
        call: METHOD_AND_PATH, required, "the method and the path, which follows the system's `url`; what stands in braces is filled in, escaped", "PATCH /api/pages/{id}";
        body: ANY_VALUES, none, "members of its body beside the fields; `{id}`, `{key}`, `{language}` and `{revision}` in their texts are filled", "{ status = \"live\" }";
        media: CALL_MEDIA, usual "application/json", "the media type of its body: of JSON, or of a form, whose fields are called `size[height]` within a member, and are repeated for a list", "application/merge-patch+json";
        reads: Form::Boolean, usual "false", "whether a POST changes nothing, so that it may be used where one only looks", "true";
        none: Form::Count(0), none, "the status of a search that finds nothing, where that is 404; else a 404 stops the push, for the path may be wrong", "404";
    ]],
);

const PLACES: [&str; 4] = ["id", "key", "language", "type"];

impl Call {
    /// Reads the call under a key: a text, or a table with `call` and `body`.
    pub(super) fn from_key(
        section: &mut Section<'_>,
        key: &'static str,
        allowed: &[&str],
        report: &mut Report,
    ) -> Option<Call> {
        match section.shape(key, report)? {
            TextOrTable::Text(item) => Call::from_text(&item, allowed, report),
            TextOrTable::Table(mut table) => {
                let item = table.text("call", report);
                let body = table.section("body", report).map(|mut body| constants(&mut body)).unwrap_or_default();
                let media = table.word("media", &MEDIA.map(|media| (media, media)), report);
                let reads = table.boolean("reads", report);
                let none_is_404 = table.count("none", report).is_some_and(|item| {
                    if item.value != 404 {
                        let message = "`none` is the status of a search that finds nothing: 404, or not said";
                        report.add(Diagnostic::error(Code::BadValue, item.span, message));
                    }
                    item.value == 404
                });
                table.finish(report);
                let media = media.unwrap_or(MEDIA[0]);
                Some(Call { body, media, reads, none_is_404, ..Call::from_text(&item?, allowed, report)? })
            }
        }
    }

    /// Reads a call that changes nothing: of a method that reads, or a `POST` that says so with
    /// `reads = true`.
    pub(super) fn reading(
        section: &mut Section<'_>,
        key: &'static str,
        allowed: &[&str],
        report: &mut Report,
    ) -> Option<Call> {
        let span = section.span();
        let call = Call::from_key(section, key, allowed, report)?;
        if call.method.reads() || (call.method == Method::Post && call.reads) {
            return Some(call);
        }
        let message = format!("`{key}` only reads, and {} may change something", call.method.word());
        let finding = Diagnostic::error(Code::BadValue, span, message);
        report.add(finding.help(if call.method == Method::Post {
            format!("where it changes nothing, say so: `{key} = {{ call = \"POST …\", reads = true }}`")
        } else {
            "known here: GET, HEAD, PROPFIND, REPORT, and POST with `reads = true`".to_owned()
        }));
        None
    }

    /// Reads the operation under a key.
    pub(super) fn operation(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<Call> {
        let mut table = section.section(key, report)?;
        let operation = OperationCall::from_section(&mut table, report);
        table.finish(report);
        let (path, body, media) = (String::new(), Map::new(), MEDIA[0]);
        let operation = Some(Box::new(operation?));
        Some(Call { method: Method::Post, path, body, reads: true, none_is_404: false, media, operation })
    }

    /// What an answer shows, the document of an operation as if it were the whole of it.
    ///
    /// # Errors
    /// Where the operation was not done, or nobody can tell.
    pub(crate) fn shown(&self, answer: Answer) -> Result<Answer, ErrorKind> {
        let Some(operation) = &self.operation else { return Ok(answer) };
        Ok(match operation.outcome(&answer.json()?)? {
            Some(document) => Answer { body: document.to_string().into_bytes(), ..answer },
            // It was done, and shows nothing (RFC 9110 §15.3.5).
            None => Answer { status: 204, body: Vec::new(), ..answer },
        })
    }

    fn from_text(item: &Item<InnerText>, allowed: &[&str], report: &mut Report) -> Option<Call> {
        let text = item.value.as_str();
        let wrong = |message: String| Diagnostic::error(Code::BadValue, item.span.clone(), message);
        let Some((word, path)) = text.split_once(' ') else {
            report.add(
                wrong(format!("`{text}` is not a call")).help("a call is a method and a path: `PUT /api/pages/{id}`"),
            );
            return None;
        };
        let Some((_, method)) = Method::WORDS.iter().find(|(known, _)| *known == word) else {
            report.add(wrong(format!("`{word}` is not a method")).suggest(word, Method::WORDS.map(|(word, _)| word)));
            return None;
        };
        for place in places(path) {
            if !allowed.contains(&place) {
                let known: Vec<String> = allowed.iter().map(|place| format!("{{{place}}}")).collect();
                let message = format!("`{{{place}}}` has no meaning in this call");
                report.add(wrong(message).help(format!("known here: {}", known.join(", "))));
                return None;
            }
        }
        Some(Call {
            method: *method,
            path: path.trim().to_owned(),
            body: Map::new(),
            reads: false,
            none_is_404: false,
            media: MEDIA[0],
            operation: None,
        })
    }

    /// Whether a 404 of this search says that it found nothing. Where the key is a step of the path it
    /// does; where it is in the query or the body, the path itself may be wrong.
    pub(crate) fn finds_nothing_by_404(&self) -> bool {
        self.none_is_404 || self.path.split('?').next().is_some_and(|path| places(path).any(|place| place == "key"))
    }

    /// The members of its body, with the places in their texts filled.
    pub(crate) fn members(&self, filled: Filled<'_>) -> Map<String, Json> {
        self.body.iter().map(|(name, json)| (name.clone(), put_into(json, filled))).collect()
    }

    /// A body of this call.
    pub(crate) fn body_of(&self, members: Map<String, Json>) -> Body {
        body_of(members, self.media)
    }

    /// Whether the call has that place to fill.
    pub(crate) fn has(&self, place: &str) -> bool {
        places(&self.path).any(|known| known == place)
    }

    /// Whether it asks for one language.
    pub(crate) fn asks_language(&self) -> bool {
        self.has("language") || self.operation.as_ref().is_some_and(|operation| operation.fills("language"))
    }

    /// The path with its places filled, each percent-encoded.
    pub(crate) fn path(&self, filled: Filled<'_>) -> String {
        let values = [filled.id, filled.key, filled.language, filled.kind];
        let fill = |path: &str, encoded: fn(&str) -> String| {
            let put =
                |path: String, (place, value): (&&str, &str)| path.replace(&format!("{{{place}}}"), &encoded(value));
            PLACES.iter().zip(values).fold(path.to_owned(), put)
        };
        match self.path.split_once('?') {
            Some((path, query)) => format!("{}?{}", fill(path, step), fill(query, encoded)),
            None => fill(&self.path, step),
        }
    }
}

/// A member with the places in its texts filled, how deep they stand.
fn put_into(json: &Json, filled: Filled<'_>) -> Json {
    match json {
        Json::String(text) => Json::String(filled.put(text)),
        Json::Array(items) => items.iter().map(|item| put_into(item, filled)).collect(),
        Json::Object(members) => {
            Json::Object(members.iter().map(|(name, json)| (name.clone(), put_into(json, filled))).collect())
        }
        other => other.clone(),
    }
}

pub(super) fn places(path: &str) -> impl Iterator<Item = &str> {
    path.split('{').skip(1).filter_map(|rest| rest.split_once('}')).map(|(place, _)| place)
}

/// Percent-encoded so that it is one part of a path or a query, whatever is in it.
pub(super) fn encoded(text: &str) -> String {
    url::form_urlencoded::byte_serialize(text.as_bytes()).collect::<String>().replace('+', "%20")
}

/// A step of a path. Two steps mean another place in every spelling (RFC 3986 §5.2.4); no place has
/// them for a name, and the spelling that is sent is none that a server undoes at once.
fn step(text: &str) -> String {
    if matches!(text, "." | "..") { text.replace('.', "%252E") } else { encoded(text) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_filled_and_nothing_escapes() {
        let call = Call {
            method: Method::Get,
            path: "/pages/{id}?slug={key}&lang={language}".into(),
            body: Map::new(),
            reads: false,
            none_is_404: false,
            media: MEDIA[0],
            operation: None,
        };
        let filled = Filled { id: "a/../b", key: "x&admin=1 ŵ", language: "en", ..Filled::default() };
        assert_eq!(call.path(filled), "/pages/a%2F..%2Fb?slug=x%26admin%3D1%20%C5%B5&lang=en");
        assert_eq!(call.path(Filled { id: "..", key: "..", ..filled }), "/pages/%252E%252E?slug=..&lang=en");
    }
}
