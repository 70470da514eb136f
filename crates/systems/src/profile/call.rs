//! One call: a method, a path with places to fill, and what goes into the body beside the fields.

use std::collections::BTreeSet;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::ANY_VALUES;
use diaporos_core::settings::{Form, InnerText, Item, Section, Setting, Table, TextForm, TextOrTable};
use diaporos_core::text::xml;
use serde_json::{Map, Value as Json};

use super::filled::{Filled, constants};
use super::look_up::{FOUND, LOOK_UP};
use super::path::{fill, places, without_unknown};
use super::{LookUp, OperationCall};
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
    /// What is looked up before it.
    pub(crate) look_up: Option<Box<LookUp>>,
    /// What it asks for, where that is an operation and not told by method and path.
    pub(crate) operation: Option<Box<OperationCall>>,
}

/// The media types that members are sent as: JSON, or the fields of a form.
pub(super) const MEDIA: [&str; 8] = [
    "application/json",
    "application/merge-patch+json",
    "application/ld+json",
    "application/vnd.api+json",
    FormMedia::UrlEncoded.word(),
    FormMedia::Multipart.word(),
    "application/xml",
    "text/xml",
];

/// A media type that members are sent as.
pub(super) const CALL_MEDIA: Form = Form::Word { what: "a media type that members are sent as", of: || MEDIA.to_vec() };

/// Members as a body of a media type.
///
/// # Errors
/// Where the media type has no form for them.
pub(super) fn body_of(members: Map<String, Json>, media: &'static str) -> Result<Body, ErrorKind> {
    let form = [FormMedia::UrlEncoded, FormMedia::Multipart].into_iter().find(|form| form.word() == media);
    Ok(match form {
        Some(form) => Body::Form(members, form),
        None if media.ends_with("/xml") => {
            let text = xml::from_json(&Json::Object(members));
            let wrong = |message| ErrorKind::Content(format!("the document cannot be written as XML: {message}"));
            Body::Bytes(text.map_err(wrong)?.into_bytes(), media.to_owned())
        }
        None => Body::Json(Json::Object(members), media),
    })
}

/// A call: its method and path alone, or a table.
pub(super) const CALL: Form = Form::Either(&METHOD_AND_PATH, &Form::Table(&CALL_TABLE));
const METHOD_AND_PATH: Form = Form::Text(&TextForm { name: "a call, `METHOD /path`", pattern: Some("^[A-Z]+ [^ ]+$") });
static CALL_TABLE: Table = Table::new("call", &[CALL_SETTINGS]);
/// A call that writes a document: its method and path alone, or a table.
pub(super) const WRITING_CALL: Form = Form::Either(&METHOD_AND_PATH, &Form::Table(&WRITING_CALL_TABLE));
static WRITING_CALL_TABLE: Table = Table::new(
    "call that writes a document",
    &[
        CALL_SETTINGS,
        settings![
            look_up: Form::Table(&LOOK_UP), none, "what is looked up before, and goes in the place of `{found}` in its path and body", "{ call = \"GET /drafts/next\", at = \"$.draft\" }";
        ],
    ],
);
const CALL_SETTINGS: &[Setting] = settings![
        call: METHOD_AND_PATH, required, "the method and the path, which follows the system's `url`; what stands in braces is filled in, escaped", "PATCH /api/pages/{id}";
        body: ANY_VALUES, none, "members of its body beside the fields; `{id}`, `{key}`, `{language}` and `{revision}` in their texts are filled, and a text that is `{fields.NAME}` is that field, which then stands there and nowhere else", "{ status = \"live\" }";
        media: CALL_MEDIA, usual "application/json", "the media type of its body: of JSON, of XML, or of a form, whose fields are called `size[height]` within a member, and are repeated for a list", "application/merge-patch+json";
        reads: Form::Boolean, usual "false", "whether a POST changes nothing, so that it may be used where one only looks", "true";
        none: Form::Count(0), none, "the status of a search that finds nothing, where that is 404; else a 404 stops the push, for the path may be wrong", "404";
];

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
                let looks_up = table.describes("look_up");
                let look_up = looks_up.then(|| LookUp::from_key(&mut table, allowed, report)).flatten().map(Box::new);
                table.finish(report);
                let media = media.unwrap_or(MEDIA[0]);
                let with_found: Vec<&str> = allowed.iter().copied().chain(look_up.as_ref().map(|_| "found")).collect();
                let call = Call::from_text(&item?, &with_found, report)?;
                let call = Call { body, media, reads, none_is_404, look_up, ..call };
                has_place(&call, &table, report);
                Some(call)
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
        let (operation, look_up) = (Some(Box::new(operation?)), None);
        Some(Call { method: Method::Post, path, body, reads: true, none_is_404: false, media, look_up, operation })
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
        if !without_unknown((path, item), allowed, report) {
            return None;
        }
        Some(Call {
            method: *method,
            path: path.trim().to_owned(),
            body: Map::new(),
            reads: false,
            none_is_404: false,
            media: MEDIA[0],
            look_up: None,
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
        self.members_with(filled, &Map::new())
    }

    /// The same, with the fields of a document where its body has places for them.
    pub(crate) fn members_with(&self, filled: Filled<'_>, fields: &Map<String, Json>) -> Map<String, Json> {
        self.body.iter().map(|(name, json)| (name.clone(), put_into(json, filled, fields))).collect()
    }

    /// The fields that its body has places for: they stand there and nowhere else.
    pub(crate) fn placed(&self) -> BTreeSet<&str> {
        let mut placed = BTreeSet::new();
        self.body.values().for_each(|json| add_placed(json, &mut placed));
        placed
    }

    /// A body of this call.
    ///
    /// # Errors
    /// Where its media type has no form for them.
    pub(crate) fn body_of(&self, members: Map<String, Json>) -> Result<Body, ErrorKind> {
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
        fill(&self.path, filled)
    }
}

/// The field that a text is the place of: `{fields.title}`, and nothing beside.
fn placed_field(text: &str) -> Option<&str> {
    text.strip_prefix("{fields.").and_then(|rest| rest.strip_suffix('}'))
}

fn add_placed<'a>(json: &'a Json, placed: &mut BTreeSet<&'a str>) {
    match json {
        Json::String(text) => placed.extend(placed_field(text)),
        Json::Array(items) => items.iter().for_each(|item| add_placed(item, placed)),
        Json::Object(members) => members.values().for_each(|json| add_placed(json, placed)),
        _ => {}
    }
}

/// A member with the places in its texts filled, how deep they stand.
fn put_into(json: &Json, filled: Filled<'_>, fields: &Map<String, Json>) -> Json {
    match json {
        Json::String(text) => match placed_field(text) {
            Some(name) => fields.get(name).cloned().unwrap_or_default(),
            None => Json::String(filled.put(text)),
        },
        Json::Array(items) => items.iter().map(|item| put_into(item, filled, fields)).collect(),
        Json::Object(members) => {
            let put = |(name, json): (&String, &Json)| (name.clone(), put_into(json, filled, fields));
            Json::Object(members.iter().map(put).collect())
        }
        other => other.clone(),
    }
}

/// Refuses a call that looks something up and has no place for it.
fn has_place(call: &Call, section: &Section<'_>, report: &mut Report) {
    let in_body = Json::Object(call.body.clone()).to_string().contains(FOUND);
    if call.look_up.is_some() && !call.has("found") && !in_body {
        let message = "what is looked up goes nowhere: the call has no `{found}`, neither in its path nor in its body";
        let example = "{ call = \"PUT /drafts/{found}\", look_up = { call = \"GET /drafts?page={id}\", at = \"$.drafts[0].id\" } }";
        report
            .add(Diagnostic::warning(Code::BadValue, section.span(), message).help(format!("for example `{example}`")));
    }
}
