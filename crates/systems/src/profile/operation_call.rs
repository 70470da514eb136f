//! A call that is an operation of a file: what goes into its variables, and where its answer has what.

use std::collections::BTreeSet;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::{ANY_VALUES, FILE, TEXT};
use diaporos_core::settings::{Section, Table};
use serde_json::{Map, Value as Json, json};

use super::filled::{Filled, constants};
use crate::ErrorKind;
use crate::operation::{Meaning, OperationText, Outcome, outcome};
use crate::query::{JSON_PATH, Query};

/// A call that is an operation.
pub(super) static OPERATION: Table = Table::new(
    "operation",
    &[settings![
        query: FILE, required, "the file with the one query or mutation", "page.graphql";
        document: JSON_PATH, none, "where the answer has the document; one that shows none has done what it was asked when it is answered without errors", "$.data.savePage.page";
        problems: JSON_PATH, none, "where the answer lists what is wrong with what was sent", "$.data.savePage.problems[*]";
        input: TEXT, usual "input", "the variable that takes the fields as an object", "page";
        variables: ANY_VALUES, none, "other variables; `{id}`, `{key}`, `{language}`, `{revision}` and `{item}` are filled in, and variables of these names are without being named here", "{ pageId = \"{id}\", status = \"LIVE\" }";
    ]],
);

/// A call that is an operation.
#[derive(Debug, Clone)]
pub(crate) struct OperationCall {
    /// The file with it.
    pub(crate) file: String,
    /// Where its answer has the document.
    document: Option<Query>,
    /// Where its answer tells what is wrong with what was sent.
    problems: Option<Query>,
    /// The variable that takes the fields.
    input: String,
    /// Other variables, places in them not filled.
    variables: Map<String, Json>,
    /// What codes mean.
    pub(super) codes: Vec<(String, Meaning)>,
    /// Whether it makes a document.
    pub(super) makes: bool,
    /// Its text, once the file is read.
    text: Option<OperationText>,
}

impl OperationCall {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<OperationCall> {
        let file = section.text("query", report);
        let document = Query::from_key(section, "document", report);
        let problems = Query::from_key(section, "problems", report);
        let input = section.string("input", report);
        let variables = section.section("variables", report).map(|mut table| constants(&mut table));
        Some(OperationCall {
            file: file?.value.as_str().to_owned(),
            document,
            problems,
            input: input?,
            variables: variables.unwrap_or_default(),
            codes: Vec::new(),
            makes: false,
            text: None,
        })
    }

    /// Takes the text of its file. One that only `reads` is no mutation, and every variable that it cannot do without
    /// has a value.
    ///
    /// # Errors
    /// Says what is wrong with the text.
    pub(super) fn take_text(&mut self, text: &str, reads: bool, writes_fields: bool) -> Result<(), String> {
        let read = OperationText::read(text)?;
        if reads && read.is_mutation() {
            return Err("it is a mutation, and is asked for where nothing may change".to_owned());
        }
        let own = std::iter::once(self.input.as_str()).filter(|_| writes_fields);
        let given: BTreeSet<&str> = self.variables.keys().map(String::as_str).chain(own).chain(Filled::NAMES).collect();
        if let Some(missing) = read.required().find(|name| !given.contains(name)) {
            return Err(format!("its variable `${missing}` must have a value, and nothing gives it one"));
        }
        let undeclared = self.variables.keys().map(String::as_str).chain(writes_fields.then_some(self.input.as_str()));
        if let Some(strange) = undeclared.into_iter().find(|name| !read.declares(name)) {
            return Err(format!("it declares no variable `${strange}`"));
        }
        self.text = Some(read);
        Ok(())
    }

    /// Whether something of that name is filled in.
    pub(crate) fn fills(&self, name: &str) -> bool {
        let place = format!("{{{name}}}");
        let names_it = self.variables.values().any(|value| value.as_str().is_some_and(|text| text.contains(&place)));
        names_it || self.text.as_ref().is_some_and(|text| text.declares(name))
    }

    /// The body that asks for it, without fields.
    pub(crate) fn body(&self, filled: Filled<'_>) -> Json {
        let Some(text) = &self.text else { return Json::Null };
        let mut variables = Map::new();
        for (name, value) in Filled::NAMES.into_iter().zip(filled.values()) {
            if text.declares(name) && name != self.input && !value.is_empty() {
                variables.insert(name.to_owned(), text.value(name, value));
            }
        }
        for (name, value) in &self.variables {
            let value = match value {
                // Left out where there is nothing to fill in: it may have a value of its own there.
                Json::String(template) if Filled::NAMES.iter().any(|place| *template == format!("{{{place}}}")) => {
                    let filled = filled.put(template);
                    if filled.is_empty() {
                        continue;
                    }
                    text.value(name, &filled)
                }
                Json::String(template) => filled.put(template).into(),
                other => other.clone(),
            };
            variables.insert(name.clone(), value);
        }
        json!({ "query": text.as_str(), "variables": variables })
    }

    /// Puts the fields of a document into a body of this operation.
    pub(crate) fn put_document(&self, body: &mut Json, document: Map<String, Json>) {
        if let Some(variables) = body.get_mut("variables").and_then(Json::as_object_mut) {
            variables.insert(self.input.clone(), Json::Object(document));
        }
    }

    /// What its answer comes to: the document, null where there is none; none where it shows none and was done.
    ///
    /// # Errors
    /// Where it was not done, or nobody can tell.
    pub(crate) fn outcome(&self, answer: &Json) -> Result<Option<Json>, ErrorKind> {
        outcome(answer, &self.places())
    }

    fn places(&self) -> Outcome<'_> {
        let (document, problems) = (self.document.as_ref(), self.problems.as_ref());
        Outcome { document, problems, codes: &self.codes, makes: self.makes }
    }

    /// The whole answer of a search.
    ///
    /// # Errors
    /// Where it was not answered.
    pub(crate) fn searched(&self, answer: Json) -> Result<Json, ErrorKind> {
        let at = Outcome { document: None, ..self.places() };
        let is_whole = answer.get("errors").is_none_or(|errors| errors.as_array().is_some_and(Vec::is_empty));
        match outcome(&answer, &at) {
            _ if is_whole && answer.get("data").is_some_and(Json::is_object) => Ok(answer),
            // What came with errors may not be all that there is.
            Ok(_) => Err(ErrorKind::Content("the search was answered in part, with errors".to_owned())),
            Err(kind) => Err(kind),
        }
    }
}
