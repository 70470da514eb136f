//! Who is told of what happens.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{Library, Slots};
use diaporos_core::lane::FieldExpression;
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, NAMED_EXPRESSIONS};
use diaporos_core::settings::{Form, Section, Table, words};
use diaporos_core::value::SystemName;
use diaporos_systems::SecretReference;
use diaporos_systems::settings::{PLACE, PlaceText, SECRET, place, secret};
use indexmap::IndexMap;

use super::expression::Expressions;

/// Somebody who is told.
#[derive(Debug, Clone)]
pub struct TellConfig {
    /// Of what.
    pub on: Vec<Told>,
    /// Where this holds.
    pub when: Option<FieldExpression>,
    /// At which address.
    pub to: PlaceText,
    /// In which shape.
    pub shape: Shape,
    /// For the shape `json`: the members of the body. For events: of its data; what is known where empty.
    pub body: IndexMap<String, FieldExpression>,
    /// The token that is shown.
    pub token: Option<SecretReference>,
    /// The key that signs.
    pub key: Option<SecretReference>,
    /// The members that the expressions read.
    pub slots: Slots,
}

/// What can be told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Told {
    /// A document was written that was not there.
    Created,
    /// A document was changed.
    Updated,
    /// A document was taken off view.
    Withdrawn,
    /// A document was deleted.
    Deleted,
    /// An entry is held, or for another reason than before.
    Held,
    /// A run changed something, and came to its end.
    RunChanged,
    /// An alert opened.
    AlertOpened,
    /// An alert is open still, after a day.
    AlertOpen,
    /// An alert is over.
    AlertClosed,
}

impl Told {
    /// Everything that can be told, with its word.
    pub const WORDS: [(&str, Told); 9] = [
        ("entry.created", Told::Created),
        ("entry.updated", Told::Updated),
        ("entry.withdrawn", Told::Withdrawn),
        ("entry.deleted", Told::Deleted),
        ("entry.held", Told::Held),
        ("run.changed", Told::RunChanged),
        ("alert.opened", Told::AlertOpened),
        ("alert.open", Told::AlertOpen),
        ("alert.closed", Told::AlertClosed),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, told)| *told == self).map_or("", |(word, _)| word)
    }
}

/// The shape in which something is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A CloudEvent in the body (CloudEvents 1.0, structured).
    Event,
    /// A CloudEvent of which the data is the body, and the rest stands in headers (CloudEvents 1.0, binary).
    EventBinary,
    /// JSON as expressions have it.
    Json,
}

const SHAPES: [(&str, Shape); 3] =
    [("event", Shape::Event), ("event-binary", Shape::EventBinary), ("json", Shape::Json)];

/// Somebody who is told.
pub(super) static TELL: Table = Table::new(
    "tell",
    &[settings![
        on: Form::List(&Form::Word { what: "something that is told", of: || words(&Told::WORDS) }), required, "of what: an entry that was created, updated, withdrawn, deleted or is held; a run that changed something, once and at its end; an alert that opened, is open still after a day, or closed", "[\"run.changed\"]";
        when: EXPRESSION, none, "where this holds, of the entry as in a lane, and of `event`: its `kind`, `subject`, `lane`, `destination`, `language`, `reason`, `message`, `lanes`, `alert`", "event.lane == \"profiles\" and habitat == \"bog\"";
        to: PLACE, required, "the address that is told, by POST", "env:BUILD_HOOK_URL";
        shape: Form::Word { what: "a shape", of: || words(&SHAPES) }, usual "event", "in which shape: a CloudEvent (CloudEvents 1.0) in the body, one with its attributes in headers, or JSON as `body` has it", "json";
        body: NAMED_EXPRESSIONS, none, "what each member of the body is, or of the event's data; what is known without it", "{ text = '\"live: \" + event.subject' }";
        token: SECRET, none, "a bearer token that is shown", "env:CHAT_TOKEN";
        key: SECRET, none, "the key that signs (Standard Webhooks)", "env:BUILD_HOOK_KEY";
    ]],
);

/// Reads who is told.
pub(super) fn tells(
    file: &mut Section<'_>,
    library: &Library,
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
        let read = tell(&mut table, library, report);
        table.finish(report);
        tells.extend(read.map(|read| (known, read)));
    }
    tells
}

fn tell(table: &mut Section<'_>, library: &Library, report: &mut Report) -> Option<TellConfig> {
    let on = table.words("on", &Told::WORDS, report);
    if on.is_empty() && !table.has("on") {
        table.missing("on", report);
    }
    let mut expressions = Expressions::over(None, library);
    let when = table.text("when", report).map(|item| expressions.condition(&item, report));
    let to = table.text("to", report).and_then(|item| place(&item, report));
    let shape = table.word("shape", &SHAPES, report);
    let mut body = IndexMap::new();
    if let Some(mut section) = table.section("body", report) {
        for name in section.names() {
            let item = section.named_text(&name.value, report);
            body.extend(item.and_then(|item| expressions.read(&item, report)).map(|read| (name.value, read)));
        }
    }
    let token = table.text("token", report).map(|item| secret(&item, report));
    let key = table.text("key", report).map(|item| secret(&item, report));
    Some(TellConfig {
        on,
        when: when.map_or(Some(None), |parsed| parsed.map(Some))?,
        to: to?,
        shape: shape?,
        body,
        token: token.map_or(Some(None), |read| read.map(Some))?,
        key: key.map_or(Some(None), |read| read.map(Some))?,
        slots: expressions.slots,
    })
}
