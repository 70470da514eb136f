//! Who is told of what happens.

mod topic;
mod way;

use std::path::{Path, PathBuf};

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{Library, Slots};
use diaporos_core::lane::FieldExpression;
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, FILE, NAMED_EXPRESSIONS};
use diaporos_core::settings::{Form, Section, Table, words};
use diaporos_core::value::SystemName;
use diaporos_systems::settings::path::within;
use diaporos_systems::settings::{PLACE, SECRET};
use indexmap::IndexMap;

use super::expression::Expressions;
pub use topic::Topic;
use way::{MAIL, SHAPES, way};
pub use way::{Shape, TellWay};

/// Somebody who is told.
#[derive(Debug, Clone)]
pub struct TellConfig {
    /// Of what.
    pub on: Vec<Topic>,
    /// Where this holds.
    pub when: Option<FieldExpression>,
    /// How it gets there.
    pub way: TellWay,
    /// Certificates of authorities that are trusted beside those of the machine.
    pub ca_bundle: Option<PathBuf>,
    /// For mail: its `subject` and its `text`. For the shape `json`: the members of the body. For events: of its data; what is known where empty.
    pub body: IndexMap<String, FieldExpression>,
    /// The members that the expressions read.
    pub slots: Slots,
}

/// Somebody who is told.
pub(in crate::config) static TELL: Table = Table {
    name: "tell",
    one_of: &[&["to", "mail"]],
    needs: &[],
    groups: &[settings![
        on: Form::List(&Form::Word { what: "something that is told", of: || words(&Topic::WORDS) }), required, "of what: an entry that was created, updated, withdrawn, deleted, is held, or was changed there by somebody else; a file of translations that came back, or was rejected in part; a run that changed something, once and at its end; an alert that opened, is open still after a day, or closed", "[\"run.changed\"]";
        when: EXPRESSION, none, "where this holds, of the entry as in a lane, and of `event`: its `kind`, `subject`, `lane`, `destination`, `language`, `reason`, `message`, `fields`, `lanes`, `alert`, `brief`", "event.lane == \"profiles\" and habitat == \"bog\"";
        to: PLACE, none, "the address that is told, by POST", "env:BUILD_HOOK_URL";
        mail: Form::Table(&MAIL), none, "instead: people who are told by mail", "{ server = \"smtps://mail.ostrel.example\", from = \"Ostrel hub <hub@ostrel.example>\", to = [\"editors@ostrel.example\"] }";
        shape: Form::Word { what: "a shape", of: || words(&SHAPES) }, usual "event", "in which shape: a CloudEvent (CloudEvents 1.0) in the body, one with its attributes in headers, or JSON as `body` has it", "json";
        body: NAMED_EXPRESSIONS, none, "what each member of the body is, of the event's data, or of a mail, its `subject` and `text`; what is known without it", "{ text = '\"live: \" + event.subject' }";
        token: SECRET, none, "a bearer token that is shown", "env:CHAT_TOKEN";
        ca_bundle: FILE, none, "certificates of authorities, in PEM, that are trusted beside those of this machine", "ca.pem";
        key: SECRET, none, "the key that signs (Standard Webhooks)", "env:BUILD_HOOK_KEY";
    ]],
};

/// Reads who is told.
pub(in crate::config) fn tells(
    file: &mut Section<'_>,
    (folder, library): (&Path, &Library),
    report: &mut Report,
) -> IndexMap<SystemName, TellConfig> {
    let mut tells = IndexMap::new();
    let Some(mut section) = file.section("tell", report) else { return tells };
    for name in section.names() {
        let known = match SystemName::new(name.value.clone()) {
            Ok(known) => known,
            Err(error) => {
                let message = format!("`{}` cannot name somebody who is told: {error}", name.value);
                report.add(Diagnostic::error(Code::BadValue, name.span, message));
                continue;
            }
        };
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let read = tell(&mut table, (folder, library), report);
        table.finish(report);
        tells.extend(read.map(|read| (known, read)));
    }
    tells
}

fn tell(table: &mut Section<'_>, (folder, library): (&Path, &Library), report: &mut Report) -> Option<TellConfig> {
    let on = table.words("on", &Topic::WORDS, report);
    if on.is_empty() && !table.has("on") {
        table.missing("on", report);
    }
    let mut expressions = Expressions::over(None, library);
    let when = table.text("when", report).map(|item| expressions.condition(&item, report));
    let way = way(table, report);
    let ca_bundle = table.text("ca_bundle", report).and_then(|item| match within(folder, item.value.as_str()) {
        Ok(path) => Some(path),
        Err(fault) => {
            table.refuse("ca_bundle", item.span, format!("this path {fault}"), report);
            None
        }
    });
    let mut body = IndexMap::new();
    if let Some(mut section) = table.section("body", report) {
        for name in section.names() {
            let item = section.named_text(&name.value, report);
            body.extend(item.and_then(|item| expressions.read(&item, report)).map(|read| (name.value, read)));
        }
    }
    Some(TellConfig {
        on,
        when: when.map_or(Some(None), |parsed| parsed.map(Some))?,
        way: way?,
        ca_bundle,
        body,
        slots: expressions.slots,
    })
}
